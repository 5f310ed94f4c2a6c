// The window in its pane, the sliders of its sides, and the bands of findings under them.
import { S, on, news, at, box, layer, el, drag, clamp, round, attempt, keep, drop } from "./talk.js";
import { moved, textMoved } from "./values.js";

const $ = id => document.getElementById(id);
const frame = $("frame"), small = $("small"), pane = $("pane"), ground = $("ground"), over = $("over");
const page = document.body.dataset.page, origin = new URL(page).origin;
let scale = 1, rects = {}, shape = "", fresh = -1, held = null;

const born = new WeakSet(); // frames whose page has spoken
const say = (f, what) => born.has(f) && f.contentWindow.postMessage({ view: what }, origin);
const phone = () => S.hello && [...S.hello.named].filter(v => v.height > v.width).sort((a, b) => a.width - b.width)[0];

// What the frames are to show.
function css() { return S.plan ? (S.before ? S.plan.before : S.plan.css) : ""; }
export function dress() {
  for (const f of [frame, small]) say(f, shown());
}
// What is shown, with the modes that the plan's rules ask for as they are chosen here, whatever this browser's are.
const shown = () => ({ css: css(), hooks: S.plan ? S.plan.hooks : [], modes: S.plan ? S.plan.modes.map(m => ({ ...m, on: S.modes.has(m.word) })) : [] });
function switches(list) {
  for (const w of [...S.modes]) if (!list.some(m => m.word === w)) S.modes.delete(w);
  const now = JSON.stringify([list, [...S.modes]]);
  if ($("modes").dataset.now === now) return;
  $("modes").dataset.now = now;
  $("modes").replaceChildren(...list.map(m => {
    const b = el("button", { textContent: m.word.replace("-", " "), title: `Show the page ${m.in}`, onclick: () => {
      const is = S.modes.delete(m.word);
      if (!is) {
        for (const o of list) if (m.feature && o.feature === m.feature) S.modes.delete(o.word); // a feature has one value
        S.modes.add(m.word);
      }
      switches(list); dress(); at(S.window);
    } });
    b.setAttribute("aria-pressed", String(S.modes.has(m.word)));
    return b;
  }));
}
on("plan", p => {
  switches(p.modes);
  // What stands in the page itself, such as texts and heights, is in a page that is made anew.
  const again = p.fresh !== fresh || !S.hello.page && p.shape !== shape && !p.trial;
  if (again) {
    fresh = p.fresh; shape = p.shape;
    for (const f of [frame, small]) { born.delete(f); f.src = page; }
  } else dress();
  if (S.hello.page && !p.trial) setTimeout(() => say(frame, { weigh: 1 }), 300);
});
addEventListener("message", e => {
  const said = e.data && e.data.tourmaline;
  if (!said || e.origin !== origin) return;
  const f = e.source === frame.contentWindow ? frame : e.source === small.contentWindow ? small : null;
  if (!f) return;
  if (said.born) {
    born.add(f);
    say(f, shown());
    if (S.box) say(f, { reveal: S.box });
    if (f === frame && S.hello && S.hello.page) setTimeout(() => say(f, { weigh: 1 }), 600);
    return;
  }
  if (f !== frame) return;
  if (Array.isArray(said.beaten)) { S.beaten = said.beaten.filter(n => S.boxes.some(b => b.name === n)); news("beaten"); }
  if (said.rects) { rects = said.rects; marks(); }
  // A page may only choose, and ask for what changes nothing.
  if (typeof said.pick === "string" && S.boxes.some(b => b.name === said.pick)) { news("pick", said.pick); over.firstElementChild && over.firstElementChild.focus({ preventScroll: true }); }
  if (/^[b[\]]$/.test(said.key)) news("key", { key: said.key });
});

