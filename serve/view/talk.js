// What this page knows, and its talk with the program. Others listen to kinds of news.
const listeners = {};
export const S = { hello: null, plan: null, boxes: [], found: null, marks: null, window: null, box: "", layer: "", beaten: [], before: false, modes: new Set(), held: false, seq: 0, done: 0 };

export const on = (kinds, f) => { for (const k of kinds.split(" ")) (listeners[k] ||= []).push(f); };
export const news = (kind, what) => { for (const f of listeners[kind] || []) f(what); };

let socket = null, waiting = null, sent = 0, atWaits = null, atFlies = false;
const say = what => { if (socket && socket.readyState === 1) socket.send(JSON.stringify(what)); };

export function begin() {
  socket = new WebSocket(new URL("talk", location.href).href.replace(/^http/, "ws"));
  socket.onmessage = e => hear(JSON.parse(e.data));
  socket.onclose = () => news("gone");
}

function hear(m) {
  if (m.is === "plan") {
    if (S.plan && m.rev < S.plan.rev) return; // a stale answer never overwrites a newer one
    S.plan = m; S.done = m.seq;
    if (!S.window) S.window = m.window;
    if (same(m.window, S.window)) S.boxes = m.boxes;
    flush();
  } else if (m.is === "boxes") {
    atFlies = false;
    if (atWaits) at(atWaits);
    if (S.plan && m.rev < S.plan.rev || !same(m.window, S.window)) return;
    S.boxes = m.boxes;
  } else if (m.is === "found") {
    if (S.found && m.rev < S.found.rev) return;
    S.found = m;
  } else if (m.is === "hello") S.hello = m;
  else if (m.is === "marks") { if (m.layer !== S.layer) return; S.marks = m; }
  news(m.is, m);
}
const same = (a, b) => a && b && a[0] === b[0] && a[1] === b[1];

// Values of a drag: one is on its way at a time, and the newest follows it.
export function attempt(changes) {
  waiting = { op: "try", changes };
  if (sent <= S.done) flush();
}
function flush() {
  if (!waiting || sent > S.done) return;
  const what = waiting;
  waiting = null;
  sent = ++S.seq;
  say({ ...what, seq: sent, outline: S.plan.outline });
}
export function keep(changes) { waiting = null; sent = ++S.seq; say({ op: "keep", changes, seq: sent, outline: S.plan.outline }); }
export function drop() { waiting = null; say({ op: "drop" }); }
export const ask = (op, more = {}) => say({ op, ...more });

// The window of this page. While it is dragged figures follow a dozen times a second: the browser has enough to draw.
let asked = 0, timer = 0;
export function at(w) {
  S.window = w;
  const wait = 80 - (performance.now() - asked);
  if (atFlies || wait > 0) {
    atWaits = w;
    if (!atFlies && !timer) timer = setTimeout(() => { timer = 0; if (atWaits) at(atWaits); }, wait);
    return;
  }
  atWaits = null; atFlies = true; asked = performance.now();
  say({ op: "at", window: w, modes: [...S.modes] });
}

export const box = () => S.boxes.find(b => b.name === S.box) || S.boxes[0];
export const layer = () => { const b = box(); return b && (b.layers.find(l => l.id === S.layer) || b.layers[0]); };

// A small maker of elements.
export function el(tag, props = {}, ...kids) {
  const e = document.createElement(tag);
  for (const [k, v] of Object.entries(props)) {
    if (k === "style") Object.assign(e.style, v);
    else if (k.startsWith("on")) e.addEventListener(k.slice(2), v);
    else if (k in e && k !== "list") e[k] = v;
    else e.setAttribute(k, v);
  }
  e.append(...kids.filter(k => k !== null && k !== undefined));
  return e;
}

// Follows a pointer from where it was pressed: moved is called with the way it went, ended once.
export function drag(e, moved, ended) {
  const to = e.currentTarget, x = e.clientX, y = e.clientY;
  if (e.button !== 0) return;
  e.preventDefault(); e.stopPropagation();
  to.setPointerCapture(e.pointerId);
  to.focus({ preventScroll: true });
  const over = new AbortController();
  let gone = false;
  S.held = true;
  to.addEventListener("pointermove", f => {
    gone ||= Math.abs(f.clientX - x) + Math.abs(f.clientY - y) > 1;
    if (gone) moved(f.clientX - x, f.clientY - y, f);
  }, over);
  const end = f => { over.abort(); S.held = false; ended(gone && f.type === "pointerup", f); };
  for (const kind of ["pointerup", "pointercancel"]) to.addEventListener(kind, end, over);
}
export const clamp = (v, lo, hi) => Math.min(Math.max(v, lo), hi);
export const round = (v, n = 0) => { const k = 10 ** n; return Math.round(v * k) / k; };
