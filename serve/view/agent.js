// Speaks for a page that is shown live: it takes our stylesheet in, and tells where its boxes lie and what is
// pointed at. It leaves no trace in the document.
"use strict";
(() => {
  document.currentScript.remove();
  if (window === top || parent !== top) return; // not a frame of the page's own
  const say = what => parent.postMessage({ tourmaline: what }, "*");
  const sheet = new CSSStyleSheet(); // it comes after all of the page's own, whatever a policy says of style elements
  const bars = new CSSStyleSheet(); // a bar would take from the width that the plan reckons with
  bars.replaceSync(":root { scrollbar-width: none !important }");
  document.adoptedStyleSheets = [...document.adoptedStyleSheets, bars, sheet];
  let hooks = [], waits = false, last = "";

  const find = selector => { try { return document.querySelector(selector); } catch { return null; } };

  function rects() {
    waits = false;
    const out = {};
    for (const [name, selector] of hooks) {
      const e = find(selector);
      if (!e) continue;
      if (e === document.body || e === document.documentElement) { out[name] = [0, 0, innerWidth, innerHeight]; continue; }
      const r = e.getBoundingClientRect();
      out[name] = [r.left, r.top, r.width, r.height];
    }
    const now = JSON.stringify([out, innerWidth, innerHeight]);
    if (now !== last) say({ rects: out, width: innerWidth, height: innerHeight, page: document.documentElement.scrollHeight });
    last = now;
  }
  const soon = () => { if (!waits) { waits = true; requestAnimationFrame(rects); } };
  addEventListener("scroll", soon, { passive: true, capture: true });
  addEventListener("resize", soon);
  addEventListener("load", soon);
  const grown = new ResizeObserver(soon);
  addEventListener("DOMContentLoaded", () => { grown.observe(document.documentElement); if (document.body) grown.observe(document.body); });

  // Boxes for which a rule of the page's own wins: they look otherwise once ours are important.
  function beaten() {
    const look = () => hooks.map(([, s]) => { const e = find(s); return e && ["Image", "Color", "Position", "Size", "Repeat"].map(n => getComputedStyle(e)["background" + n]).join(); });
    const make = list => { for (const r of list) { if (r.style) for (const n of [...r.style]) r.style.setProperty(n, r.style.getPropertyValue(n), "important"); if (r.cssRules) make(r.cssRules); } };
    const now = look(), strong = new CSSStyleSheet();
    strong.replaceSync([...sheet.cssRules].map(r => r.cssText).join("\n"));
    make(strong.cssRules);
    document.adoptedStyleSheets = [...document.adoptedStyleSheets, strong];
    const then = look();
    document.adoptedStyleSheets = document.adoptedStyleSheets.filter(s => s !== strong);
    say({ beaten: hooks.filter((h, i) => now[i] !== then[i]).map(h => h[0]) });
  }

  // A click chooses the innermost box; links do not lead away.
  addEventListener("click", e => {
    let best = null, name = "";
    for (const [n, selector] of hooks) {
      const box = find(selector);
      if (box && box.contains(e.target) && (!best || best.contains(box))) { best = box; name = n; }
    }
    if (e.target.closest("a[href]")) e.preventDefault();
    if (name) say({ pick: name });
  }, true);
  addEventListener("keydown", e => {
    if (e.target.closest("input, textarea, select, [contenteditable]")) return;
    if (/^[b[\]]$/.test(e.key) && !e.ctrlKey && !e.metaKey && !e.altKey) say({ key: e.key });
  });

  // Modes of a visitor are shown by saying so in all media queries that can be read: those of the page and ours.
  const asked = new WeakMap(), always = "(min-width: 0px)", never = "(max-width: 0px)";
  const answer = (text, modes) => {
    for (const m of modes) {
      if (m.word === "print") {
        if (m.on) text = text.replace(/\bscreen\b/g, "tty").replace(/\bprint\b/g, "all");
      } else if (m.word === "touch") {
        text = text.replace(/\((?:any-)?(?:hover|pointer)(?:\s*:\s*([a-z]+))?\s*\)/g, (all, value) => value === undefined ? (m.on && all.includes("hover") ? never : always) : (m.on ? ["none", "coarse"] : ["hover", "fine"]).includes(value) ? always : never);
      }
    }
    const by = {};
    for (const m of modes) if (m.feature) { by[m.feature] ||= ""; if (m.on) by[m.feature] = m.value; }
    for (const [feature, now] of Object.entries(by)) {
      const off = feature === "prefers-color-scheme" ? "light" : "no-preference";
      text = text.replace(new RegExp(`\\(${feature}(?:\\s*:\\s*([a-z-]+))?\\s*\\)`, "g"), (_, value) => (value === undefined ? now || off === "light" : value === (now || off)) ? always : never);
    }
    return text;
  };
  function put(media, modes) {
    if (!asked.has(media)) asked.set(media, media.mediaText);
    const was = asked.get(media), text = answer(was, modes);
    if (media.mediaText !== text) media.mediaText = text;
  }
  function walk(rules, modes) {
    for (const r of rules) {
      if (r.media) put(r.media, modes);
      try {
        if (r.styleSheet) walk(r.styleSheet.cssRules, modes);
        else if (r.cssRules) walk(r.cssRules, modes);
      } catch { /* of another site */ }
    }
  }
  let modes = [];
  function switchModes() {
    for (const s of [...document.styleSheets, sheet]) {
      put(s.media, modes);
      try { walk(s.cssRules, modes); } catch { /* of another site */ }
    }
  }
  addEventListener("load", switchModes);

  const able = {
    css: text => { sheet.replaceSync(text); },
    modes: list => { modes = list; switchModes(); },
    hooks: list => { hooks = list; last = ""; for (const [, s] of hooks) { const e = find(s); if (e) grown.observe(e); } },
    reveal: name => {
      const at = hooks.find(h => h[0] === name), e = at && find(at[1]);
      if (!e || e === document.body) { scrollTo({ top: 0, behavior: "instant" }); return; }
      const r = e.getBoundingClientRect();
      if (r.top < 0 || r.bottom > innerHeight) scrollBy({ top: r.top - Math.max((innerHeight - r.height) / 2, 0), behavior: "instant" });
    },
    weigh: beaten,
    wheel: by => scrollBy({ top: by[1], left: by[0], behavior: "instant" }),
  };
  addEventListener("message", e => {
    if (e.source !== parent || !e.data || !e.data.view) return;
    for (const [what, value] of Object.entries(e.data.view)) if (able[what]) able[what](value);
    soon();
  });
  say({ born: location.pathname + location.search });
})();
