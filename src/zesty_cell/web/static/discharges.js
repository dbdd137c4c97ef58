// The drawer: a live form whose cutoff is dragged on the picture as well as typed.
import { live } from "./live.js";

export const discharges = (Alpine) => () => {
  const page = live(Alpine)();
  return {
    ...page,
    init() {
      page.init.call(this);
      this.$el.addEventListener("pointerdown", (event) => this.grip(event));
    },

    grip(event) {
      const svg = event.target.closest(".discharge-chart");
      if (!svg || !event.target.closest(".cutoff-line")) return;
      event.preventDefault();
      const { top, bottom, low, high, height } = svg.dataset;
      const box = svg.getBoundingClientRect();
      const input = document.getElementById("cutoff");
      const move = (at) => {
        const y = ((at.clientY - box.top) / box.height) * Number(height);
        const share = (Number(bottom) - y) / (Number(bottom) - Number(top));
        const volts = Number(low) + Math.min(1, Math.max(0, share)) * (Number(high) - Number(low));
        input.value = volts.toFixed(2);
        const drawn = Number(bottom) - ((volts - Number(low)) / (Number(high) - Number(low))) * (Number(bottom) - Number(top));
        const line = document.querySelector(".cutoff-line line");
        line.setAttribute("y1", drawn);
        line.setAttribute("y2", drawn);
        input.dispatchEvent(new Event("input", { bubbles: true }));
      };
      const done = () => {
        window.removeEventListener("pointermove", move);
        window.removeEventListener("pointerup", done);
        window.removeEventListener("pointercancel", done);
      };
      window.addEventListener("pointermove", move);
      window.addEventListener("pointerup", done);
      window.addEventListener("pointercancel", done);
    },
  };
};
