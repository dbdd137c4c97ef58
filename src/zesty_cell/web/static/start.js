// The first page: every key is answered at once; sliders and numbers are two handles of one figure.
import { markErrors, morphLive, parse } from "./morph.js";
import { Question } from "./question.js";

const WAIT_MS = 15;

export const start = (Alpine) => () => ({
  timer: 0,
  question: new Question(),

  init() {
    this.form = this.$el.querySelector("form");
    this.form.addEventListener("input", (event) => this.changed(event.target));
    this.form.addEventListener("submit", () => { this.form.dataset.leaving = "yes"; });
    // Typed before this script came, or put back by the browser: answer that too.
    const early = [...this.form.querySelectorAll("input[type=text], #label")].find((i) => i.value !== i.defaultValue);
    if (early) this.changed(early);
  },

  changed(input) {
    if (input.dataset.for) {
      document.getElementById(input.dataset.for).value = input.value;
    }
    // A word that was understood is sent only once somebody corrected it.
    if (input.dataset.fix) input.name = input.dataset.fix;
    // A silhouette, or a label, is another answer than what was chosen from the hangar.
    if (input.name === "kind" && this.form.elements.craft_id) this.form.elements.craft_id.value = "";
    if (input.name === "manner") this.form.elements.pattern.value = "";
    this.form.dataset.saved = "no";
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.ask(), WAIT_MS);
  },

  async ask() {
    const body = new URLSearchParams(new FormData(this.form));
    const text = await this.question.ask("/start", { method: "POST", body }, this.tell);
    if (text === null) return;
    morphLive(Alpine, parse(text));
    markErrors(this.form);
    for (const slider of this.form.querySelectorAll("[data-for]")) {
      if (slider !== document.activeElement) slider.value = slider.dataset.now;
    }
    // What was understood follows the label, unless somebody is correcting it, or has.
    for (const word of this.form.querySelectorAll("[data-fix]:not([name])")) {
      if (word.matches("input") && word !== document.activeElement) word.value = word.defaultValue;
      if (word.matches("select")) word.value = word.querySelector("[selected]")?.value ?? word.value;
    }
  },

  tell(words) {
    document.getElementById("live-trouble").textContent = words;
  },
});
