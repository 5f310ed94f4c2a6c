// The values of the chosen layer. Each control says its value in the plan's words, and where it changes anything.
import { S, on, news, ask, box, layer, el, attempt, keep, drop, round, clamp, drag } from "./talk.js";
import { position, colour, gradient, placesOf, repeat } from "./values.js";
import { sourceEditor } from "./source.js";

const panel = document.querySelector("#panel > div");
let built = "", parts = [], busy = false;

// What is built anew when another layer, or another form of a value, is shown.
function shapeOf(b, l) {
  return JSON.stringify([b.name, b.fixed, b.layers.map(x => [x.id, x.kind, x.name, x.shown]), l && [l.id, l.kind, l.size && [l.size.word, l.size.unit, l.size.tall],
    l.position && [l.position.x.end, l.position.y.end, l.position.x.unit, l.position.y.unit], l.picture && l.picture.source, !!l.keep, !!l.focus,
    l.gradient && l.gradient.stops.length, l.color && 1], b.texts.length]);
}

export function show() {
  const b = box(), l = layer();
  if (!b || !S.hello) return;
  const now = shapeOf(b, l);
  if (now !== built && !busy && !S.held) { // what a hand holds stays
    const place = document.activeElement && document.activeElement.dataset.place;
    built = now; parts = [];
    panel.replaceChildren(...build(b, l));
    const again = place && panel.querySelector(`[data-place="${place}"]`);
    if (again) again.focus();
  }
  for (const p of parts) p(b, l);
  if (now !== built) built = "";
}
on("plan boxes marks beaten", show);
on("chosen", () => { built = ""; show(); });

function build(b, l) {
  const out = [el("h2", { textContent: `Layers of ${b.name}, first is on top` })];
  const lost = el("p", { className: "legend lost", hidden: true, textContent: "On this page a rule of its own wins over the plan's for this box, so what you change here does not all show: tourmaline trace tells which, and css --into writes rules that win." });
  parts.push(b => { lost.hidden = !S.beaten.includes(b.name); });
  out.push(lost);
  if (b.fixed) out.push(el("p", { className: "legend", textContent: b.fixed + "." }));
  out.push(el("div", { className: "layers" }, ...b.layers.map(x => {
    const chip = el("i"), bt = el("button", { onclick: () => news("layer", x.id) }, chip,
      el("span", { textContent: x.name, title: x.name }), el("small", { textContent: x.when ? x.when : x.kind }));
    bt.classList.toggle("off", !x.shown);
    if (!x.shown) bt.title = "not shown at this window";
    bt.setAttribute("aria-current", String(l && x.id === l.id));
    parts.push(b => {
      const y = b.layers.find(z => z.id === x.id);
      if (!y) return;
      if (y.picture) chip.style.backgroundImage = `url("${address(y.picture.source)}")`;
      else if (y.gradient) chip.style.backgroundImage = gradient(y.gradient);
      else if (y.color) chip.style.background = colour(y.color.hex, y.color.alpha);
    });
    return bt;
  })));
  if (b.path) out.push(el("div", { className: "row" },
    b.layers.some(x => x.picture) ? el("button", { textContent: "Add a tint", title: "A see-through colour over the picture, on top of all layers", onclick: () => {
      keep([{ path: [...box().path, "layers", "+"], value: '{color: "rgb(0 0 0 / 30%)"}' }]);
      const id = box().layers[0].id.replace(/\d+$/, "1"), go = () => { if (box().layers[0].color) { news("layer", id); return true; } };
      const wait = setInterval(() => { if (go()) clearInterval(wait); }, 50);
      setTimeout(() => clearInterval(wait), 3000);
    } }) : null,
    el("button", { textContent: "Add a text area", onclick: () => {
      const area = '{area: {left: 10%, top: 20%, width: 50%, height: 30%}, color: white}', b = box();
      keep([b.texts.some(t => t.path) ? { path: [...b.path, "text", "+"], value: area } : { path: [...b.path, "text"], value: `[${area}]` }]);
    } })));
  if (!l) return out;
  if (l.picture) {
    out.push(el("h2", { textContent: l.kind === "texture" ? "The tile" : l.kind === "video" ? "The poster, in the video's place" : "The source: what must be seen, and what each viewport shows" }));
    if (l.picture.error) out.push(el("p", { className: "legend", textContent: l.picture.error }));
    else {
      const [e, update] = sourceEditor(l);
      out.push(e); parts.push(update);
    }
    out.push(el("h2", { textContent: "Placing" }));
    if (l.position) out.push(positionField());
    if (l.size) out.push(sizeField(l));
    if (l.kind !== "video") out.push(repeatField(), attachmentField());
  }
  if (l.gradient) out.push(gradientField(l));
  if (l.color) out.push(colorField());
  if (b.texts.length) {
    out.push(el("h2", { textContent: "Text areas: drag them in the box" }));
    b.texts.forEach((t, i) => out.push(textField(t, i)));
  }
  return out;
}
export const address = source => `made/sources/${S.plan ? S.plan.fresh : 0}/${encodeURIComponent(encodeURIComponent(source))}`;

