// A pane is a frame with the designer's page, and speaks with the agent in it.
"use strict";
const pause = ms => new Promise(done => setTimeout(done, ms));

class Pane {
  constructor(into) { this.into = into; this.waiting = new Map(); this.last = 0; addEventListener("message", e => this.hear(e)); }

  // A new frame of a size shows a page; it is there once its agent has spoken.
  async open(page, w) {
    if (this.frame) this.frame.remove();
    this.births = []; this.gone = ""; this.page = new URL(page); this.waiting.clear();
    this.frame = document.createElement("iframe");
    // Pages that break out of frames, or ask, cannot.
    this.frame.sandbox = "allow-same-origin allow-scripts allow-forms";
    this.size(w);
    this.into.append(this.frame);
    this.frame.offsetWidth; // it has its size before it has a page: media queries are asked at once
    let over = 0;
    this.frame.addEventListener("load", () => over ||= Date.now());
    this.frame.src = page;
    for (const from = Date.now(); this.births.length === 0;) {
      if (over && Date.now() - over > 2000) throw new Error("the page does not answer: it refuses scripts (a " +
        "Content-Security-Policy in its text), or is no HTML");
      if (Date.now() - from > 60000) throw new Error("the page has not begun to show in a minute");
      await pause(20);
    }
    // Each load is of a document that has spoken.
    let loads = over ? 1 : 0;
    const frame = this.frame;
    frame.addEventListener("load", () => { loads++; setTimeout(() => {
      if (frame === this.frame && this.births.length < loads) this.fail("the page goes elsewhere by itself, to another server or to what is no page");
    }, 1500) });
  }

  size(w) { this.frame.style.width = w.width + "px"; this.frame.style.height = w.height + "px";
    this.frame.style.marginTop = -(this.top || 0) + "px"; }

  hear(e) {
    if (!this.frame || e.source !== this.frame.contentWindow || e.origin !== this.page.origin || !e.data.tourmaline) return;
    const said = e.data.tourmaline;
    if (said.born) {
      this.births.push(said.born);
      const asked = this.page.pathname + this.page.search;
      if (said.born !== asked) this.fail("the page goes elsewhere by itself, to " + said.born + ": name that one");
      else if (this.births.length > 3) this.fail("the page loads itself again and again");
      else if (this.births.length > 1) for (const w of this.waiting.values()) w.again();
      return;
    }
    const w = this.waiting.get(said.id);
    if (!w) return;
    this.waiting.delete(said.id);
    said.error ? w.fail(new Error(said.error)) : w.done(said.value);
  }

  fail(why) { this.gone = why; for (const w of this.waiting.values()) w.fail(new Error(why)); this.waiting.clear(); }

  // Asks the agent, within a time.
  call(q, limit = 60000) {
    if (this.gone) return Promise.reject(new Error(this.gone));
    const id = ++this.last, send = () => this.frame.contentWindow.postMessage({ ...q, id }, this.page.origin);
    return new Promise((done, fail) => {
      const timer = setTimeout(() => { this.waiting.delete(id); fail(new Error("the page stopped to answer: it went elsewhere, or hangs")); }, limit);
      this.waiting.set(id, { done: v => { clearTimeout(timer); done(v); }, fail: e => { clearTimeout(timer); fail(e); }, again: send });
      send();
    });
  }
}