// The size of the window, and the scale at which it is shown.
export function fit() {
  if (!S.window) return;
  const [w, h] = S.window, room = { x: ground.clientWidth - 32 - (phoneWidth() + 14), y: ground.clientHeight - 30 };
  const next = Math.min(room.x / w, room.y / h, 1);
  scale = held ? Math.min(held, next) : next;
  sized(w, h);
  $("scale").textContent = scale < 1 ? `shown at ${Math.round(scale * 100)}%` : "shown at full size";
  if (document.activeElement !== $("w")) $("w").value = w;
  if (document.activeElement !== $("h")) $("h").value = h;
  slide($("ws"), w, S.hello.widths, "px wide"); slide($("hs"), h, S.hello.heights, "px high");
  for (const i of document.querySelectorAll(".track i")) i.style.left = across(w) + "%";
  for (const b of $("stops").children) b.setAttribute("aria-current", String(b.window[0] === w && b.window[1] === h));
  marks();
}
// Where the browser takes long to draw the page, it is given a new size only every other time it draws, or every third:
// the slider stays under the hand.
let want = null, loop = 0, idle = 0, every = 1, since = 9, mean = 16, last = 0, turns = 0;
function sized(w, h) {
  want = [w, h]; idle = 0;
  if (!loop) { last = 0; since = 9; loop = requestAnimationFrame(turn); }
}
function turn(now) {
  if (last) mean += (Math.min(now - last, 60) - mean) * 0.15;
  last = now;
  if (++turns % 10 === 0) every = mean > 18.5 ? Math.min(every + 1, 3) : every;
  if (want && ++since >= every) { resize(...want); want = null; since = 0; }
  if (idle++ < 30 || want) loop = requestAnimationFrame(turn);
  else { loop = 0; every = 1; }
}
function resize(w, h) {
  frame.style.width = w + "px"; frame.style.height = h + "px";
  frame.style.transform = `scale(${scale})`;
  pane.style.width = w * scale + "px"; pane.style.height = h * scale + "px";
}
const across = w => clamp((w - S.hello.widths[0]) / (S.hello.widths[1] - S.hello.widths[0]) * 100, 0, 100);

function slide(s, v, [lo, hi], unit) {
  s.firstElementChild.style.left = clamp((v - lo) / (hi - lo || 1) * 100, 0, 100) + "%";
  for (const [k, x] of [["valuemin", lo], ["valuemax", hi], ["valuenow", v], ["valuetext", `${v} ${unit}`]]) s.setAttribute("aria-" + k, x);
}
export function go(w, h = S.window[1]) {
  w = clamp(Math.round(w), 1, 16384); h = clamp(Math.round(h), 1, 16384);
  if (S.window && S.window[0] === w && S.window[1] === h) return;
  at([w, h]);
  fit();
}
function sliding(s, range, set) {
  const to = e => { const r = s.getBoundingClientRect(), [lo, hi] = range(); set(clamp(lo + (e.clientX - r.left) / r.width * (hi - lo), lo, hi)); };
  s.addEventListener("pointerdown", e => { to(e); drag(e, (x, y, f) => to(f), () => {}); });
  s.addEventListener("keydown", e => {
    const [lo, hi] = range(), now = +s.getAttribute("aria-valuenow"), by = e.shiftKey ? 10 : 1;
    const to = { ArrowRight: now + by, ArrowUp: now + by, ArrowLeft: now - by, ArrowDown: now - by, PageUp: now + 100, PageDown: now - 100, Home: lo, End: hi }[e.key];
    if (to === undefined) return;
    e.preventDefault(); set(clamp(to, lo, hi));
  });
}
sliding($("ws"), () => S.hello.widths, w => go(w));
sliding($("hs"), () => S.hello.heights, h => go(S.window[0], h));
for (const id of ["w", "h"]) $(id).addEventListener("change", () => go(+$("w").value || S.window[0], +$("h").value || S.window[1]));
$("wide").addEventListener("pointerdown", e => {
  const from = S.window[0], k = scale;
  held = scale;
  drag(e, x => go(clamp(from + x / k, ...S.hello.widths)), () => { held = null; fit(); });
});
$("tall").addEventListener("pointerdown", e => {
  const from = S.window[1], k = scale;
  held = scale;
  drag(e, (x, y) => go(S.window[0], clamp(from + y / k, ...S.hello.heights)), () => { held = null; fit(); });
});
new ResizeObserver(fit).observe(ground);

