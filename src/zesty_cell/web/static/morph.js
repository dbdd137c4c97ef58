import { localTimes } from "./local-time.js";

// What every live page does with an answer: its live parts are morphed in, its errors marked at their inputs.
export function parse(text) {
  return new DOMParser().parseFromString(text, "text/html");
}

export function morphLive(Alpine, answer) {
  localTimes(answer);
  for (const fresh of answer.querySelectorAll("[data-live]")) {
    const old = document.getElementById(fresh.id);
    if (old && !old.isEqualNode(fresh)) Alpine.morph(old, fresh.outerHTML);
  }
}

export function markErrors(root) {
  for (const input of root.querySelectorAll("[aria-describedby]")) {
    const wrong = document.getElementById(input.getAttribute("aria-describedby"))?.textContent.trim();
    if (wrong) input.setAttribute("aria-invalid", "true");
    else input.removeAttribute("aria-invalid");
  }
}
