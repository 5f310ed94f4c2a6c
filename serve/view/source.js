// The source picture with its marks: keep, focus and part, and what each named viewport shows of it.
import { S, layer, el, drag, clamp, round, attempt, keep, drop } from "./talk.js";
import { address } from "./panel.js";

const per = v => round(v * 100, 1) + "%";

// The part of the file that the layer shows, 0..1 of its sides.
export function partOf(source) {
  const m = /#xywh=percent:([\d.]+),([\d.]+),([\d.]+),([\d.]+)$/.exec(source);
  return m ? m.slice(1).map(v => v / 100) : [0, 0, 1, 1];
}
const whole = source => source.split("#")[0];

export function sourceEditor(l) {
  const img = el("img", { alt: `The picture ${l.picture.source}`, draggable: false, src: address(whole(l.picture.source)) });
  const root = el("div", { className: "source" }, img), legend = el("p", { className: "legend" });
  const place = (e, x, y, w, h) => { e.style.left = x * 100 + "%"; e.style.top = y * 100 + "%"; if (w !== undefined) { e.style.width = w * 100 + "%"; e.style.height = h * 100 + "%"; } };
  // Marks are of the part that is shown; the file is shown whole.
  const into = (p, x, y) => [p[0] + x * p[2], p[1] + y * p[3]];
  const keepBox = el("div", { className: "mark keep", tabIndex: 0, role: "slider", title: "keep: what must be in view. Drag it, or its corner" }, el("b"));
  const spot = el("div", { className: "mark focus", tabIndex: 0, role: "slider", title: "focus: what should be nearest to the middle. Drag it" });
  const partBox = el("div", { className: "mark part", tabIndex: 0, role: "group", "aria-label": "the part of the file that is used: arrow keys move it, with Shift size it",
    title: "the part of the file that is used" }, el("b"));
  const views = new Map();

  function writeFocus(l, x, y) {
    const [a, b] = [per(clamp(x, 0, 1)), per(clamp(y, 0, 1))];
    return l.focus ? [{ path: [...l.path, "focus", "x"], value: a }, { path: [...l.path, "focus", "y"], value: b }] : [{ path: [...l.path, "focus"], value: `{x: ${a}, y: ${b}}` }];
  }
  function writeKeep(l, k) {
    const v = { width: round(clamp(k.width, 0.01, 1), 3), height: round(clamp(k.height, 0.01, 1), 3) };
    v.x = round(clamp(k.x, 0, 1 - v.width), 3); v.y = round(clamp(k.y, 0, 1 - v.height), 3);
    return l.keep ? ["x", "y", "width", "height"].map(n => ({ path: [...l.path, "keep", n], value: per(v[n]) })) :
      [{ path: [...l.path, "keep"], value: `{x: ${per(v.x)}, y: ${per(v.y)}, width: ${per(v.width)}, height: ${per(v.height)}}` }];
  }
  function hold(e, from, make) {
    const r = root.getBoundingClientRect(), l = layer(), p = partOf(l.picture.source), start = from(l);
    let last = null;
    drag(e, (dx, dy) => attempt(last = make(l, start, dx / r.width / p[2], dy / r.height / p[3])), done => done && last ? keep(last) : drop());
  }
  const focusOf = l => l.focus || (l.keep ? { x: l.keep.x + l.keep.width / 2, y: l.keep.y + l.keep.height / 2 } : { x: 0.5, y: 0.5 });
  spot.addEventListener("pointerdown", e => hold(e, l => ({ ...focusOf(l) }), (l, s, dx, dy) => writeFocus(l, s.x + dx, s.y + dy)));
  keepBox.addEventListener("pointerdown", e => hold(e, l => ({ ...l.keep }), (l, s, dx, dy) => writeKeep(l, { ...s, x: s.x + dx, y: s.y + dy })));
  keepBox.firstElementChild.addEventListener("pointerdown", e => hold(e, l => ({ ...l.keep }), (l, s, dx, dy) => writeKeep(l, { ...s, width: s.width + dx, height: s.height + dy })));
  const writePart = (l, p) => {
    const w = clamp(p[2], 0.02, 1), h = clamp(p[3], 0.02, 1), v = [clamp(p[0], 0, 1 - w), clamp(p[1], 0, 1 - h), w, h].map(n => round(n * 100, 1));
    return [{ path: [...l.path, l.kind], value: whole(l.picture.source) + "#xywh=percent:" + v.join(",") }];
  };
  const holdPart = corner => e => {
    const r = root.getBoundingClientRect(), l = layer(), p = partOf(l.picture.source);
    let last = null;
    drag(e, (dx, dy) => { const x = dx / r.width, y = dy / r.height; last = writePart(l, corner ? [p[0], p[1], p[2] + x, p[3] + y] : [p[0] + x, p[1] + y, p[2], p[3]]); place(partBox, ...partOf(last[0].value)); },
      done => { if (done && last) keep(last); });
  };
  partBox.addEventListener("pointerdown", holdPart(false));
  partBox.firstElementChild.addEventListener("pointerdown", holdPart(true));
  // With the keyboard: a per cent at a time, with Shift the size of keep.
  const step = e => ({ ArrowLeft: [-0.01, 0], ArrowRight: [0.01, 0], ArrowUp: [0, -0.01], ArrowDown: [0, 0.01] })[e.key];
  spot.addEventListener("keydown", e => { const s = step(e), l = layer(), f = focusOf(l); if (s) { e.preventDefault(); keep(writeFocus(l, f.x + s[0], f.y + s[1])); } });
  partBox.addEventListener("keydown", e => {
    const s = step(e), l = layer(), p = partOf(l.picture.source);
    if (s) { e.preventDefault(); keep(writePart(l, e.shiftKey ? [p[0], p[1], p[2] + s[0], p[3] + s[1]] : [p[0] + s[0], p[1] + s[1], p[2], p[3]])); }
  });
  keepBox.addEventListener("keydown", e => {
    const s = step(e), l = layer(), k = l.keep;
    if (s) { e.preventDefault(); keep(writeKeep(l, e.shiftKey ? { ...k, width: k.width + s[0], height: k.height + s[1] } : { ...k, x: k.x + s[0], y: k.y + s[1] })); }
  });
  const actions = el("div", { className: "row" },
    l.keep ? null : el("button", { textContent: "Mark what must stay in view", onclick: () => keep(writeKeep(layer(), { x: 0.35, y: 0.35, width: 0.3, height: 0.3 })) }),
    l.kind === "video" || l.picture.source.includes("#xywh") || !l.picture.width ? null : el("button", { textContent: "Use a part only", onclick: () => keep(writePart(layer(), [0.1, 0.1, 0.8, 0.8])) }));

  function update(b, l) {
    if (!l || !l.picture) return;
    const p = partOf(l.picture.source), f = focusOf(l);
    place(spot, ...into(p, f.x, f.y));
    spot.classList.toggle("unset", !l.focus);
    spot.setAttribute("aria-label", "focus"); spot.setAttribute("aria-valuetext", `${per(f.x)} across, ${per(f.y)} down`); spot.setAttribute("aria-valuenow", round(f.x * 100));
    if (l.keep) {
      place(keepBox, ...into(p, l.keep.x, l.keep.y), l.keep.width * p[2], l.keep.height * p[3]);
      keepBox.setAttribute("aria-label", "keep"); keepBox.setAttribute("aria-valuenow", round(l.keep.x * 100));
      keepBox.setAttribute("aria-valuetext", `${per(l.keep.x)}, ${per(l.keep.y)}, ${per(l.keep.width)} wide, ${per(l.keep.height)} high`);
    }
    place(partBox, ...p);
    for (const v of l.views || []) {
      if (!views.has(v.name)) { const e = el("div", { className: "mark seen" }, el("span", { textContent: v.name })); views.set(v.name, e); root.insertBefore(e, img.nextSibling); }
      views.get(v.name).classList.toggle("wide", v.part.width * img.naturalWidth > v.part.height * img.naturalHeight);
      place(views.get(v.name), ...into(p, v.part.x, v.part.y), v.part.width * p[2], v.part.height * p[3]);
    }
    for (const [name, e] of views) e.hidden = !(l.views || []).some(v => v.name === name);
    const cut = (l.views || []).filter(v => v.inView < 0.999);
    legend.textContent = (l.focus ? `focus: {x: ${per(l.focus.x)}, y: ${per(l.focus.y)}}` : "focus: the middle" + (l.keep ? " of keep" : "")) +
      (l.keep ? ` · keep: {x: ${per(l.keep.x)}, y: ${per(l.keep.y)}, width: ${per(l.keep.width)}, height: ${per(l.keep.height)}}` : "") +
      (l.keep && l.views ? cut.length ? ` · cut at ${cut.map(v => `${v.name} (${Math.floor(v.inView * 100)}% in view)`).join(", ")}` : " · keep is whole at every named viewport" : "");
  }
  if (l.kind === "texture") root.classList.add("tile");
  root.append(...[l.kind !== "video" && l.picture.source.includes("#xywh") ? partBox : null, l.keep ? keepBox : null, l.size && l.kind !== "texture" ? spot : null].filter(Boolean));
  if (l.kind === "texture") return [el("div", { className: "field" }, root), () => {}];
  return [el("div", { className: "field" }, root, legend, actions), update];
}
