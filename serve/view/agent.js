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

  const able = {
    css: text => sheet.replaceSync(text),
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