// The frame of a field: label, what is written, Settle, and where another value would show.
function field(key, label, ...rows) {
  const code = el("code"), where = el("div", { className: "changes" }), settle = el("button", { className: "settle", textContent: "Settle this" });
  const seen = l => l.keys[key];
  settle.onclick = () => ask("settle", { layer: layer().id, key });
  parts.push((b, l) => {
    const v = l && seen(l);
    if (!v) return;
    code.textContent = code.title = v.text + (v.written ? "" : "  (not written)");
    settle.disabled = Boolean(S.plan.busy) || Boolean(S.plan.problem);
    settle.textContent = S.plan.busy === `${b.name}: ${key}` ? "Settling…" : v.open ? "Settle again" : "Settle this";
    const all = S.hello.named.map(n => n.name);
    where.textContent = v.changes.length === 0 ? "changes nothing at the named viewports" :
      v.changes.length === all.length ? "changes all named viewports" : "changes " + v.changes.join(", ");
  });
  const can = key === "position" ? ["image", "video"].includes(layer().kind) : key === "size" ? layer().size.unit === "px" && !layer().size.tall : key !== "attachment";
  return el("div", { className: "field", role: "group", "aria-label": label }, el("div", { className: "top" }, el("span", { className: "label", textContent: label }), code, can ? settle : null), ...rows, where);
}
const put = (key, value) => [{ path: [...layer().path, key], value }];

// A slider: its value is tried while it moves, and kept when it is let go.
function slider(place, name, min, max, step, value, changes, marks) {
  const input = el("input", { type: "range", min, max, step }), number = el("input", { type: "number", step, min, max });
  input.setAttribute("aria-label", name); number.setAttribute("aria-label", name + ", as a number");
  input.dataset.place = place; number.dataset.place = place + "#";
  let held = false;
  input.addEventListener("input", () => { held = busy = true; number.value = input.value; attempt(changes(+input.value)); });
  input.addEventListener("change", () => { held = busy = false; keep(changes(+input.value)); });
  number.addEventListener("change", () => { if (number.value !== "") keep(changes(+number.value)); });
  const strip = marks && el("canvas", { width: 101, height: 1, title: "Dark: windows that this value fails in" });
  parts.push((b, l) => {
    if (!l) return;
    const v = value(l, b);
    if (!held && v !== null) {
      if (v > +input.max) input.max = v;
      if (v < +input.min) input.min = v;
      input.value = v;
      if (document.activeElement !== number) number.value = round(v, 2);
    }
    if (strip) { const m = marks(); strip.hidden = !m; if (m) paint(strip, m); }
  });
  return [el("span", { className: "track2" }, input, strip || ""), number];
}
// Where a value fails: the more windows, the stronger; clear where it fails in none.
function paint(strip, shares) {
  const c = strip.getContext("2d"), red = getComputedStyle(document.documentElement).getPropertyValue("--error"), green = getComputedStyle(document.documentElement).getPropertyValue("--green");
  c.clearRect(0, 0, 101, 1);
  shares.forEach((v, i) => { c.globalAlpha = v > 0 ? 0.25 + 0.75 * v : 1; c.fillStyle = v > 0 ? red : green; c.fillRect(i, 0, 1, 1); });
}
const myMarks = () => { const l = layer(); return S.marks && l && S.marks.layer === l.id ? S.marks : null; };

