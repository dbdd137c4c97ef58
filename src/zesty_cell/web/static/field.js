// The field page: what is entered is kept here first, then sent in order, once each, as soon as the server answers.
import { morphLive, parse } from "./morph.js";

const QUEUE = "zesty-cell-entries", TOOK_OFF = "zesty-cell-took-off";
const AGAIN_MS = 15_000;

const load = () => JSON.parse(localStorage.getItem(QUEUE) ?? "[]");
const keep = (entries) => localStorage.setItem(QUEUE, JSON.stringify(entries));

function newName() {
  return [...crypto.getRandomValues(new Uint8Array(16))].map((b) => b.toString(16).padStart(2, "0")).join("");
}

function clock(seconds) {
  const whole = Math.max(Math.round(seconds), 5);
  return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")}`;
}

const TYPED = {
  duration_s: "Flew, min", rest_v_per_cell: "Rest voltage, V", shown_ah: "Shown, mAh", air_c: "Air, °", note: "Note",
  hottest_c: "Pack when landed, °", put_back_ah: "Put back, mAh", charged_v_per_cell: "Charged to, V", cells_v: "Each cell, V",
  resistance_ohm: "Resistance, mΩ",
};

// The fields of a refused entry that hold something, to be put right at once.
function typedInputs(entry) {
  return Object.keys(TYPED).filter((key) => entry.values[key]).map((key) => {
    const label = document.createElement("label"), input = document.createElement("input");
    label.textContent = `${TYPED[key]} `;
    input.name = key;
    input.value = entry.values[key];
    label.append(input);
    return label;
  });
}

function button(words, what, name) {
  const made = document.createElement("button");
  made.type = "button";
  made.dataset[what] = name;
  made.textContent = words;
  return made;
}

export const field = (Alpine) => () => ({
  busy: false,

  init() {
    this.$el.addEventListener("submit", (event) => {
      if (!event.target.matches("form[data-entry]")) return;
      event.preventDefault();
      this.enter(event.target);
    });
    this.$el.addEventListener("click", (event) => {
      if (event.target.id === "took-off") this.tookOff();
      const mended = event.target.closest("[data-mend]");
      if (mended) this.mend(mended.dataset.mend, mended.closest("li"));
      const dropped = event.target.closest("[data-drop]");
      if (dropped) { keep(load().filter((e) => e.name !== dropped.dataset.drop)); this.show(); }
    });
    window.addEventListener("online", () => this.send());
    setInterval(() => { if (this.next()) this.send(); }, AGAIN_MS);
    this.stopwatch();
    this.show();
    this.send();
  },

  // Taking off starts the watch, landing reads it; without it the time typed counts.
  stopwatch() {
    const button = document.getElementById("took-off");
    if (!button) return;
    button.hidden = false;
    const since = Number(localStorage.getItem(TOOK_OFF));
    button.textContent = since ? `In the air since ${new Date(since).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" })}` : "Took off";
  },

  tookOff() {
    localStorage.setItem(TOOK_OFF, String(Date.now()));
    this.stopwatch();
  },

  enter(form) {
    const values = Object.fromEntries(new FormData(form));
    values.entry = newName();
    if (values.kind === "landed") {
      values.landed_at = new Date().toISOString();
      const since = Number(localStorage.getItem(TOOK_OFF));
      if (since) values.duration_s = clock((Date.now() - since) / 1000);
      localStorage.removeItem(TOOK_OFF);
      this.askHow(values);
    }
    if (values.kind === "charged") values.charged_at = new Date().toISOString();
    keep([...load(), { name: values.entry, values }]);
    this.stopwatch();
    this.show();
    this.send();
  },

  // The details can be told before the server knows of the flight: they are sent after it.
  askHow(values) {
    const details = document.getElementById("details-form");
    details.elements.flight.value = values.entry;
    details.elements.duration_s.value = values.duration_s;
    document.getElementById("details").hidden = false;
  },

  // In order; what belongs to a flight that was refused waits until that is put right.
  next() {
    const entries = load(), held = new Set(entries.filter((e) => e.wrong).map((e) => e.name));
    return entries.find((e) => !e.wrong && !held.has(e.values.flight));
  },

  async send() {
    if (this.busy) return;
    this.busy = true;
    let sent = 0;
    try {
      for (;;) {
        const next = this.next();
        if (!next) break;
        const response = await fetch("/field/entries", {
          method: "POST", body: new URLSearchParams(next.values), headers: { Accept: "application/json" },
        });
        if (response.status !== 200 && response.status !== 422) break; // busy or starting: later
        const answer = await response.json();
        // A refused entry stays here at its place, with its reason, until it is put right or dropped.
        const wrong = Object.values(answer.errors ?? {}).join(" ");
        keep(load().flatMap((e) => (e.name !== next.name ? [e] : response.ok ? [] : [{ ...e, wrong }])));
        sent += response.ok ? 1 : 0;
      }
    } catch {
      // no line: everything stays kept
    } finally {
      this.busy = false;
    }
    this.show();
    if (sent) await this.refresh();
  },

  async refresh() {
    try {
      const response = await fetch(window.location.href);
      if (!response.ok) return;
      const answer = parse(await response.text());
      morphLive(Alpine, answer);
      this.nextFlight(answer);
      this.stopwatch();
      this.show();
    } catch {
      // the page shows what it knew
    }
  },

  // What was typed, put right, takes its place in the queue again.
  mend(name, line) {
    const typed = Object.fromEntries([...line.querySelectorAll("input")].map((i) => [i.name, i.value]));
    keep(load().map((e) => (e.name === name ? { name, values: { ...e.values, ...typed } } : e)));
    this.show();
    this.send();
  },

  // The next flight's timer is sent with it, and its length stands ready unless another is being typed.
  nextFlight(answer) {
    const old = document.getElementById("land-form"), fresh = answer.getElementById("land-form");
    if (!old || !fresh) return;
    old.elements.timer_s.value = fresh.elements.timer_s.value;
    const flew = old.elements.duration_s;
    if (flew.value === flew.defaultValue) flew.value = flew.defaultValue = fresh.elements.duration_s.defaultValue;
  },

  show() {
    const entries = load(), open = entries.filter((e) => !e.wrong).length;
    document.getElementById("field-kept").textContent = open
      ? `${open} ${open === 1 ? "entry is" : "entries are"} kept here and sent when the server answers.` : "";
    const list = document.getElementById("field-wrong");
    list.replaceChildren(...entries.filter((e) => e.wrong).map((e) => {
      const line = document.createElement("li"), words = document.createElement("p");
      words.textContent = `${{ landed: "Landed", details: "How it was", charged: "Charged" }[e.values.kind]}: ${e.wrong}`;
      line.append(words, ...typedInputs(e), button("Put it right", "mend", e.name), button("Drop it", "drop", e.name));
      return line;
    }));
  },
});
