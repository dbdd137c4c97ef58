// The live sheet: a change posts the form, the answer's live parts are morphed in.
import { Cursor } from "./cursor.js";
import { markErrors, morphLive, parse } from "./morph.js";
import { Question } from "./question.js";

const WAIT_MS = 90;

export const sheet = (Alpine) => () => ({
  timer: 0,
  question: new Question(),
  cursor: null,

  init() {
    this.form = this.$el.querySelector("form");
    this.cursor = new Cursor();
    this.form.addEventListener("input", (event) => this.changed(event.target));
    this.form.addEventListener("submit", () => { this.form.dataset.leaving = "yes"; });
    window.addEventListener("beforeunload", (event) => {
      if (this.form.dataset.saved === "no" && this.form.dataset.leaving !== "yes") event.preventDefault();
    });
    markErrors(this.form);
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
    const body = new URLSearchParams(new FormData(this.form));
    const address = this.form.getAttribute("action");
    const text = await this.question.ask(address, { method: "POST", body }, this.tell, { formWithErrors: false });
    if (text === null) return;
    const answer = parse(text);
    morphLive(Alpine, answer);
    // A name that nobody gave follows craft and pack.
    const name = document.getElementById("name"), made = answer.getElementById("name");
    if (name !== document.activeElement && name.value === name.defaultValue) name.defaultValue = name.value = made.defaultValue;
    this.form.dataset.saved = answer.getElementById("sheet-form").dataset.saved;
    markErrors(this.form);
    this.cursor.refresh();
  },

  tell(words) {
    document.getElementById("saved").textContent = words;
  },
});
