// The callouts page: sentences asked live, rungs that drag, the dry run played, bad days filled in one by one.
import { markErrors, morphLive, parse } from "./morph.js";
import { clock } from "./pocket/numbers.js";
import { Question } from "./question.js";
import { speak } from "./voice.js";

const WAIT_MS = 140;
const DAYS_WAIT_MS = 500;

export const callouts = (Alpine) => () => ({
  timer: 0, daysTimer: 0, question: new Question(), days: new Question(), playing: 0, at: 0,

  init() {
    this.form = document.getElementById("callouts-form");
    if (!this.form) return;
    this.form.addEventListener("input", () => this.changed());
    this.form.addEventListener("submit", (event) => {
      this.form.dataset.leaving = "yes";
      // Thousands of flights take their moment: the button says so.
      if (event.submitter?.value.startsWith("tune:")) event.submitter.textContent = "flying 1 800 flights …";
    });
    window.addEventListener("beforeunload", (event) => {
      if (this.form.dataset.saved === "no" && this.form.dataset.leaving !== "yes") event.preventDefault();
    });
    document.getElementById("oddity").addEventListener("change", (event) => {
      this.form.elements.run.value = event.target.value;
      this.ask();
    });
    this.$el.addEventListener("click", (event) => {
      if (event.target.id === "play") this.playOrPause();
      if (event.target.id === "next-event") this.nextEvent();
      const line = event.target.closest(".heard li[data-t]");
      if (line) this.show(Number(line.dataset.t));
    });
    this.$el.addEventListener("input", (event) => {
      if (event.target.id === "scrub") this.show(Number(event.target.value));
      if (event.target.id === "flight-number" && event.target.checkValidity()) {
        this.form.elements.run.value = `flight-${event.target.value}`;
        this.ask();
      }
    });
    this.rungs();
    this.load();
    this.badDays();
  },

  changed() {
    this.form.dataset.saved = "no";
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.ask(), WAIT_MS);
  },

  async ask() {
    const body = new URLSearchParams(new FormData(this.form));
    const text = await this.question.ask(this.form.getAttribute("action"), { method: "POST", body }, this.tell);
    if (text === null) return;
    const answer = parse(text);
    morphLive(Alpine, answer);
    this.sentences(answer);
    this.stop();
    this.load();
    this.badDays();
  },

  // A changed sensor changes its sentence: the words of a rule are put in anew where nobody types just now.
  sentences(answer) {
    for (const fresh of answer.querySelectorAll("article.rule")) {
      const old = document.getElementById(fresh.id);
      const shape = (rule) => [...rule.querySelectorAll("[name]")].map((i) => i.name).join();
      if (old && shape(old) !== shape(fresh)) {
        const held = document.activeElement?.id;
        old.replaceWith(fresh);
        if (held) document.getElementById(held)?.focus();
      }
    }
    markErrors(this.form);
  },

  tell(words) { document.getElementById("live-trouble").textContent = words; },

  // Rungs: dragged on the right rail or moved by the arrow keys; the sentence's number follows and is asked.
  rungs() {
    const place = document.getElementById("ladder");
    const set = (rung, value) => {
      const step = Number(rung.dataset.step);
      const input = document.getElementById(rung.dataset.input);
      const within = Math.min(Math.max(value, Number(rung.dataset.low)), Number(rung.dataset.high));
      const text = (Math.round(within / step) * step).toFixed(step < 0.05 ? 2 : 1);
      if (input.value === text) return;
      input.value = text;
      input.dispatchEvent(new Event("input", { bubbles: true }));
    };
    place.addEventListener("keydown", (event) => {
      const rung = event.target.closest?.(".step-moves");
      const way = { ArrowUp: 1, ArrowDown: -1, PageUp: 5, PageDown: -5 }[event.key];
      if (!rung || !way) return;
      event.preventDefault();
      set(rung, Number(document.getElementById(rung.dataset.input).value) + way * Number(rung.dataset.step));
    });
    place.addEventListener("pointerdown", (event) => {
      const rung = event.target.closest(".step-moves");
      if (!rung || !event.target.matches(".handle, rect, .loaded-volts, tspan")) return;
      event.preventDefault();
      const key = rung.dataset.input;
      const move = (to) => {
        const svg = place.querySelector("svg");
        const now = [...place.querySelectorAll(".step-moves")].find((r) => r.dataset.input === key);
        const box = svg.getBoundingClientRect();
        const y = (to.clientY - box.top) * svg.viewBox.baseVal.height / box.height;
        const top = Number(svg.dataset.top), bottom = Number(svg.dataset.bottom);
        const low = Number(now.dataset.low), high = Number(now.dataset.high);
        set(now, low + ((bottom - y) / (bottom - top)) * (high - low));
      };
      const end = () => { window.removeEventListener("pointermove", move); window.removeEventListener("pointerup", end); };
      window.addEventListener("pointermove", move);
      window.addEventListener("pointerup", end);
    });
  },

  // The bad days come one after the other, so that the table shows how far it is.
  badDays() {
    clearTimeout(this.daysTimer);
    this.days.drop();
    const body = document.getElementById("bad-days");
    if (!body) return;
    for (const row of body.rows) row.classList.add("old");
    this.daysTimer = setTimeout(async () => {
      const data = new URLSearchParams(new FormData(this.form));
      for (let k = 0; k < Number(body.dataset.days); k += 1) {
        const address = body.dataset.at + k;
        const text = await this.days.ask(address, { method: "POST", body: data }, this.tell, { formWithErrors: false });
        if (text === null) return;
        const table = document.createElement("table");
        table.innerHTML = text;
        document.getElementById(`day-${k}`).replaceWith(table.querySelector("tr"));
      }
    }, DAYS_WAIT_MS);
  },

  load() {
    const data = document.getElementById("player-data");
    this.run = data ? JSON.parse(data.textContent) : null;
    if (this.run) this.show(this.run.end);
  },

  show(at) {
    const run = this.run;
    this.at = Math.min(Math.max(at, 0), run.end);
    let k = run.time.findIndex((t) => t > this.at + 1e-9);
    k = k < 0 ? run.time.length - 1 : Math.max(k - 1, 0);
    const put = (id, text) => { document.getElementById(id).textContent = text; };
    put("show-volts", run.volts[k]);
    // Between two of the kept moments the timer goes on evenly.
    const next = Math.min(k + 1, run.time.length - 1);
    const share = next > k ? (this.at - run.time[k]) / (run.time[next] - run.time[k]) : 0;
    const counted = run.timer.length ? run.timer[k] + share * (run.timer[next] - run.timer[k]) : this.at;
    put("show-timer", clock(Math.floor(counted + 0.05)));
    put("show-armed", run.armed[k] ? "armed" : "not armed");
    put("show-used", run.used[k]);
    const said = run.events.filter((e) => e.t <= this.at + 0.05);
    put("show-says", said.length && this.at - said[said.length - 1].t < 4 ? `“${said[said.length - 1].say}”` : "–");
    document.getElementById("scrub").value = this.at;
    for (const line of document.querySelectorAll(".heard li[data-t]")) {
      line.classList.toggle("ahead", Number(line.dataset.t) > this.at + 0.05);
    }
  },

  speak(words) {
    if (words && document.getElementById("aloud").checked) speak(words, this.tell);
  },

  playOrPause() {
    if (this.playing) { this.stop(); return; }
    if (this.at >= this.run.end) this.show(0);
    let before = performance.now();
    const tick = (now) => {
      const speed = Number(document.getElementById("speed").value);
      const from = this.at;
      this.show(this.at + ((now - before) / 1000) * speed);
      const word = this.run.events.findLast((e) => e.t > from && e.t <= this.at);
      if (word) this.speak(word.say);
      before = now;
      if (this.at >= this.run.end) this.stop();
      else this.playing = requestAnimationFrame(tick);
    };
    this.playing = requestAnimationFrame(tick);
    document.getElementById("play").textContent = "Pause";
  },

  stop() {
    cancelAnimationFrame(this.playing);
    this.playing = 0;
    const button = document.getElementById("play");
    if (button) button.textContent = "Play";
  },

  nextEvent() {
    this.stop();
    const next = this.run.events.find((e) => e.t > this.at + 0.051);
    this.show(next ? next.t : this.run.end);
    if (next) this.speak(next.say);
  },
});
