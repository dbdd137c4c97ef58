// The field page: what is entered is kept here first, then sent in order, once each, as soon as the server answers.
import { morphLive, parse } from "./morph.js";

const QUEUE = "zesty-cell-entries", TOOK_OFF = "zesty-cell-in-the-air";
const AGAIN_MS = 15_000;
// Answers of a server that is busy or starting: all is sent later.  Of any other trouble an entry is shown after so
// many times.
const LATER = new Set([429, 502, 503, 504]), TRIES = 3;

const load = () => JSON.parse(localStorage.getItem(QUEUE) ?? "[]");
const keep = (entries) => localStorage.setItem(QUEUE, JSON.stringify(entries));

// Every craft and pack has a watch of its own: what took off lands, whatever page is open.
const watches = () => JSON.parse(localStorage.getItem(TOOK_OFF) ?? "{}");
const keepWatches = (all) => localStorage.setItem(TOOK_OFF, JSON.stringify(all));

function inHand() {
  const form = document.getElementById("land-form");
  if (!form) return null;
  const { craft, pack, label } = form.elements;
  return { key: `${craft.value}-${pack.value}`, label: label.value, href: `/field?craft=${craft.value}&pack=${pack.value}` };
}

const timeOf = (since) => new Date(since).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" });
const localInput = (iso) => {
  const moment = new Date(iso);
  return new Date(moment - moment.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);
};

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
  const when = [];
  if (entry.values.kind === "landed") {
    const label = document.createElement("label"), input = document.createElement("input");
    label.textContent = "Landed at ";
    input.type = "datetime-local";
    input.name = "landed_local";
    input.value = localInput(entry.values.landed_at);
    label.append(input);
    when.push(label);
  }
  return when.concat(Object.keys(TYPED).filter((key) => entry.values[key]).map((key) => {
    const label = document.createElement("label"), input = document.createElement("input");
    label.textContent = `${TYPED[key]} `;
    input.name = key;
    input.value = entry.values[key];
    label.append(input);
    return label;
  }));
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
      // What belongs to a flight that is dropped goes with it.
      if (dropped) {
        keep(load().filter((e) => e.name !== dropped.dataset.drop && e.values.flight !== dropped.dataset.drop));
        this.show();
      }
      const sure = event.target.closest("[data-sure]");
      if (sure) this.mend(sure.dataset.sure, sure.closest("li"), true);
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
    const all = watches(), mine = inHand(), since = mine && all[mine.key]?.since;
    button.textContent = since ? `In the air since ${timeOf(since)}` : "Took off";
    const others = Object.entries(all).filter(([key]) => key !== mine?.key), air = document.getElementById("field-air");
    air?.replaceChildren(...others.map(([, w]) => {
      const link = document.createElement("a");
      link.href = w.href;
      link.textContent = `${w.label} is in the air since ${timeOf(w.since)}`;
      return link;
    }));
  },

  tookOff() {
    const mine = inHand();
    if (mine) keepWatches({ ...watches(), [mine.key]: { since: Date.now(), label: mine.label, href: mine.href } });
    this.stopwatch();
  },

  enter(form) {
    const values = Object.fromEntries(new FormData(form));
    values.entry = newName();
    if (values.kind === "landed") {
      const earlier = values.landed_local;
      values.landed_at = (earlier ? new Date(earlier) : new Date()).toISOString();
      const all = watches(), mine = inHand(), flew = form.elements.duration_s;
      const since = all[mine.key]?.since;
      // A length that was typed counts; the watch fills in one that was not.
      if (since && !earlier && flew.value === flew.defaultValue) values.duration_s = clock((Date.now() - since) / 1000);
      if (since && !earlier) { delete all[mine.key]; keepWatches(all); }
      form.elements.landed_local.value = "";
      flew.value = flew.defaultValue;
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

  // In order; what belongs to a flight that was refused, or passed over, waits until that is put right.
  next(passed = new Set()) {
    const entries = load(), held = new Set(entries.filter((e) => e.wrong || passed.has(e.name)).map((e) => e.name));
    return entries.find((e) => !held.has(e.name) && !held.has(e.values.flight));
  },

  // What the server answers to an entry that it does not take: its reason; nothing where it is only to be sent later.
  async refusal(response, tries) {
    if (LATER.has(response.status)) return "";
    const answer = await response.json().catch(() => ({}));
    const said = Object.values(answer.errors ?? {}).join(" ") || (typeof answer.detail === "string" ? answer.detail : "");
    if (response.status >= 500 && tries < TRIES) return "";
    return { wrong: said || `The server does not take this (${response.status}).`, asked: (answer.asked ?? []).join(" ") };
  },

  async send() {
    if (this.busy) return;
    this.busy = true;
    let sent = 0;
    const passed = new Set();
    try {
      for (;;) {
        const next = this.next(passed);
        if (!next) break;
        const response = await fetch("/field/entries", {
          method: "POST", body: new URLSearchParams(next.values), headers: { Accept: "application/json" },
        });
        const tries = (next.tries ?? 0) + 1;
        // Some networks answer in the server's stead: only its own word counts, and anything else is no line.
        if (response.ok && !("flight" in (await response.json()))) break;
        const refusal = response.ok ? "" : await this.refusal(response, tries);
        // A refused entry stays here at its place, with its reason, until it is put right or dropped; the rest goes on.
        // One that the server stumbled over is passed over this time, and shown once it was so again and again.
        keep(load().flatMap((e) => (e.name !== next.name ? [e] : response.ok ? [] : [{ ...e, tries, ...refusal }])));
        if (LATER.has(response.status)) break;
        if (!response.ok && !refusal) passed.add(next.name);
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
  mend(name, line, sure = false) {
    const typed = Object.fromEntries([...line.querySelectorAll("input")].map((i) => [i.name, i.value]));
    if (typed.landed_local) typed.landed_at = new Date(typed.landed_local).toISOString();
    delete typed.landed_local;
    const entries = load(), mended = entries.find((e) => e.name === name);
    const values = { ...mended.values, ...typed, sure: sure ? mended.asked ?? "" : "" };
    // The flight's own details follow what was put right, so that they do not undo it.
    const follows = (e) => e.values.flight === name && typed.duration_s && "duration_s" in e.values;
    keep(entries.map((e) => (e.name === name ? { name, values }
      : follows(e) ? { ...e, values: { ...e.values, duration_s: typed.duration_s } } : e)));
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
      line.append(words, ...typedInputs(e), button("Put it right", "mend", e.name),
        ...(e.asked ? [button("It is so", "sure", e.name)] : []), button("Drop it", "drop", e.name));
      return line;
    }));
  },
});