// The phone is always in sight.
const phoneWidth = () => { const v = phone(); return v ? Math.round(v.width * phoneScale()) : 0; };
const phoneScale = () => { const v = phone(); return Math.min(118 / v.width, (ground.clientHeight - 60) / v.height); };
function pocket() {
  const v = phone();
  $("phone").hidden = !v;
  if (!v) return;
  const k = phoneScale();
  small.style.width = v.width + "px"; small.style.height = v.height + "px"; small.style.transform = `scale(${k})`;
  small.parentElement.style.width = v.width * k + "px"; small.parentElement.style.height = v.height * k + "px";
  $("phone").lastElementChild.textContent = `${v.name} ${v.width} × ${v.height}`;
}
new ResizeObserver(() => S.hello && pocket()).observe(ground);

on("hello", h => {
  pocket();
  const last = {};
  $("stops").replaceChildren(...h.named.map(v => {
    const b = el("button", { textContent: v.name, title: `${v.name}: ${v.width} × ${v.height} px at density ${v.density}` +
      (v.share ? `, ${Math.round(v.share * 100)}% of visitors` : ""), onclick: () => go(v.width, v.height), style: { left: across(v.width) + "%" } });
    b.window = [v.width, v.height];
    return b;
  }));
  fit();
});
on("plan boxes", () => { if (S.hello) fit(); });

// Over the chosen box: it takes hold of the picture, and of text areas.
function marks() {
  const b = box(), r = b && rects[b.name], l = layer();
  if (!r || S.before) { over.replaceChildren(); return; }
  const d = l && l.landing;
  const can = d && l.position && (Math.abs(d.free[0]) > 0.5 || Math.abs(d.free[1]) > 0.5 || d.tiled[0] || d.tiled[1]);
  let e = over.firstElementChild;
  if (!e || e.name !== b.name) {
    e = el("div", { className: "box", tabIndex: -1 });
    e.name = b.name;
    e.addEventListener("pointerdown", pull);
    e.addEventListener("wheel", f => { say(frame, { wheel: [f.deltaX, f.deltaY] }); f.preventDefault(); }, { passive: false });
    over.replaceChildren(e);
  }
  e.classList.toggle("moves", Boolean(can));
  e.title = can ? "Drag: the picture's position" : d && l.position ? "The position moves nothing at this window: there is no room on either axis" : "";
  place(e, r.map(v => v * scale));
  // Texts, and where keep lies.
  const texts = b.texts.map((t, i) => {
    const x = e.querySelector(`[data-text="${i}"]`) || text(i);
    place(x, t.rect.map(v => v * scale));
    x.title = t.path ? "Drag: where text lies" : "Text as it was measured";
    return x;
  });
  let k = e.querySelector(".keep") || el("div", { className: "keep", title: "keep" });
  k.hidden = !(d && l.keep && !d.tiled[0] && !d.tiled[1]);
  if (!k.hidden) place(k, [d.origin[0] + l.keep.x * d.size[0], d.origin[1] + l.keep.y * d.size[1], l.keep.width * d.size[0], l.keep.height * d.size[1]].map(v => v * scale));
  if (e.childElementCount !== texts.length + 1 || !k.parentElement) e.replaceChildren(k, ...texts);
}
function place(e, [l, t, w, h]) { e.style.left = l + "px"; e.style.top = t + "px"; e.style.width = w + "px"; e.style.height = h + "px"; }

function pull(e) {
  const l = layer(), d = l && l.landing;
  if (!this.classList.contains("moves")) return;
  const it = this, from = structuredClone({ position: l.position, landing: d });
  let last = null;
  it.classList.add("held");
  drag(e, (x, y, f) => {
    last = [{ path: [...l.path, "position"], value: moved(from.position, from.landing, x / scale, y / scale, f.altKey) }];
    attempt(last);
  }, done => { it.classList.remove("held"); done && last ? keep(last) : drop(); });
}
function text(i) {
  const x = el("div", { className: "text", tabIndex: 0, role: "group", "aria-label": `text area ${i + 1}: arrow keys move it, with Shift size it` }), corner = el("b");
  x.addEventListener("keydown", e => { // a per cent of the box at a time
    const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key], b = box(), t = b.texts[i], r = rects[b.name];
    if (!step || !t || !t.path) return;
    e.preventDefault();
    keep(textMoved(t, step[0] * r[2] / 100, step[1] * r[3] / 100, r, e.shiftKey));
  });
  x.dataset.text = i;
  const hold = grows => e => {
    const b = box(), t = b.texts[i];
    if (!t || !t.path) return;
    const start = structuredClone(t), r = rects[b.name];
    let last = null;
    drag(e, (dx, dy) => {
      last = textMoved(start, dx / scale, dy / scale, r, grows);
      place(x, [start.rect[0] + (grows ? 0 : dx / scale), start.rect[1] + (grows ? 0 : dy / scale),
        start.rect[2] + (grows ? dx / scale : 0), start.rect[3] + (grows ? dy / scale : 0)].map(v => v * scale));
      attempt(last);
    }, done => done && last ? keep(last) : drop());
  };
  x.addEventListener("pointerdown", hold(false));
  corner.addEventListener("pointerdown", hold(true));
  x.append(corner);
  return x;
}
on("chosen", () => { over.replaceChildren(); marks(); for (const f of [frame, small]) say(f, { reveal: S.box }); });

