// The live sheet: a change posts the form, the answer's live parts are morphed in.
import { Cursor } from "./cursor.js";

const WAIT_MS = 90;

export const sheet = (Alpine) => () => ({
  timer: 0,
  asked: null,
  cursor: null,

  init() {
    this.form = this.$el.querySelector("form");
    this.cursor = new Cursor();
    this.form.addEventListener("input", (event) => this.changed(event.target));
    this.form.addEventListener("submit", () => { this.form.dataset.leaving = "yes"; });
    window.addEventListener("beforeunload", (event) => {
      if (this.form.dataset.saved === "no" && this.form.dataset.leaving !== "yes") event.preventDefault();
    });
    this.markErrors();
    // Typed before this script came, or put back by the browser: answer that too.
    const early = [...this.form.querySelectorAll("input[type=text]")].find((i) => i.value !== i.defaultValue);
    if (early) this.changed(early);
  },

  changed(input) {
    // Slider and number are two handles of one value; only the number is sent.
    if (input.dataset.for) document.getElementById(input.dataset.for).value = input.value;
    const slider = this.form.querySelector(`[data-for="${input.id}"]`);
    if (slider && input.value !== "" && !Number.isNaN(Number(input.value))) slider.value = input.value;
    this.form.dataset.saved = "no";
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.ask(), WAIT_MS);
  },

  async ask() {
    this.asked?.abort();
    this.asked = new AbortController();
    let response;
    try {
      response = await fetch(this.form.getAttribute("action"), {
        method: "POST",
        body: new URLSearchParams(new FormData(this.form)),
        signal: this.asked.signal,
      });
    } catch (error) {
      if (error.name !== "AbortError") this.tell("The server does not answer. What you typed is still here.");
      return;
    }
    if (!response.ok) {
      this.tell("The server could not work this out. What you typed is still here.");
      return;
    }
    const answer = new DOMParser().parseFromString(await response.text(), "text/html");
    for (const fresh of answer.querySelectorAll("[data-live]")) {
      const old = document.getElementById(fresh.id);
      if (old && !old.isEqualNode(fresh)) Alpine.morph(old, fresh.outerHTML);
    }
    this.form.dataset.saved = answer.getElementById("sheet-form").dataset.saved;
    this.markErrors();
    this.cursor.refresh();
  },

  tell(words) {
    document.getElementById("saved").textContent = words;
  },

  markErrors() {
    for (const input of this.form.querySelectorAll("[aria-describedby]")) {
      const wrong = document.getElementById(input.getAttribute("aria-describedby"))?.textContent.trim();
      if (wrong) input.setAttribute("aria-invalid", "true");
      else input.removeAttribute("aria-invalid");
    }
  },
});
