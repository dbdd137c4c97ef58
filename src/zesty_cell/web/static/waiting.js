// A page of something that runs on the server: asks again until it is over, then shows the whole answer.
import { parse } from "./morph.js";

const AGAIN_MS = 350;

export const waiting = (Alpine) => () => ({
  init() {
    if (this.$el.dataset.running === "yes") this.again();
  },

  again() {
    setTimeout(async () => {
      try {
        const answer = parse(await (await fetch(window.location.pathname)).text());
        if (answer.querySelector("main").dataset.running !== "yes") {
          window.location.reload();
          return;
        }
        Alpine.morph(document.getElementById("progress"), answer.getElementById("progress").outerHTML);
      } catch {
        // The line is down: what runs on the server goes on.
      }
      this.again();
    }, AGAIN_MS);
  },
});
