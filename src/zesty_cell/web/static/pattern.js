// The strip of a flying pattern: edges are dragged to stretch, blocks to move; keys do the same.
import { markErrors, morphLive, parse } from "./morph.js";
import { Question } from "./question.js";

const WAIT_MS = 90;
const EDGE_PX = 12;
const STEP_S = 0.5;

export const pattern = (Alpine) => () => ({
  timer: 0,
  question: new Question(),

  init() {
    this.form = this.$el.querySelector("form");
    this.form.addEventListener("input", () => this.soon());
    // Structure is the server's: what is added, moved or taken away comes back as new rows.
    this.form.addEventListener("submit", (event) => {
      if (event.submitter?.name !== "do") return;
      event.preventDefault();
      this.step(event.submitter.value);
    });
    this.form.addEventListener("keydown", (event) => this.key(event));
    this.form.addEventListener("pointerdown", (event) => this.grab(event));
  },

  soon() {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.ask(), WAIT_MS);
  },

  async ask(step = "") {
    const body = new URLSearchParams(new FormData(this.form));
    if (step) body.set("do", step);
    const text = await this.question.ask(window.location.pathname, { method: "POST", body }, this.tell);
    if (text === null) return;
    const answer = parse(text);
    if (step) {
      // Typed values would stay where they were: the rows are put in anew.
      document.getElementById("rows").replaceWith(answer.getElementById("rows"));
      document.getElementById("add-last").replaceWith(answer.getElementById("add-last"));
    }
    morphLive(Alpine, answer);
    markErrors(this.form);
    for (const row of this.form.querySelectorAll("[data-row]")) row.dataset.kind = row.querySelector("select").value;
  },

  async step(step, focus = -1) {
    await this.ask(step);
    if (focus >= 0) document.querySelector(`[data-block="${focus}"]`)?.focus();
  },

  key(event) {
    const block = event.target.closest?.("[data-block]");
    if (!block) return;
    const k = Number(block.dataset.block);
    const acts = {
      ArrowRight: event.shiftKey ? [`down:${k}`, k + 1] : [`longer:${k}`, k],
      ArrowLeft: event.shiftKey ? [`up:${k}`, Math.max(k - 1, 0)] : [`shorter:${k}`, k],
      Delete: [`remove:${k}`, Math.max(k - 1, 0)],
      Insert: [`add:${k + 1}`, k + 1],
    };
    const act = acts[event.key];
    if (!act && event.key !== "Enter") return;
    event.preventDefault();  // Enter would go on in the field it leads to, and send the form
    if (!act) {
      document.getElementById(`a-${k}-name`)?.focus();
      return;
    }
    this.step(...act);
  },

  grab(event) {
    const block = event.target.closest?.("[data-block]");
    if (!block) return;
    const strip = document.getElementById("bigstrip"), box = block.getBoundingClientRect();
    const k = Number(block.dataset.block), seconds = document.getElementById(`a-${k}-seconds`);
    const a_second = strip.getBoundingClientRect().width / Number(strip.dataset.period);
    const stretch = box.right - event.clientX < EDGE_PX && seconds?.value !== "";
    const from = event.clientX, was = Number((seconds?.value || "0").replace(",", "."));
    let to = k;
    const move = (at) => {
      const dx = at.clientX - from;
      if (stretch) {
        const now = Math.max(STEP_S, Math.round((was + dx / a_second) / STEP_S) * STEP_S);
        if (Number(seconds.value) !== now) { seconds.value = String(now); this.soon(); }
      } else {
        const over = document.elementFromPoint(at.clientX, box.top + box.height / 2)?.closest?.("[data-block]");
        if (over) to = Number(over.dataset.block);
        block.classList.toggle("moving", to !== k);
      }
    };
    const drop = async () => {
      window.removeEventListener("pointermove", move);
      for (const name of ["pointerup", "pointercancel"]) window.removeEventListener(name, drop);
      for (let at = k; !stretch && at !== to; at += Math.sign(to - k)) await this.step(`${to > k ? "down" : "up"}:${at}`, to);
    };
    window.addEventListener("pointermove", move);
    for (const name of ["pointerup", "pointercancel"]) window.addEventListener(name, drop);
  },

  tell(words) {
    if (words) document.getElementById("live-trouble").textContent = words;
  },
});
