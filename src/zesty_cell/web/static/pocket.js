// The phone's page: everything on it is looked up in the day that was taken along, and in what was entered since.
import Alpine from "./vendor/alpine-csp.js";
import { chargeAtRest, isFull, needsCharge, spoken, standing, stands, stepFor, withOlder } from "./pocket/day.js";
import { clock, localInput, momentOf, timeOf } from "./pocket/numbers.js";
import { Guard, soundOf } from "./pocket/speak.js";
import { supplyPlan, takes } from "./pocket/supply.js";

const AGAIN_MS = 15_000, TICK_MS = 250, SOON_MS = 3000;
const TAKEN = "zesty-cell-taken";
const queue = globalThis.zestyQueue;
const words = JSON.parse(document.getElementById("pocket-words").textContent);
// What a flight is named by, wherever it is in the air.
const keyOf = (craft, pack) => `${craft}-${pack}`;

Alpine.data("pocket", () => ({
  read: false, day: null, entries: [], air: {}, picked: {}, packs: {}, waiting: [],
  line: "", trusted: true, now: Date.now(), asItIs: false, telling: "", charging: "", speaking: "", spokenTrouble: "", theme: "",

  async init() {
    this.guard = new Guard();
    this.theme = document.documentElement.dataset.theme;
    const [day, entries, air, picked, how] = await Promise.all([queue.kept("day"), queue.all(), queue.kept("air"), queue.kept("picked"), queue.kept("how")]);
    this.supply = (await queue.kept("supply")) ?? null;
    // A day of another form is not understood: it is taken along anew.
    Object.assign(this, { read: true, day: day?.form === words.form ? day : null, entries, air: air ?? {}, picked: picked ?? {}, how: how ?? null });
    this.look();
    const theme = await queue.kept("theme");
    if (theme) this.dress(theme);
    document.documentElement.dataset.ready = "yes";
    setInterval(() => { this.now = Date.now(); }, TICK_MS);
    setInterval(() => this.sync(), AGAIN_MS);
    window.addEventListener("online", () => this.sync());
    document.addEventListener("visibilitychange", () => { if (!document.hidden) this.sync(); });
    await this.install();
    await this.sync();
  },

  // ---- what is shown

  look() {
    if (!this.day) return;
    const found = standing(this.day, this.entries);
    this.packs = found.packs;
    this.waiting = found.waiting.map((w) => ({ ...w, name: this.packs[w.pack]?.name ?? "A pack" }));
    const crafts = this.day.crafts;
    if (!crafts.some((c) => c.id === this.picked.craft)) this.picked = { craft: crafts[0]?.id };
    const ids = this.packIds();
    if (!ids.includes(this.picked.pack)) this.picked = { ...this.picked, pack: ids.find((id) => isFull(this.packs[id])) ?? ids[0] };
  },

  packIds() { return this.day.crafts.find((c) => c.id === this.picked.craft)?.packs ?? []; },
  get some() { return Boolean(this.day && this.day.crafts.length && this.pack); },
  get craft() { return this.day?.crafts.find((c) => c.id === this.picked.craft) ?? { name: "" }; },
  get pack() { return this.packs[this.picked.pack] ?? null; },
  get pair() { return this.day?.pairs[keyOf(this.picked.craft, this.picked.pack)] ?? null; },
  // A run of a test that this flight could be: the first that no landing here was.
  get run() {
    const flown = new Set(this.entries.map((e) => e.values.run).filter(Boolean));
    return this.day?.runs?.[this.key]?.find(([sent]) => !flown.has(sent)) ?? null;
  },
  get runWords() { return this.run?.[1] ?? ""; },
  // A flight can be kept of what has no timer yet.
  get sheet() { return this.day?.sheets[this.key] ?? null; },
  get step() { return this.pack && this.day ? stepFor(this.day, this.pair, this.pack, this.asItIs) : null; },
  get timed() { return Boolean(this.step?.timer); },
  get timerWords() { return this.step?.timer ?? ""; },
  get why() { return this.step?.why === undefined ? "" : this.day.texts[this.step.why]; },
  get calls() { return this.step?.calls === undefined ? [] : this.day.texts[this.step.calls]; },
  get title() { return this.flying ? `${this.craft.name} is in the air` : `${this.craft.name}, next flight`; },
  get sub() { return this.pack ? `${this.pack.name} ${stands(this.pack)}${this.pair ? ` · ${this.pair.pattern}` : ""}` : ""; },
  get chargeFirst() { return Boolean(this.pack && needsCharge(this.pack) && !this.asItIs); },
  get canFlyAsItIs() { return this.chargeFirst && this.pack.charge !== null; },
  get noStep() { return Boolean(this.pack && !this.chargeFirst && !this.timed); },
  get noStepWords() {
    if (!this.day) return "";
    if (!this.pair) return this.day.ready < this.day.asked ? "It is still being worked out at home: look again in a moment." : "It was not taken along.";
    return this.step?.trouble || "There is too little in it to fly by.";
  },
  get over() { return `for about ${Math.round(100 * (this.step?.charge ?? 1))} % in it, set the timer to`; },
  get setTo() { return this.step?.charge ? this.over : "set the timer to"; },
  get card() { return this.pair ? `/sheets/${this.pair.sheet}/card` : "/pocket"; },
  get charged() { return this.listed((p) => isFull(p) || p.id === this.picked.pack); },
  get others() { return this.listed((p) => !isFull(p) && p.id !== this.picked.pack); },
  listed(which) {
    return this.day ? this.packIds().map((id) => this.packs[id]).filter(which).map((p) => ({
      id: p.id, on: p.id === this.picked.pack, current: p.id === this.picked.pack ? "true" : null,
      name: p.charge !== null && !isFull(p) ? `${p.name}, ${Math.round(100 * p.charge)} %` : p.flown ? `${p.name}, flown` : p.name,
    })) : [];
  },
  get crafts() { return (this.day?.crafts ?? []).map((c) => ({ ...c, on: c.id === this.picked.craft, current: c.id === this.picked.craft ? "true" : null })); },
  get known() {
    const at = this.day ? `as known at ${momentOf(this.day.as_of)}` : "";
    const part = this.day && this.day.ready < this.day.asked ? `, ${this.day.ready} of ${this.day.asked} ready` : "";
    return at + part;
  },
  // The day's own: what is typed is read in them.
  unitOf(path) { return this.day?.unit_of[path] ?? ""; },
  get lineWords() {
    return { yes: "", no: "No line.", busy: "The server is busy.", unpaired: "This phone is not paired any more." }[this.line] ?? "";
  },
  get open() { return this.entries.filter((e) => !e.sent && !e.wrong).length; },
  get keptWords() { return this.open ? `${this.open} ${this.open === 1 ? "entry is" : "entries are"} kept here and sent when there is a line.` : ""; },
  get wrong() { return this.refused.filter((e) => !e.aside); },
  get aside() { return this.refused.filter((e) => e.aside); },
  get asideWords() { return `Set aside: ${this.aside.length}`; },
  get refused() {
    return this.entries.filter((e) => e.wrong).map((e) => ({
      name: e.name, aside: Boolean(e.aside), asked: e.asked, words: `${words.kinds[e.values.kind]}: ${e.wrong}`,
      typed: Object.keys(words.labels).filter((key) => e.values[key]).map((key) => ({ key, label: words.labels[key], value: e.values[key] })),
      landed: e.values.kind === "landed" ? localInput(e.values.landed_at) : "",
    }));
  },

  // ---- choosing

  // While one is in the air there is little to choose, until one asks for it.
  choosing: false,
  choose() { this.choosing = true; },
  pickCraft(id) { this.pick({ craft: id }); },
  pickPack(id) { this.pick({ craft: this.picked.craft, pack: id }); },
  pick(next) {
    this.$refs.asRun.checked = false;
    this.picked = next;
    this.asItIs = this.choosing = false;
    this.look();
    queue.keep("picked", this.picked);
    window.scrollTo(0, 0);
  },
  flyAsItIs() { this.asItIs = true; },

  // Charged where nobody logged it, or looked at before it flies: what it rests at says what is in it.
  get measuredWords() { return `Measured ${this.pack?.name ?? "it"}?`; },
  async keepRest() {
    const form = this.$refs.rests, values = Object.fromEntries(new FormData(form));
    form.reset();
    this.$refs.measured.open = false;
    this.asItIs = false;
    await this.enter({ ...values, kind: "rests", pack: String(this.picked.pack), measured_at: new Date().toISOString() });
  },

  // ---- in the air

  get key() { return keyOf(this.picked.craft, this.picked.pack); },
  get flying() { return this.air[this.key] ?? null; },
  get aloft() { return this.flying ? clock((this.now - this.flying.since) / 1000) : ""; },
  // A clock that was set back meanwhile does not add time.
  get left() { return this.flying?.timer_s ? this.flying.timer_s - Math.max(this.now - this.flying.since, 0) / 1000 : null; },
  get overTime() { return this.left !== null && this.left <= 0; },
  get leftWords() {
    if (this.left === null) return "";
    if (this.left > 0) return `${clock(this.left)} left of ${clock(this.flying.timer_s)}`;
    return this.flying.down_s > this.flying.timer_s ? `time: be down by ${clock(this.flying.down_s)}` : "time: land";
  },
  get elsewhere() {
    return Object.entries(this.air).filter(([key]) => key !== this.key).map(([key, w]) => ({ ...w, key, words: `${w.label} is in the air since ${timeOf(w.since)}` }));
  },
  async takeOff() {
    const { step } = this;
    const watch = {
      since: Date.now(), craft: this.picked.craft, pack: this.picked.pack, label: `${this.craft.name} on ${this.pack.name}`,
      part: this.asItIs && needsCharge(this.pack) ? "yes" : "",
      sheet: this.sheet, timer: step?.timer ?? "", timer_s: step?.timer_s ?? 0, down_s: step?.down_s ?? step?.timer_s ?? 0,
      calls: step?.timer ? spoken(this.day, step) : [],
    };
    this.air = { ...this.air, [this.key]: watch };
    await queue.keep("air", this.air);
    if (this.speaking === "soon") await this.speak();
  },
  async notTakenOff() {
    this.hush();
    await this.downFrom(this.key);
  },
  async downFrom(key) {
    const { [key]: gone, ...rest } = this.air;
    this.air = rest;
    await queue.keep("air", rest);
    return gone;
  },
  goTo(key) {
    const watch = this.air[key];
    this.pick({ craft: watch.craft, pack: watch.pack });
  },

  // ---- the phone speaks

  async speak() {
    this.spokenTrouble = "";
    if (!this.flying) {
      await this.guard.wake();
      this.speaking = "soon";
      return;
    }
    this.speaking = this.key;
    const { awake, voices } = await this.guard.start(this.flying.calls, this.flying.since);
    const lacks = [voices ? "" : "Its voices were not taken along: it beeps.", awake ? "" : "This browser does not keep the screen awake: set it so yourself."];
    this.spokenTrouble = lacks.filter(Boolean).join(" ");
  },
  hush() {
    this.guard.silence();
    this.speaking = "";
  },
  get speaksHere() { return this.speaking === "soon" || this.speaking === this.key; },

  // ---- entering

  async enter(values) {
    await queue.add({ units: this.day.units, volts: this.day.volts, ...values });
    this.entries = await queue.all();
    this.look();
    this.syncLater();
  },

  async landed() {
    const flew = this.$refs.flew.value.trim(), earlier = this.$refs.landedAt.value, watch = this.flying;
    const duration = flew || (watch && !earlier ? clock(Math.max((Date.now() - watch.since) / 1000, 5)) : "");
    this.telling = "";
    if (!duration) { this.telling = "Type how long it flew, as 3:10."; this.$refs.flew.focus(); return; }
    if (this.speaking === this.key) this.hush();
    const entry = queue.newName(), { craft, pack } = this.picked;
    const part = watch ? watch.part ?? "" : this.asItIs && needsCharge(this.pack) ? "yes" : "";
    const gone = await this.downFrom(this.key), run = this.$refs.asRun.checked && this.run ? { run: this.run[0] } : {};
    this.$refs.asRun.checked = false;
    await this.enter({
      kind: "landed", ...run, entry, craft: String(craft), pack: String(pack), sheet: String(gone?.sheet ?? this.sheet),
      duration_s: duration, timer_s: gone?.timer || this.step?.timer || "", part,
      landed_at: (earlier ? new Date(earlier) : new Date()).toISOString(),
    });
    this.$refs.flew.value = this.$refs.landedAt.value = "";
    this.asItIs = false;
    this.how = { entry, label: `${this.craft.name} on ${this.pack.name}`, flew: duration };
    await queue.keep("how", this.how);
    this.look();
  },

  how: null,
  async keepHow() {
    const form = this.$refs.how, values = Object.fromEntries(new FormData(form));
    await this.enter({ ...values, kind: "details", flight: this.how.entry, duration_s: this.how.flew });
    form.reset();
    this.closeHow();
  },
  closeHow() { this.how = null; queue.keep("how", null); },
  get howTitle() { return this.how ? `How was it, ${this.how.label}?` : ""; },

  openCharge(flight) { this.charging = this.charging === flight ? "" : flight; },
  async keepCharge(flight) {
    const form = document.getElementById(`charge-${flight}`), pack = this.packs[this.waiting.find((w) => w.flight === flight)?.pack];
    const { from_supply: fromSupply, ...values } = Object.fromEntries(new FormData(form));
    if (pack && fromSupply) await this.givenTo(pack);
    await this.enter({ ...values, kind: "charged", flight, charged_at: new Date().toISOString() });
    this.charging = "";
  },

  async mend(name, sure) {
    const line = document.getElementById(`wrong-${name}`);
    const typed = Object.fromEntries([...line.querySelectorAll("input")].map((i) => [i.name, i.value]));
    if (typed.landed_local) typed.landed_at = new Date(typed.landed_local).toISOString();
    delete typed.landed_local;
    await queue.mend(name, typed, sure);
    this.entries = await queue.all();
    this.look();
    await this.sync();
  },
  async setAside(name) {
    await queue.setAside(name);
    this.entries = await queue.all();
  },
  async drop(name) {
    await queue.drop(name);
    this.entries = await queue.all();
    this.look();
  },

  // ---- charging from another pack

  // What it holds is known by its voltage now, less what each pack charged from it since takes.
  supply: null,
  get supplies() { return this.day ? Object.values(this.packs).map((p) => ({ id: String(p.id), name: p.name, on: String(p.id) === this.supply?.pack })) : []; },
  async chooseSupply() {
    const id = this.$refs.supply.value, pack = this.packs[id], volts = this.$refs.supplyVolts.value;
    const charge = pack && (volts ? chargeAtRest(this.day, pack, volts, this.day.volts) : pack.charge);
    this.supply = pack ? { pack: id, charge: charge ?? null, given: [] } : null;
    await queue.keep("supply", this.supply);
  },
  async givenTo(pack) {
    if (!this.supply || this.supply.charge === null) return;
    this.supply = { ...this.supply, given: [...this.supply.given, takes(this.day, pack)] };
    await queue.keep("supply", this.supply);
  },
  get fromWords() { return `from ${this.packs[this.supply?.pack]?.name ?? "the supply"}`; },
  get plan() { return this.supply && this.day ? supplyPlan(this.day, this.packs, this.waiting, this.supply) : { words: "", rows: [] }; },

  // ---- the line

  async install() {
    if (!("serviceWorker" in navigator)) { this.trusted = false; return; }
    try {
      await navigator.serviceWorker.register("/sw.js", { updateViaCache: "none" });
      await navigator.storage?.persist?.();
    } catch {
      // Without trust in the certificate no browser lets a page stay.
      this.trusted = false;
    }
  },

  syncLater() {
    navigator.serviceWorker?.ready.then((found) => found.sync?.register("entries")).catch(() => {});
    this.sync();
  },

  busy: false,
  async sync() {
    if (this.busy) return;
    this.busy = true;
    try {
      const { line } = await queue.send();
      this.line = line;
      this.entries = await queue.all();
      this.look();
      if (line !== "no") await this.takeAlong();
    } finally {
      this.busy = false;
    }
  },

  // Asks for the day; one that is not all ready is asked for again soon.
  async takeAlong() {
    const taken = new Set((await queue.all()).filter((e) => e.sent).map((e) => e.name));
    const mark = this.day ? { "If-None-Match": `"${this.day.mark}"` } : {};
    let response;
    try {
      response = await fetch("/pocket/day", { headers: { Accept: "application/json", ...mark }, signal: AbortSignal.timeout(AGAIN_MS) });
    } catch {
      this.line = "no";
      return;
    }
    if (response.status === 401) { this.line = "unpaired"; return; }
    if (response.status === 304) {
      this.line = "yes";
      this.day = { ...this.day, as_of: new Date().toISOString() };
      await queue.keep("day", this.day);
    } else if (response.ok) {
      const day = await response.json().catch(() => null);
      if (!day?.crafts || day.form !== words.form) { this.line = "no"; return; }
      this.line = "yes";
      this.day = withOlder(day, this.day);
      await queue.keep("day", this.day);
    } else {
      this.line = "busy";
      return;
    }
    await queue.settle(taken);
    this.entries = await queue.all();
    this.look();
    if (this.day.ready < this.day.asked) setTimeout(() => this.takeAlong(), SOON_MS);
    else this.takeFiles();  // behind: entries do not wait for it
  },

  // Voices and cards that belong to the day, each once; what nobody needs any more goes.
  filing: false,
  async takeFiles() {
    if (this.filing || !("caches" in window) || !this.trusted) return;
    this.filing = true;
    const { day } = this, cache = await caches.open(TAKEN);
    const said = new Set(day.minutes);
    for (const step of day.steps.flat()) for (const [, text] of step.spoken ?? []) said.add(text);
    const wanted = new Set([...[...said].map(soundOf), ...Object.values(day.pairs).map((p) => p.card)].map((path) => new URL(path, window.location.href).href));
    try {
      const kept = await cache.keys(), have = new Set(kept.map((request) => request.url));
      for (const url of wanted) {
        if (have.has(url)) continue;
        const response = await fetch(url, { signal: AbortSignal.timeout(AGAIN_MS) });
        if (response.ok) await cache.put(url, response);
      }
      // What is older goes once all that takes its place is here.
      for (const request of kept) if (!wanted.has(request.url)) await cache.delete(request);
    } catch {
      // The line is down: the rest comes next time.
    } finally {
      this.filing = false;
    }
  },

  // ---- sun and dusk

  dress(theme) {
    this.theme = theme;
    document.documentElement.dataset.theme = theme;
  },
  nextTheme() {
    const all = ["paper", "sun", "dusk"], next = all[(all.indexOf(this.theme) + 1) % all.length];
    this.dress(next);
    queue.keep("theme", next);
  },
  get themeWords() { return { paper: "day", sun: "sun", dusk: "dusk" }[this.theme]; },
}));

Alpine.start();
