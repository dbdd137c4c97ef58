// Live pages without state of their own: a changed form is asked again, the answer's live parts are morphed in.
import { markErrors, morphLive, parse } from "./morph.js";
import { Question } from "./question.js";

const WAIT_MS = 120;

export const live = (Alpine) => () => ({
  timer: 0,
  question: new Question(),

  init() {
    for (const form of this.$el.querySelectorAll("form[data-live-form]")) {
      form.addEventListener("input", () => {
        clearTimeout(this.timer);
        this.timer = setTimeout(() => this.ask(form), WAIT_MS);
      });
    }
  },

  async ask(form) {
    const data = new URLSearchParams(new FormData(form));
    const get = form.method === "get";
    const address = form.getAttribute("action") || window.location.pathname;
    const asked = get ? `${address}?${data}` : address;
    const text = await this.question.ask(asked, { method: form.method, body: get ? undefined : data }, this.tell);
    if (text === null) return;
    morphLive(Alpine, parse(text));
    markErrors(this.$el);
    if (get) history.replaceState(null, "", asked);
  },

  tell(words) {
    const place = document.getElementById("live-trouble");
    if (place) place.textContent = words;
  },
});
