// The search page: waits for a search that runs, and turns a drag over the picture into a filter.
import { morphLive, parse } from "./morph.js";

const AGAIN_MS = 400;

export const search = (Alpine) => () => ({
  init() {
    this.address = window.location.pathname + window.location.search;
    if (this.$el.dataset.running === "yes") this.wait();
    this.listen();
    // Another question begins without the brush that narrowed this one.
    document.getElementById("ask").addEventListener("input", () => this.brush(["", "", "", ""]));
    this.$el.addEventListener("click", (event) => {
      if (event.target.closest("[data-clear-brush]")) this.keep(["", "", "", ""]);
    });
  },

  wait() {
    setTimeout(async () => {
      try {
        const answer = await this.fetch(this.address);
        const fresh = answer.querySelector("main");
        if (fresh.dataset.running === "yes") {
          Alpine.morph(document.getElementById("progress"), answer.getElementById("progress").outerHTML);
          this.wait();
        } else {
          // Only what was found is put in: the next question may be half typed already.
          document.getElementById("found").replaceWith(answer.getElementById("found"));
          this.$el.dataset.running = "no";
          this.listen();
        }
      } catch {
        this.wait();
      }
    }, AGAIN_MS);
  },

  async fetch(address) {
    const response = await fetch(address);
    return parse(await response.text());
  },

  place(event) {
    const box = this.svg.getBoundingClientRect();
    const scale = this.svg.viewBox.baseVal.width / box.width;
    const d = this.svg.dataset;
    return {
      x: Math.min(Math.max((event.clientX - box.left) * scale, Number(d.left)), Number(d.right)),
      y: Math.min(Math.max((event.clientY - box.top) * scale, Number(d.top)), Number(d.bottom)),
    };
  },

  listen() {
    this.svg = document.getElementById("front");
    if (!this.svg) return;
    let from = null;
    const brush = document.getElementById("brush");
    const draw = (a, b) => {
      brush.setAttribute("x", Math.min(a.x, b.x));
      brush.setAttribute("y", Math.min(a.y, b.y));
      brush.setAttribute("width", Math.abs(a.x - b.x));
      brush.setAttribute("height", Math.abs(a.y - b.y));
    };
    this.svg.addEventListener("pointerdown", (event) => {
      from = this.place(event);
      this.svg.setPointerCapture(event.pointerId);
      draw(from, from);
    });
    this.svg.addEventListener("pointermove", (event) => {
      if (from) draw(from, this.place(event));
    });
    this.svg.addEventListener("pointerup", (event) => {
      if (!from) return;
      const to = this.place(event);
      const wide = Math.abs(to.x - from.x) > 4 && Math.abs(to.y - from.y) > 4;
      // A click on a mark keeps that mark; a click beside them all lets go.
      const mark = wide ? null : this.nearest(to);
      if (wide) this.keep(this.bounds(from, to));
      else if (mark) this.keep(this.bounds({ x: mark.x - 0.6, y: mark.y - 0.6 }, { x: mark.x + 0.6, y: mark.y + 0.6 }));
      else this.keep(["", "", "", ""]);
      if (mark) draw({ x: mark.x - 7, y: mark.y - 7 }, { x: mark.x + 7, y: mark.y + 7 });
      else if (!wide) draw(from, from);
      from = null;
    });
  },

  nearest(place) {
    let best = null;
    for (const circle of this.svg.querySelectorAll(".cand")) {
      const at = { x: circle.cx.baseVal.value, y: circle.cy.baseVal.value };
      const far = Math.hypot(at.x - place.x, at.y - place.y);
      if (far <= circle.r.baseVal.value + 2 && (!best || far < best.far)) best = { ...at, far };
    }
    return best;
  },

  bounds(a, b) {
    const d = this.svg.dataset;
    const time = (x) => ((x - Number(d.left)) / (Number(d.right) - Number(d.left))) * Number(d.time);
    const spare = (y) => ((Number(d.bottom) - y) / (Number(d.bottom) - Number(d.top))) * Number(d.spare);
    const fixed = (v) => v.toFixed(2);
    return [
      fixed(time(Math.min(a.x, b.x))), fixed(time(Math.max(a.x, b.x))),
      fixed(spare(Math.max(a.y, b.y))), fixed(spare(Math.min(a.y, b.y))),
    ];
  },

  brush(bounds) {
    const names = ["brush_from_s", "brush_to_s", "brush_from_spare", "brush_to_spare"];
    names.forEach((name, k) => { document.getElementById(name).value = bounds[k]; });
  },

  async keep(bounds) {
    this.brush(bounds);
    const query = new URLSearchParams(new FormData(document.getElementById("ask")));
    this.address = `${window.location.pathname}?${query}`;
    morphLive(Alpine, await this.fetch(this.address));
    history.replaceState(null, "", this.address);
  },
});
