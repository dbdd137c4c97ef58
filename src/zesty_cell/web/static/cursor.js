// One moment read on all traces at once: by mouse, by touch, by arrow keys.
// What is read comes in words with the page, in the units of who reads.
export class Cursor {
  constructor() {
    this.refresh();
    document.addEventListener("pointermove", (event) => this.point(event));
    document.addEventListener("pointerdown", (event) => this.point(event));
    document.addEventListener("keydown", (event) => this.key(event));
    document.addEventListener("focusin", (event) => {
      if (event.target.id === "traces" && this.at === null && this.data) this.show(this.indexAt(this.data.landing_s));
    });
  }

  refresh() {
    const block = document.getElementById("cursor-data");
    this.data = block ? JSON.parse(block.textContent) : null;
    this.at = null;
  }

  indexAt(seconds) {
    const { t } = this.data;
    return Math.max(0, Math.min(t.length - 1, Math.round((seconds / t[t.length - 1]) * (t.length - 1))));
  }

  point(event) {
    const svg = event.target.closest?.("#traces svg[data-left]");
    if (!svg || !this.data) return;
    const box = svg.getBoundingClientRect();
    const { left, right, width } = svg.dataset;
    const x = ((event.clientX - box.left) / box.width) * Number(width);
    const share = (x - Number(left)) / (Number(right) - Number(left));
    this.show(this.indexAt(Math.max(0, Math.min(1, share)) * this.data.end_s));
  }

  key(event) {
    if (event.target.id !== "traces" || !this.data) return;
    const last = this.data.t.length - 1;
    const now = this.at ?? this.indexAt(this.data.landing_s);
    const far = event.shiftKey ? 15 : 1;
    const to = { ArrowLeft: now - far, ArrowDown: now - far, ArrowRight: now + far, ArrowUp: now + far,
      PageDown: now - 15, PageUp: now + 15, Home: 0, End: last }[event.key];
    if (to === undefined) return;
    event.preventDefault();
    this.show(Math.max(0, Math.min(last, to)));
  }

  show(k) {
    const d = this.data;
    this.at = k;
    const traces = document.getElementById("traces");
    for (const svg of traces.querySelectorAll("svg[data-left]")) {
      const { left, right } = svg.dataset;
      const x = Number(left) + (d.t[k] / d.end_s) * (Number(right) - Number(left));
      const line = svg.querySelector(".cursor-line");
      line.setAttribute("x1", x);
      line.setAttribute("x2", x);
    }
    traces.classList.add("reading");
    const text = d.said[k];
    document.getElementById("readout").textContent = text;
    traces.setAttribute("aria-valuenow", Math.round(d.t[k]));
    traces.setAttribute("aria-valuetext", text);
    // The drawn pack empties with the moment read.
    for (let s = 0; s < 10; s += 1) {
      const full = s < d.left[k] * 10 - 0.5;
      for (const part of document.querySelectorAll(`#pack-picture .seg-${s}`)) {
        part.classList.toggle("wheel-full", full);
        part.classList.toggle("wheel-spent", !full);
      }
    }
  }
}