// One band for each kind of finding of a box, over all widths.
const sum = f => (f.where || []).reduce((n, w) => n + w.widths.reduce((m, r) => m + r.to - r.from + 1, 0), 0);
on("found", draw);
function draw() {
  if (!S.found || !S.hello) return;
  const bands = new Map();
  for (const f of S.found.findings) {
    const id = (f.box || "the plan") + " " + f.check;
    if (!bands.has(id)) bands.set(id, []);
    bands.get(id).push(f);
  }
  const order = { error: 0, warning: 1, note: 2 };
  const list = [...bands].sort(([, a], [, b]) => order[a[0].level] - order[b[0].level] || sum(b[0]) - sum(a[0]));
  const chosen = S.finding && S.finding.id;
  $("bands").replaceChildren(...list.map(([id, fs]) => {
    const f = fs[0], track = el("span", { className: "track" });
    for (const x of fs) for (const w of x.where && x.where.length ? x.where : [{ widths: [{ from: S.hello.widths[0], to: S.hello.widths[1] }] }])
      for (const r of w.widths) track.append(el("span", { style: { left: across(r.from) + "%", width: Math.max(across(r.to + 1) - across(r.from), 0) + "%" } }));
    track.append(el("i", { style: { left: across(S.window[0]) + "%" } }));
    const b = el("button", { className: "band " + f.level, title: says(f), onclick: () => visit(id, fs) },
      el("span", { className: "name" }, el("b", { textContent: f.level }), " " + f.check + (f.box ? " · " + f.box : "")), track);
    b.setAttribute("aria-current", String(id === chosen));
    b.setAttribute("aria-label", `${f.level}, ${f.check}${f.box ? " of " + f.box : ""}: ${says(f)}`);
    b.dataset.check = f.check;
    return b;
  }));
  $("bands").classList.toggle("stale", S.plan !== null && S.found.rev < S.plan.rev && !S.plan.trial);
  $("bands").hidden = list.length === 0;
  if (chosen) { const f = bands.get(chosen); f ? tell(chosen, f) : ($("finding").textContent = "That is put right."); }
  else if (!list.length) $("finding").textContent = S.found.whole ? "check finds nothing at any width, height or density." : "Checking…";
  else if (!$("finding").dataset.said) $("finding").textContent = "A band shows the widths at which something goes wrong. Click one to go to its worst window.";
}
const says = f => f.message + (f.where && f.where.length ? ` (${f.where.map(w => w.says).join("; ")})` : "");
function tell(id, fs) {
  S.finding = { id };
  $("finding").dataset.said = "1";
  $("finding").replaceChildren(...fs.flatMap(f => [f.message + ". ", f.where && f.where.length ? el("em", { textContent: f.where.map(w => w.says).join("; ") + ". " }) : "",
    el("em", { textContent: "What to do: " }), f.remedy + ". "]));
}
function visit(id, fs) {
  tell(id, fs);
  const f = fs[0];
  if (f.box && S.boxes.some(b => b.name === f.box)) news("pick", f.box);
  const m = /^([\d.]+)x([\d.]+)@/.exec(f.worst || "");
  if (m) go(+m[1], +m[2]);
  if (f.box) setTimeout(() => say(frame, { reveal: f.box }), 150); // it has moved with the window
  draw();
}
