// The field page: what is entered is kept here first, then sent in order, once each, as soon as the server answers.
import { morphLive, parse } from "./morph.js";
import { clock, localInput } from "./pocket/numbers.js";

const AGAIN_MS = 15_000;
// The browser's queue, the same as the phone's page has (pocket/queue.js); what is entered on one is sent by either.
const queue = globalThis.zestyQueue;

// Every craft and pack has a watch of its own: what took off lands, whatever page is open.
const watches = async () => (await queue.kept("air")) ?? {};

// Entries that an earlier version kept elsewhere.
async function bringAlong() {
  const older = JSON.parse(localStorage.getItem("zesty-cell-entries") ?? "[]");
  for (const { values } of older) await queue.add(values).catch(() => {});  // it is there already
  localStorage.removeItem("zesty-cell-entries");
}

function inHand() {
  const form = document.getElementById("land-form");
  if (!form) return null;
  const { craft, pack, label, sheet, timer_s: timer } = form.elements;
  return { key: `${craft.value}-${pack.value}`, craft: Number(craft.value), pack: Number(pack.value), label: label.value, sheet: Number(sheet.value), timer: timer.value };
}

const timeOf = (since) => new Date(since).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" });
// No flight is shorter.
const LEAST_S = 5;

const words = JSON.parse(document.getElementById("field-words")?.textContent ?? "{}");

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
  return when.concat(Object.keys(words.labels).filter((key) => entry.values[key]).map((key) => {
    const label = document.createElement("label"), input = document.createElement("input");
    label.textContent = `${words.labels[key]} `;
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
      if (dropped) queue.drop(dropped.dataset.drop).then(() => this.show());
      const sure = event.target.closest("[data-sure]");
      if (sure) this.mend(sure.dataset.sure, sure.closest("li"), true);
    });
    window.addEventListener("online", () => this.send());
    setInterval(async () => { if ((await queue.all()).some((e) => !e.sent && !e.wrong)) this.send(); }, AGAIN_MS);
    this.begin();
  },

  async begin() {
    await bringAlong();
    await this.stopwatch();
    await this.show();
    await this.send();
  },

  // Taking off starts the watch, landing reads it; without it the time typed counts.
  async stopwatch() {
    const button = document.getElementById("took-off");
    if (!button) return;
    button.hidden = false;
    const all = await watches(), mine = inHand(), since = mine && all[mine.key]?.since;
    button.textContent = since ? `In the air since ${timeOf(since)}` : "Took off";
    const others = Object.entries(all).filter(([key]) => key !== mine?.key), air = document.getElementById("field-air");
    air?.replaceChildren(...others.map(([, w]) => {
      const link = document.createElement("a");
      link.href = `/field?craft=${w.craft}&pack=${w.pack}`;
      link.textContent = `${w.label} is in the air since ${timeOf(w.since)}`;
      return link;
    }));
  },

  async tookOff() {
    const since = Date.now(), mine = inHand();
    if (mine) await queue.keep("air", { ...(await watches()), [mine.key]: { ...mine, since, timer_s: 0, down_s: 0, calls: [] } });
    await this.stopwatch();
  },

  async enter(form) {
    const values = Object.fromEntries(new FormData(form)), now = new Date(), all = await watches();
    values.entry = queue.newName();
    if (values.kind === "landed") {
      const earlier = values.landed_local;
      values.landed_at = (earlier ? new Date(earlier) : now).toISOString();
      const mine = inHand(), flew = form.elements.duration_s;
      const since = all[mine.key]?.since;
      // A length that was typed counts; the watch fills in one that was not.
      if (since && !earlier && flew.value === flew.defaultValue) values.duration_s = clock(Math.max((now - since) / 1000, LEAST_S));
      if (since && !earlier) { delete all[mine.key]; await queue.keep("air", all); }
      form.elements.landed_local.value = "";
      flew.value = flew.defaultValue;
      // The next flight is another run, or none.
      if (form.elements.run) form.elements.run.checked = false;
      this.askHow(values);
    }
    if (values.kind === "charged") values.charged_at = now.toISOString();
    await queue.add(values);
    await this.stopwatch();
    await this.show();
    await this.send();
  },

  // The details can be told before the server knows of the flight: they are sent after it.
  askHow(values) {
    const details = document.getElementById("details-form");
    details.elements.flight.value = values.entry;
    details.elements.duration_s.value = values.duration_s;
    document.getElementById("details").hidden = false;
  },

  async send() {
    if (this.busy) return;
    this.busy = true;
    let sent = 0;
    try {
      ({ sent } = await queue.send());
    } finally {
      this.busy = false;
    }
    // A phone's day settles what it knows of; where there is none, what was sent is done with.
    if (!(await queue.kept("day"))) await queue.settle(new Set((await queue.all()).filter((e) => e.sent).map((e) => e.name)));
    await this.show();
    if (sent) await this.refresh();
  },

  async refresh() {
    try {
      const response = await fetch(window.location.href);
      if (!response.ok) return;
      const answer = parse(await response.text());
      morphLive(Alpine, answer);
      this.nextFlight(answer);
      await this.stopwatch();
      await this.show();
    } catch {
      // the page shows what it knew
    }
  },

  // What was typed, put right, takes its place in the queue again.
  async mend(name, line, sure = false) {
    const typed = Object.fromEntries([...line.querySelectorAll("input")].map((i) => [i.name, i.value]));
    if (typed.landed_local) typed.landed_at = new Date(typed.landed_local).toISOString();
    delete typed.landed_local;
    await queue.mend(name, typed, sure);
    await this.show();
    await this.send();
  },

  // The next flight's timer is sent with it, and its length stands ready unless another is being typed.
  nextFlight(answer) {
    const old = document.getElementById("land-form"), fresh = answer.getElementById("land-form");
    if (!old || !fresh) return;
    old.elements.timer_s.value = fresh.elements.timer_s.value;
    const flew = old.elements.duration_s;
    if (flew.value === flew.defaultValue) flew.value = flew.defaultValue = fresh.elements.duration_s.defaultValue;
  },

  async show() {
    const entries = await queue.all(), open = entries.filter((e) => !e.wrong && !e.sent).length;
    document.getElementById("field-kept").textContent = open
      ? `${open} ${open === 1 ? "entry is" : "entries are"} kept here and sent when the server answers.` : "";
    const list = document.getElementById("field-wrong");
    list.replaceChildren(...entries.filter((e) => e.wrong).map((e) => {
      const line = document.createElement("li"), said = document.createElement("p");
      said.textContent = `${words.kinds[e.values.kind]}: ${e.wrong}`;
      line.append(said, ...typedInputs(e), button("Put it right", "mend", e.name),
        ...(e.asked ? [button("It is so", "sure", e.name)] : []), button("Drop it", "drop", e.name));
      return line;
    }));
  },
});