function positionField() {
  const rows = [];
  for (const [i, k] of ["x", "y"].entries()) {
    const l = layer(), e = l.position[k];
    const free = l => l.landing ? l.landing.free[i] : 0;
    const with_ = (l, v) => { const p = structuredClone(l.position); p[k] = { ...p[k], value: v }; for (const q of ["x", "y"]) if (!p[q].unit) p[q] = { value: 50, unit: "%" }; return put("position", position(p)); };
    const px = e.unit !== "%";
    const [track, number] = slider("position-" + k, i ? "position down" : "position across", px ? -400 : 0, px ? 400 : 100, 1, l => l.position[k].value,
      v => with_(layer(), v), px ? null : () => { const m = myMarks(); return m && m.moves && m.moves[i] ? m[k] : null; });
    const from = el("select", { "aria-label": i ? "from which edge" : "from which edge", onchange: () => {
      // The picture stays where it is: its offset is told from another edge, or in another unit.
      const l = layer(), [end, unit] = from.value.split(" "), d = l.landing, p = structuredClone(l.position);
      const at = d ? d.origin[i] - d.area[i] : 0, f = free(l);
      p[k] = unit === "%" ? { end: end === "end", value: round(Math.abs(f) > 0.5 ? clamp((end === "end" ? f - at : at) / f * 100, 0, 100) : 50), unit } :
        { end: end === "end", value: round(end === "end" ? f - at : at), unit };
      for (const q of ["x", "y"]) if (!p[q].unit) p[q] = { value: 50, unit: "%" };
      keep(put("position", position(p)));
    } }, ...[["start %", i ? "% from top" : "% from left"], ["end %", i ? "% from bottom" : "% from right"], ["start px", i ? "px from top" : "px from left"], ["end px", i ? "px from bottom" : "px from right"]]
      .map(([value, textContent]) => el("option", { value, textContent })));
    parts.push((b, l) => { if (l && l.position) from.value = (l.position[k].end ? "end " : "start ") + (l.position[k].unit === "%" ? "%" : "px"); });
    rows.push(el("div", { className: "row" }, el("span", { className: "axis", textContent: i ? "y" : "x" }), track, number, from));
  }
  const hint = el("div", { className: "changes" });
  parts.push((b, l) => {
    if (!l || !l.position) return;
    const m = myMarks(), d = l.landing;
    const still = d ? ["x", "y"].filter((k, i) => Math.abs(d.free[i]) < 0.5) : [];
    hint.textContent = [still.length ? `at this window ${still.join(" and ")} ${still.length > 1 ? "move" : "moves"} nothing` : "",
      m && m.x && l.keep ? worst(m) : ""].filter(Boolean).join("; ");
  });
  return field("position", "position", ...rows, hint);
}
// In words, what the marks show.
function worst(m) {
  const span = a => {
    const ok = a.map((v, i) => v === 0 ? i : -1).filter(i => i >= 0);
    return ok.length === 0 ? "no value" : ok.length === 101 ? "any" : `${ok[0]}% to ${ok[ok.length - 1]}%`;
  };
  return `keep is in view in every window with ${span(m.x)} across, ${span(m.y)} down`;
}

