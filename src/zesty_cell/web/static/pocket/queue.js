// What is entered on a phone: kept first, then sent in order, once each.  One file for the page and for its worker, so
// it is a plain script; it needs `idb`.
(() => {
  const NAME = "zesty-cell", FORM = 1;
  // Answers of a server that is busy or starting: all is sent later.  Of any other trouble an entry is shown after so
  // many times.
  const LATER = new Set([401, 421, 429, 502, 503, 504]), TRIES = 3;

  let opening = null;
  function open() {
    opening ??= idb.openDB(NAME, FORM, {
      upgrade(db) {
        // Entries by the order they were made in; by their name, which is theirs wherever they go.
        const entries = db.createObjectStore("entries", { keyPath: "order", autoIncrement: true });
        entries.createIndex("name", "name", { unique: true });
        // The day, the watches that run, and what the phone likes: one document each.
        db.createObjectStore("kept");
      },
      // Another page wants a newer form: let it.
      blocking() { opening?.then((db) => db.close()); opening = null; },
      terminated() { opening = null; },
    });
    return opening;
  }

  const newName = () => [...crypto.getRandomValues(new Uint8Array(16))].map((b) => b.toString(16).padStart(2, "0")).join("");

  const all = async () => (await open()).getAll("entries");
  const kept = async (key) => (await open()).get("kept", key);
  // On the phone's disk, not only on its way there: it may be switched off the next moment.
  // A page that watches its values hands over watchers, which no database takes: it is kept as plain as it is written.
  async function keep(key, value) {
    const plain = value === undefined ? null : JSON.parse(JSON.stringify(value));
    const tx = (await open()).transaction("kept", "readwrite", { durability: "strict" });
    await Promise.all([tx.store.put(plain, key), tx.done]);
  }

  // Acknowledged once it is on the phone's disk.
  async function add(values) {
    const name = values.entry ?? newName();
    const tx = (await open()).transaction("entries", "readwrite", { durability: "strict" });
    await Promise.all([tx.store.add({ name, values: { ...values, entry: name } }), tx.done]);
    return name;
  }

  async function change(name, how) {
    const tx = (await open()).transaction("entries", "readwrite", { durability: "strict" });
    for (let at = await tx.store.openCursor(); at; at = await at.continue()) {
      const next = how(at.value);
      if (next === null) await at.delete();
      else if (next !== at.value) await at.update(next);
    }
    await tx.done;
  }

  // What was typed, put right, takes its place again, with its own name.
  function mend(name, typed, sure) {
    return change(name, (e) => {
      if (e.name === name) {
        const { wrong, asked, tries, aside, ...rest } = e;
        return { ...rest, values: { ...e.values, ...typed, sure: sure ? asked ?? "" : "" } };
      }
      // The flight's own details follow what was put right, so that they do not undo it.
      const follows = e.values.flight === name && typed.duration_s && "duration_s" in e.values && !e.sent;
      return follows ? { ...e, values: { ...e.values, duration_s: typed.duration_s } } : e;
    });
  }

  // Out of the way, and not gone.
  const setAside = (name) => change(name, (e) => (e.name === name ? { ...e, aside: true } : e));

  // What belongs to a flight that is dropped goes with it.
  const drop = (name) => change(name, (e) => (e.name === name || (e.values.flight === name && !e.sent) ? null : e));

  // In order; what belongs to a flight that was refused, or passed over, waits until that is put right.
  function next(entries, passed) {
    const open = entries.filter((e) => !e.sent);
    const held = new Set(open.filter((e) => e.wrong || passed.has(e.name)).map((e) => e.name));
    return open.find((e) => !held.has(e.name) && !held.has(e.values.flight));
  }

  // What the server answers to an entry that it does not take: its reason; nothing where it is only to be sent later.
  async function refusal(response, tries) {
    const answer = await response.json().catch(() => ({}));
    const said = Object.values(answer.errors ?? {}).join(" ") || (typeof answer.detail === "string" ? answer.detail : "");
    if (response.status >= 500 && tries < TRIES) return null;
    return { wrong: said || `The server does not take this (${response.status}).`, asked: (answer.asked ?? []).join(" ") };
  }

  async function sendAll() {
    const passed = new Set();
    let sent = 0, line = "yes";
    try {
      for (;;) {
        const entry = next(await all(), passed);
        if (!entry) break;
        const response = await fetch("/field/entries", {
          method: "POST", body: new URLSearchParams(entry.values), headers: { Accept: "application/json" },
        });
        if (LATER.has(response.status)) { line = response.status === 401 ? "unpaired" : "busy"; break; }
        // Some networks answer in the server's stead: only its own word counts, and anything else is no line.
        if (response.ok && !("flight" in (await response.json()))) { line = "no"; break; }
        const tries = (entry.tries ?? 0) + 1;
        const refused = response.ok ? null : await refusal(response, tries);
        // A refused entry stays at its place, with its reason, until it is put right or dropped; the rest goes on.  One
        // that the server stumbled over is passed over this time.  One that was taken stays until a day that knows of it
        // is here.
        await change(entry.name, (e) => (e.name !== entry.name ? e : response.ok ? { ...e, sent: true } : { ...e, tries, ...refused }));
        if (!response.ok && !refused) passed.add(entry.name);
        sent += response.ok ? 1 : 0;
      }
    } catch {
      line = "no";
    }
    return { sent, line, waiting: (await all()).filter((e) => !e.sent && !e.wrong).length };
  }

  // One sender at a time, of all pages and the worker.
  const send = () => (navigator.locks
    ? navigator.locks.request("zesty-cell-send", sendAll) : sendAll());

  // A day that was asked for after entries were taken knows of them.
  const settle = (names) => change("", (e) => (e.sent && names.has(e.name) ? null : e));

  globalThis.zestyQueue = { add, all, drop, keep, kept, mend, newName, send, setAside, settle };
})();
