// Values as the plan writes them, from what hands do.
import { round, clamp } from "./talk.js";

const edge = (e, start, end, named) => (e.end ? end + " " : named ? start + " " : "") + e.value + e.unit;
export const position = p => edge(p.x, "left", "right", p.x.end || p.y.end) + " " + edge(p.y, "top", "bottom", p.x.end || p.y.end);

// A position whose picture was pulled by dx, dy CSS px: in whole per cents where there is room to share out, in px for
// tiles; fine is a tenth.
export function moved(p, d, dx, dy, fine) {
  const axis = (e, i, by) => {
    const free = d.free[i], n = fine ? 1 : 0;
    if (d.tiled[i] || e.unit === "px") {
      const now = e.unit === "px" ? e.value : d.origin[i] - d.area[i];
      return { end: e.unit === "px" && e.end, value: round(e.unit === "px" && e.end ? now - by : now + by, n), unit: "px" };
    }
    if (Math.abs(free) < 0.5) return e.unit ? e : { value: 50, unit: "%" };
    const at = (d.origin[i] - d.area[i] + by) / free * 100;
    return { value: round(clamp(at, 0, 100), n), unit: "%" };
  };
  return position({ x: axis(p.x, 0, dx), y: axis(p.y, 1, dy) });
}

// The lengths of a text area that was moved, or grown at its end, in a box of a size.
export function textMoved(t, dx, dy, [, , w, h], grows) {
  const out = [], put = (key, by, of) => {
    if (!(key in t.edges)) return false;
    const m = /^(-?[\d.]+)(px|%)?$/.exec(t.edges[key]);
    const value = m && m[2] === "px" ? round(+m[1] + by) + "px" : m && m[2] === "%" ? round(+m[1] + by / of * 100, 1) + "%" : null;
    if (value) out.push({ path: [...t.path, "area", key], value });
    return true;
  };
  if (grows) {
    put("width", dx, w) || put("right", -dx, w);
    put("height", dy, h) || put("bottom", -dy, h);
  } else {
    put("left", dx, w); put("right", -dx, w);
    put("top", dy, h); put("bottom", -dy, h);
  }
  return out;
}

const two = n => n.toString(16).padStart(2, "0");
export function colour(hex, alpha) {
  if (alpha >= 1) return hex;
  const [r, g, b] = [1, 3, 5].map(i => parseInt(hex.slice(i, i + 2), 16));
  return `rgb(${r} ${g} ${b} / ${Math.round(alpha * 100)}%)`;
}
export const hexOf = ([r, g, b]) => "#" + two(r) + two(g) + two(b);

// A gradient in its parts, written.
export function gradient(g) {
  const turn = g.angle === null ? g.conf : [g.name.includes("conic") ? "from " + g.angle + "deg" : g.angle + "deg", g.rest].filter(Boolean).join(" ");
  const stops = g.stops.map(s => (s.text + " " + s.at).trim());
  return `${g.name}(${[turn, ...stops].filter(Boolean).join(", ")})`;
}
// Where stops without a place lie, in per cent.
export function placesOf(g) {
  const at = g.stops.map(s => s.per);
  if (at[0] === null) at[0] = 0;
  if (at[at.length - 1] === null) at[at.length - 1] = 100;
  for (let i = 1; i < at.length; i++) if (at[i] === null) {
    let k = i; while (at[k] === null) k++;
    for (let n = i; n < k; n++) at[n] = at[i - 1] + (at[k] - at[i - 1]) * (n - i + 1) / (k - i + 1);
  }
  return at;
}
export const repeat = (x, y) => x === y ? x : x === "repeat" && y === "no-repeat" ? "repeat-x" : x === "no-repeat" && y === "repeat" ? "repeat-y" : x + " " + y;