function sizeField(l) {
  const video = l.kind === "video", words = ["cover", "contain", video ? "100% 100%" : "auto"], forms = video ? {} : { "width px": "a width in px", "width %": "a width in %", "height px": "a height in px" };
  const own = l.size.word && !words.includes(l.size.word) ? l.size.word : "";
  const formOf = z => (z.tall ? "height " : "width ") + z.unit, write = z => z.tall ? "auto " + z.value + z.unit : z.value + z.unit;
  const choice = el("select", { "aria-label": "size", onchange: () => {
    const d = layer().landing, v = choice.value;
    keep(put("size", v === "width px" ? Math.round(d ? d.size[0] : 200) + "px" : v === "height px" ? "auto " + Math.round(d ? d.size[1] : 200) + "px" :
      v === "width %" ? round(d ? d.size[0] / d.area[2] * 100 : 100) + "%" : v));
  } }, ...words.map(w => el("option", { value: w, textContent: w })), ...Object.entries(forms).map(([value, textContent]) => el("option", { value, textContent })),
    own ? el("option", { value: own, textContent: own }) : null, !l.size.word && !forms[formOf(l.size)] ? el("option", { value: formOf(l.size), textContent: "in " + l.size.unit }) : null);
  choice.dataset.place = "size";
  parts.push((b, l) => { if (l && l.size) choice.value = l.size.word || formOf(l.size); });
  const rows = [el("div", { className: "row" }, choice)];
  if (!l.size.word) {
    const natural = l.size.tall ? l.picture.height : l.picture.width;
    const [track, number] = slider("size-value", "size: " + (l.size.tall ? "height" : "width"), 1, l.size.unit === "px" ? Math.max(2 * (natural || 400), 400) : 200, 1, l => l.size && l.size.value || 0,
      v => put("size", write({ ...layer().size, value: v })), null);
    rows[0].append(track, number, l.size.unit);
  }
  const told = el("div", { className: "changes" });
  parts.push((b, l) => {
    if (!l || !l.landing) { told.textContent = ""; return; }
    const d = l.landing, n = v => round(v, 1);
    told.textContent = `here ${n(d.size[0])} × ${n(d.size[1])} px` + (d.sharp ? `; ${round(d.sharp, 2)} picture px per device px at density 1` : "");
  });
  return field("size", "size", ...rows, told);
}
function repeatField() {
  const make = i => {
    const s = el("select", { "aria-label": i ? "repeat down" : "repeat across", onchange: () => { const v = [...layer().repeat]; v[i] = s.value; keep(put("repeat", repeat(...v))); } },
      ...["no-repeat", "repeat", "space", "round"].map(v => el("option", { value: v, textContent: v })));
    s.dataset.place = "repeat" + i;
    parts.push((b, l) => { if (l) s.value = l.repeat[i]; });
    return s;
  };
  return field("repeat", "repeat", el("div", { className: "row" }, el("span", { className: "axis", textContent: "x" }), make(0), el("span", { className: "axis", textContent: "y" }), make(1)));
}
function attachmentField() {
  const s = el("select", { "aria-label": "attachment", onchange: () => keep(put("attachment", s.value)) }, ...["scroll", "fixed", "local"].map(v => el("option", { value: v, textContent: v })));
  s.dataset.place = "attachment";
  parts.push((b, l) => { if (l && l.keys.attachment) s.value = l.keys.attachment.text; });
  return field("attachment", "attachment", el("div", { className: "row" }, s));
}

// A colour field that tries while it is moved.
function colourInput(name, get, set) {
  const c = el("input", { type: "color", "aria-label": name, oninput: () => { busy = true; attempt(set(c.value)); }, onchange: () => { busy = false; keep(set(c.value)); } });
  parts.push((b, l) => { const v = l && get(l, b); if (v && !busy) c.value = v; });
  return c;
}
function colorField() {
  const write = (hex, alpha) => put("color", colour(hex, alpha));
  const [track, number] = slider("strength", "strength", 0, 100, 1, l => l.color ? round(l.color.alpha * 100) : null, v => write(layer().color.hex, v / 100), () => {
    const m = myMarks();
    return m && m.least !== undefined ? Array.from({ length: 101 }, (_, i) => i < m.least ? 1 : 0) : null;
  });
  const told = el("div", { className: "changes" }), picks = el("div", { className: "picks" });
  let last = "";
  parts.push((b, l) => {
    const m = myMarks();
    told.textContent = m && m.least !== undefined && b.texts.length ? m.least > 100 ? "no strength of this colour lets all texts be read" :
      m.least === 0 ? "the texts can be read without it" : `the texts can be read from ${m.least}% on` : "";
    const list = m && m.picks || [];
    if (JSON.stringify(list) === last) return;
    last = JSON.stringify(list);
    picks.replaceChildren(...(list.length ? ["pick from the picture "] : []), ...list.map(p => el("button", { title: `${p.colour || p.hex}: ${Math.round(p.share * 100)}% of the picture`, "aria-label": "use " + (p.colour || p.hex),
      style: { background: p.colour || p.hex }, onclick: () => keep(write(p.colour || p.hex, layer().color.alpha)) })));
  });
  return field("color", "color", el("div", { className: "row" }, colourInput("colour", l => l.color && l.color.hex, hex => write(hex, layer().color.alpha)), track, number, "%"), told, picks);
}

