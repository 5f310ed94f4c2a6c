// Speaks for the designer's page: our page, in another origin, asks; it measures. It leaves no trace in the
// document.
"use strict";
(() => {
  const sheet = document.currentScript.dataset.sheet;
  document.currentScript.remove();
  if (sheet) addEventListener("DOMContentLoaded", () => {
    const link = document.createElement("link");
    link.rel = "stylesheet"; link.href = sheet;
    document.head.append(link);
  });
  if (window === top || parent !== top) return; // not a frame of the page's own
  performance.setResourceTimingBufferSize(10000); // else what came after the first 250 is not told
  const say = what => parent.postMessage({ tourmaline: what }, "*");
  const pause = ms => new Promise(done => setTimeout(done, ms));
  // A frame may not come in a window that nobody sees: then a moment does. A slow machine is waited for.
  const drawn = () => Promise.race([new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done))),
    pause(document.visibilityState === "visible" ? 3000 : 120)]);
  const loaded = new Promise(done => {
    if (document.readyState === "complete") done();
    else addEventListener("load", done);
  });

  // Places among brothers, for one look: pages have thousands of them.
  let places = new Map();
  function place(e) {
    const up = e.parentElement;
    if (!places.has(up)) places.set(up, new Map([...up.children].map((c, i) => [c, i + 1])));
    return places.get(up).get(e);
  }
  const path = e => e.parentElement ? path(e.parentElement) + ">" + e.localName + ":nth-child(" + place(e) + ")" : e.localName;

  // What was found is found again without a search, as long as it stands there.
  const known = new Map();
  function all(sel) {
    const e = known.get(sel);
    return e && e.isConnected ? [e] : [...document.querySelectorAll(sel)];
  }
  const rect = (l, t, r, b) => [l, t, Math.max(r - l, 0), Math.max(b - t, 0)];
  const hull = (a, b) => !a ? b : !b ? a : rect(Math.min(a[0], b[0]), Math.min(a[1], b[1]),
    Math.max(a[0] + a[2], b[0] + b[2]), Math.max(a[1] + a[3], b[1] + b[3]));

  // A selector may end in a pseudo-element, as in h1::before.
  const split = sel => { const m = /::?(before|after)$/.exec(sel); return m ? [sel.slice(0, m.index), "::" + m[1]] : [sel, null]; };

  function inner(s, l, t, R, B) {
    const px = n => parseFloat(s[n]) || 0;
    const bl = px("borderLeftWidth"), bt = px("borderTopWidth"), br = px("borderRightWidth"), bb = px("borderBottomWidth");
    return { border: rect(l, t, R, B), padding: rect(l + bl, t + bt, R - br, B - bb),
      content: rect(l + bl + px("paddingLeft"), t + bt + px("paddingTop"), R - br - px("paddingRight"), B - bb - px("paddingBottom")) };
  }

  function boxes(e) {
    const r = e.getBoundingClientRect();
    return inner(getComputedStyle(e), r.left + scrollX, r.top + scrollY, r.right + scrollX, r.bottom + scrollY);
  }

  // The box of a pseudo-element follows from used values where it is positioned, or a block at its element's
  // edge; null where it does not: one in a line of text, say.
  function pseudoBoxes(e, which) {
    const s = getComputedStyle(e, which), px = n => parseFloat(s[n]);
    if (s.content === "none" || s.content === "normal" || s.display === "none" || s.transform !== "none") return null;
    let w = px("width"), h = px("height");
    if (isNaN(w) || isNaN(h)) return null;
    if (s.boxSizing !== "border-box") {
      w += px("borderLeftWidth") + px("paddingLeft") + px("paddingRight") + px("borderRightWidth");
      h += px("borderTopWidth") + px("paddingTop") + px("paddingBottom") + px("borderBottomWidth");
    }
    if (s.position === "absolute" || s.position === "fixed") {
      let a = e;
      for (; a && s.position === "absolute"; a = a.parentElement) {
        const t = getComputedStyle(a);
        if (t.position !== "static" || t.transform !== "none" || t.filter !== "none" || t.contain.includes("paint") ||
          t.contain.includes("layout")) break;
      }
      const at = a && s.position === "absolute" ? boxes(a).padding : [scrollX, scrollY];
      const l = at[0] + px("left") + px("marginLeft"), t = at[1] + px("top") + px("marginTop");
      return isNaN(l) || isNaN(t) ? null : inner(s, l, t, l + w, t + h);
    }
    if (!/^(block|flow-root|grid|flex)$/.test(s.display) || s.float !== "none" ||
      !/^(block|flow-root|list-item)$/.test(getComputedStyle(e).display)) return null;
    const c = boxes(e).content, l = c[0] + px("marginLeft");
    const t = which === "::before" ? c[1] + px("marginTop") : c[1] + c[3] - px("marginBottom") - h;
    return inner(s, l, t, l + w, t + h);
  }

  const clear = s => s.backgroundImage === "none" && /^rgba\(.*, 0(\.0+)?\)$|^transparent$/.test(s.backgroundColor);

  // A text on a background of its own inside the box does not lie on the box's.
  function covered(host, e) {
    for (let a = host; a && a !== e; a = a.parentElement) {
      const s = getComputedStyle(a);
      if (s.backgroundImage !== "none" || !/^rgba\(.*, 0(\.\d+)?\)$|^transparent$/.test(s.backgroundColor)) return true;
    }
    return false;
  }

  const mostLines = 200;
  function lines(e) {
    const out = [], walk = document.createTreeWalker(e, NodeFilter.SHOW_TEXT), range = document.createRange();
    for (let n; (n = walk.nextNode()) && out.length < mostLines;) {
      const host = n.parentElement;
      if (!n.data.trim() || /^(script|style|noscript|template|option|textarea)$/.test(host.localName)) continue;
      const s = getComputedStyle(host);
      if (s.visibility !== "visible" || +s.opacity === 0 || covered(host, e)) continue;
      range.selectNodeContents(n);
      const of = [];
      for (const r of range.getClientRects()) {
        if (r.width < 1 || r.height < 1) continue;
        const at = rect(r.left + scrollX, r.top + scrollY, r.right + scrollX, r.bottom + scrollY);
        const same = of.find(o => Math.abs(o.rect[1] - at[1]) < 2);
        if (same) same.rect = hull(same.rect, at);
        else of.push({ rect: at, color: s.color, size: parseFloat(s.fontSize), weight: parseInt(s.fontWeight) || 400 });
      }
      out.push(...of);
    }
    return out;
  }

  // The video behind an element, as build writes it; off is how far it lies beside the element's padding box.
  function playing(e) {
    const v = e.querySelector(":scope > .tourmaline-video > video");
    if (!v) return null;
    const r = v.getBoundingClientRect(), o = e.getBoundingClientRect(), s = getComputedStyle(v);
    const left = o.left + e.clientLeft, top = o.top + e.clientTop;
    return { shown: v.getClientRects().length > 0, muted: v.muted, loop: v.loop, playing: !v.paused && v.readyState > 1,
      controls: v.controls, source: v.currentSrc, fit: s.objectFit, at: s.objectPosition,
      off: Math.max(Math.abs(r.left - left), Math.abs(r.top - top), Math.abs(r.width - e.clientWidth), Math.abs(r.height - e.clientHeight)) };
  }

  // What decides whether a box is seen, and how its background stands, as the browser computed it.
  function looks(e, which) {
    const s = getComputedStyle(e, which), b = {};
    for (const n of ["Color", "Image", "Position", "Size", "Repeat", "Origin", "Clip", "Attachment", "BlendMode"])
      b[n[0].toLowerCase() + n.slice(1)] = s["background" + n];
    return { video: which ? null : playing(e), background: b, position: s.position, zIndex: s.zIndex, opacity: +s.opacity, visibility: s.visibility,
      stacking: s.position === "fixed" || s.position === "sticky" || s.position !== "static" && s.zIndex !== "auto" ||
        +s.opacity < 1 || s.transform !== "none" || s.filter !== "none" || s.isolation === "isolate" || s.mixBlendMode !== "normal" };
  }

  const pageHeight = () => Math.max(document.documentElement.scrollHeight, document.documentElement.getBoundingClientRect().height);

  function measure(w, selectors, look, first) {
    // What a transition is on its way to, it is at rest.
    for (const a of document.getAnimations()) if (a instanceof CSSTransition) a.finish();
    return { window: w, page: pageHeight(), boxes: selectors.map(text => {
      const [sel, which] = split(text), found = all(sel);
      const out = { border: null, padding: null, content: null, text: [], matches: 0 };
      for (const e of found) {
        if (which && /^(none|normal)$/.test(getComputedStyle(e, which).content)) continue;
        out.matches++;
        if (first && out.border) continue;
        if (look && !out.look) out.look = looks(e, which);
        if (!e.getClientRects().length) continue;
        const b = which ? pseudoBoxes(e, which) : boxes(e);
        for (const k in b) out[k] = hull(out[k], b[k]);
        if (!which && out.text.length < mostLines) out.text.push(...lines(e));
      }
      for (const k of ["border", "padding", "content"]) out[k] = out[k] || [0, 0, 0, 0];
      return out;
    }) };
  }

  // What the page shows that has a background, as it stands with its scripts run; and how many frames it holds.
  function discover(most) {
    const out = [];
    let more = 0;
    places = new Map();
    const add = (e, which) => {
      if (out.length === most) { more++; return; }
      const p = path(e);
      known.set(p, e);
      out.push(p + which);
    };
    for (const e of document.querySelectorAll("html, body, body *")) {
      const own = getComputedStyle(e);
      if (own.display === "none") continue;
      if (!clear(own)) add(e, "");
      for (const which of ["::before", "::after"]) {
        const s = getComputedStyle(e, which);
        if (s.content !== "none" && s.content !== "normal" && !clear(s)) add(e, which);
      }
    }
    return { paths: out, more, frames: document.querySelectorAll("iframe, frame, object[type='text/html']").length };
  }

  async function sized(w) {
    for (let n = 0; (innerWidth !== w.width || innerHeight !== w.height) && n < 500; n++) await pause(n < 20 ? 0 : 10);
    if (innerWidth !== w.width) throw new Error("the page does not take a width of " + w.width + " px");
    if (document.scripts.length > 0) await drawn();
  }

  // Still: fonts are there, pictures are loaded or failed, nothing more is fetched, and two frames look alike;
  // where scripts may yet do something, nothing has changed for most of a second.
  async function rest(limit) {
    const until = Date.now() + limit;
    await Promise.race([loaded, pause(limit)]);
    if (document.readyState !== "complete") return { still: false, why: "it is still loading" };
    await Promise.race([document.fonts ? document.fonts.ready : 0, pause(limit / 2)]);
    const quiet = document.scripts.length > 0 ? 700 : 0;
    let last = "", since = Date.now(), why = "";
    for (let alike = 0; alike < 2 || Date.now() - since < quiet;) {
      if (Date.now() > until) return { still: false, why };
      await drawn(); await pause(30);
      const waits = [...document.images].some(i => !i.complete && i.loading !== "lazy");
      const now = [pageHeight(), document.querySelectorAll("*").length, performance.getEntriesByType("resource").length];
      if (waits || now.join() !== last) {
        const was = last.split(",");
        why = waits ? "a picture is still loading" : now[0] !== +was[0] ? "its height changes on and on" :
          now[1] !== +was[1] ? "its elements become more or fewer on and on" : "it fetches on and on";
        alike = 0; since = Date.now(); last = now.join();
      } else alike++;
    }
    return { still: true };
  }

  // Files that came for pictures, whole addresses.
  const fetched = () => performance.getEntriesByType("resource")
    .filter(r => /^(css|link|img|image|video)$/.test(r.initiatorType)).map(r => r.name);

  // Only some boxes stay to be seen, and of them only backgrounds and borders; of those in apart also what their
  // pseudo-elements show.
  function bare(selectors, apart) {
    const keep = new Set();
    for (const sel of selectors) for (const e of document.querySelectorAll(sel)) { keep.add(e); break; }
    for (const sel of apart) for (const e of document.querySelectorAll(sel)) e.dataset.tourmalineApart = "";
    const set = (e, n, v) => e.style.setProperty(n, v, "important");
    for (const e of document.querySelectorAll("*")) {
      if (e === document.documentElement || e === document.body) {
        if (!keep.has(e)) { set(e, "background", "none"); set(e, "border-color", "transparent"); }
      } else set(e, "visibility", keep.has(e) ? "visible" : "hidden");
      if (keep.has(e)) { for (const n of ["text-shadow", "box-shadow", "outline"]) set(e, n, "none"); }
    }
    const style = document.createElement("style");
    style.textContent = ":not([data-tourmaline-apart])::before, :not([data-tourmaline-apart])::after, *::marker " +
      "{ visibility: hidden !important } * { -webkit-text-fill-color: transparent !important; caret-color: transparent !important; " +
      "text-decoration-color: transparent !important; animation: none !important; transition: none !important; scroll-behavior: auto !important }";
    document.head.append(style);
  }

  const able = {
    rest: q => rest(q.limit),
    discover: async q => { await sized(q.windows[0]); return discover(q.most); },
    measure: async q => { await sized(q.window); return measure(q.window, q.selectors, q.looks, q.first); },
    fetched: async () => fetched(),
    bare: async q => { bare(q.selectors, q.apart); scrollTo(0, q.scroll || 0); await drawn(); return { scroll: scrollY, page: pageHeight() }; },
  };
  addEventListener("message", async e => {
    if (e.source !== parent || !e.data || !able[e.data.op]) return;
    try { say({ id: e.data.id, value: await able[e.data.op](e.data) }); }
    catch (err) { say({ id: e.data.id, error: String(err.message || err) }); }
  });
  say({ born: location.pathname + location.search });
})();
