// A page some answers of which are still being worked out: asks again until all are there.
import { morphLive, parse } from "./morph.js";

const AGAIN_MS = 600;

export const pending = (Alpine) => () => ({
  init() { this.again(); },

  again() {
    if (!document.querySelector("[data-pending=yes]")) return;
    setTimeout(async () => {
      try {
        const response = await fetch(window.location.href);
        if (response.ok) morphLive(Alpine, parse(await response.text()));
      } catch {
        // The line is down: what is worked out is there when it is back.
      }
      this.again();
    }, AGAIN_MS);
  },
});