function gradientField(l) {
  const ramp = el("div", { className: "ramp" });
  let at = 0;
  const write = g => put("gradient", gradient(g));
  const rows = [ramp], copy = () => structuredClone(layer().gradient);
  const knobs = l.gradient.stops.map((s, i) => s.text === "" ? null : el("button", { "aria-label": `stop ${i + 1}`, onclick: () => { at = i; built = ""; show(); },
    onkeydown: e => {
      const by = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
      if (!by) return;
      const g = copy(), v = clamp(round(placesOf(g)[i] + by), 0, 100);
      g.stops[i].at = v + "%"; g.stops[i].per = v; keep(write(g));
    },
    onpointerdown: e => {
      at = i;
      const from = placesOf(copy())[i], w = ramp.clientWidth, g = copy();
      let last = null;
      drag(e, x => { const v = round(clamp(from + x / w * 100, 0, 100)); g.stops[i].at = v + "%"; g.stops[i].per = v; busy = true; attempt(last = write(g)); },
        done => { busy = false; done && last ? keep(last) : drop(); });
    } }));
  knobs.forEach((k, i) => k && (k.dataset.place = "stop" + i));
  ramp.append(...knobs.filter(Boolean));
  parts.push((b, l) => {
    if (!l || !l.gradient) return;
    const g = l.gradient, p = placesOf(g);
    ramp.style.background = `linear-gradient(to right, ${g.stops.filter(s => s.text).map(s => s.text + " " + p[g.stops.indexOf(s)] + "%").join(", ")}), repeating-conic-gradient(#bbb 0 25%, #eee 0 50%) 0 0 / 10px 10px`;
    knobs.forEach((k, i) => { if (k) { k.style.left = p[i] + "%"; k.style.background = g.stops[i].hex; k.setAttribute("aria-current", String(i === at)); k.title = `${g.stops[i].text} at ${round(p[i], 1)}%`; } });
  });
  if (l.gradient.angle !== null) {
    const [track, number] = slider("angle", "angle", 0, 360, 1, l => l.gradient ? l.gradient.angle : null, v => { const g = copy(); g.angle = v; return write(g); }, null);
    rows.push(el("div", { className: "row" }, el("span", { textContent: "angle" }), track, number, "°"));
  }
  l.gradient.stops.forEach((s, i) => {
    if (s.text === "") return;
    const set = f => { const g = copy(); f(g.stops[i]); return write(g); };
    const of = l => l.gradient && l.gradient.stops[i];
    const [track, number] = slider("alpha" + i, `strength of stop ${i + 1}`, 0, 100, 1, l => of(l) ? round(of(l).alpha * 100) : null, v => set(t => t.text = colour(t.hex, v / 100)), null);
    rows.push(el("div", { className: "row" }, colourInput(`colour of stop ${i + 1}`, l => of(l) && of(l).hex, hex => set(t => t.text = colour(hex, t.alpha))), track, number, "%"));
  });
  rows.push(el("div", { className: "row" },
    el("button", { textContent: "Swap ends", onclick: () => {
      const g = copy(), c = g.stops.filter(s => s.text), a = c[0].text;
      c[0].text = c[c.length - 1].text; c[c.length - 1].text = a;
      keep(write(g));
    } }), el("button", { textContent: "Reverse", onclick: () => keep(put("gradient", layer().gradient.reversed)) })));
  return field("gradient", "gradient", ...rows);
}

function textField(t, i) {
  const code = el("code"), c = t.path ? colourInput(`colour of text ${i + 1}`, (l, b) => b.texts[i] && b.texts[i].color.hex, hex => [{ path: [...box().texts[i].path, "color"], value: hex }]) : null;
  parts.push(b => {
    const x = b.texts[i];
    if (x) code.textContent = code.title = ["left", "right", "top", "bottom", "width", "height"].filter(k => x.edges[k]).map(k => `${k}: ${x.edges[k]}`).join(", ") + ` · needs ${x.needs}`;
  });
  return el("div", { className: "field" }, el("div", { className: "top" }, el("span", { className: "label", textContent: t.sample ? "“" + t.sample.slice(0, 24) + (t.sample.length > 24 ? "…" : "") + "”" : `text ${i + 1}` }), code),
    el("div", { className: "row" }, c || "measured: it moves with the page"));
}
