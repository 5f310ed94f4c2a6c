// The live page: what is chosen, keys, and what is told in words.
import { S, on, news, begin, ask, box, el } from "./talk.js";
import { go, dress } from "./stage.js";
import "./panel.js";

const $ = id => document.getElementById(id);
let notes = 0;

on("hello", h => {
  $("site").textContent = h.site;
  $("file").textContent = h.page ? `${h.file} in ${h.page}` : h.file;
  document.title = `${h.site}: ${h.file}`;
});
on("plan", p => {
  const b = S.box ? box() : S.boxes.find(b => b.selector !== "body" && b.layers.some(l => ["image", "video"].includes(l.kind))) || box();
  if (b && b.name !== S.box) choose(b.name);
  else if (b && !b.layers.some(l => l.id === S.layer)) choose(b.name, true);
  tabs();
  $("undo").disabled = p.undo === 0; $("redo").disabled = p.redo === 0;
  $("cut").setAttribute("aria-pressed", String(p.cut));
  $("trouble").hidden = !p.problem;
  $("trouble").textContent = p.problem ? `The file as it is cannot be used, so the last good one is shown: ${p.problem}` : "";
  clash(p.clash);
  status();
});
on("found", () => { tabs(); status(); });
on("note", m => { notes = Date.now(); $("state").textContent = m.text; $("state").title = m.text; setTimeout(status, 8000); });
on("gone", () => { $("trouble").hidden = false; $("trouble").textContent = "tourmaline has ended. What was dragged is in the file; start tourmaline view again and open the address that it prints."; });

function status() {
  const p = S.plan;
  if (!p || Date.now() - notes < 7500) return;
  $("state").textContent = p.busy ? (p.busy === "the files" ? "Cutting files…" : `Settling ${p.busy}…`) : p.unsaved ? "Not saved" : p.trial ? "" : p.cut && !p.made ? "Sources shown" : "Saved";
}
function tabs() {
  const count = name => S.found ? S.found.findings.filter(f => f.box === name).length : 0;
  const now = S.boxes.map(b => b.name + count(b.name) + (b.name === S.box)).join();
  if ($("boxes").dataset.now === now) return;
  $("boxes").dataset.now = now;
  $("boxes").replaceChildren(...S.boxes.map(b => {
    const n = count(b.name), e = el("button", { onclick: () => choose(b.name) }, b.name);
    if (n) e.append(el("span", { className: "n", textContent: n, title: n === 1 ? "1 finding" : n + " findings" }));
    e.setAttribute("aria-current", String(b.name === S.box));
    return e;
  }));
}
// The layer that is most worth a look: the picture, else the first.
function first(b) { return b.layers.find(l => l.picture && l.shown) || b.layers.find(l => l.shown) || b.layers[0]; }
function choose(name, again) {
  if (name === S.box && !again) return;
  S.box = name;
  pick(box() && first(box()) ? first(box()).id : "");
  tabs();
}
function pick(id) {
  S.layer = id; S.marks = null;
  ask("choose", { layer: id });
  news("chosen");
}
on("pick", name => choose(name));
on("layer", pick);

function clash(c) {
  $("clash").hidden = !c;
  if (!c || $("clash").dataset.now === JSON.stringify(c)) return;
  $("clash").dataset.now = JSON.stringify(c);
  $("clash").replaceChildren(`While you held it, ${c.path} was changed in the file. Yours: `, el("code", { textContent: c.mine }), el("button", { textContent: "Use mine", onclick: () => ask("mine") }),
    " In the file: ", el("code", { textContent: c.theirs }), el("button", { textContent: "Use the file's", onclick: () => ask("theirs") }));
  $("clash").querySelector("button").focus();
}

function before(is) {
  if (S.before === is) return;
  S.before = is;
  $("before").setAttribute("aria-pressed", String(is));
  dress();
  news("boxes");
}
$("undo").onclick = () => ask("undo");
$("redo").onclick = () => ask("redo");
$("before").onclick = () => before(!S.before);
$("cut").onclick = () => ask("cut", { on: !S.plan.cut });

function key(e) {
  const z = (e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "z";
  if (z) { e.preventDefault && e.preventDefault(); ask(e.shiftKey ? "redo" : "undo"); return; }
  if (e.ctrlKey || e.metaKey || e.altKey || !S.hello) return;
  if (e.key === "b") before(true);
  const stops = [...S.hello.named].sort((a, b) => a.width - b.width), by = { "[": -1, "]": 1 }[e.key];
  if (by) {
    const next = by > 0 ? stops.find(v => v.width > S.window[0]) : stops.filter(v => v.width < S.window[0]).pop();
    if (next) go(next.width, next.height);
  }
}
addEventListener("keydown", e => { if (!/^(INPUT|SELECT|TEXTAREA)$/.test(e.target.tagName) || e.target.type === "range") key(e); });
addEventListener("keyup", e => { if (e.key === "b") before(false); });
on("key", key);
begin();
