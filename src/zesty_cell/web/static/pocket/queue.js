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

  // Of entries, what they become: nothing for one that goes.
  async function change(how, durability = "strict") {
    const tx = (await open()).transaction("entries", "readwrite", { durability });
    const done = [];
    for (const entry of await tx.store.getAll()) {
      const next = how(entry);
      if (next === null) done.push(tx.store.delete(entry.order));
      else if (next !== entry) done.push(tx.store.put(next));
    }
    await Promise.all([...done, tx.done]);
  }

  // What was typed, put right, takes its place again, with its own name.
  function mend(name, typed, sure) {
    return change((e) => {
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
  const setAside = (name) => change((e) => (e.name === name ? { ...e, aside: true } : e));

  // What belongs to a flight that is dropped goes with it.
  const drop = (name) => change((e) => (e.name === name || (e.values.flight === name && !e.sent) ? null : e));

  // A line that neither answers nor breaks is none.
  const PATIENCE_MS = 30_000;

  // In order; what belongs to a flight that was refused, or passed over, waits until that is put right.
  function next(entries, passed, most) {
    const unsent = entries.filter((e) => !e.sent);
    const held = new Set(unsent.filter((e) => e.wrong || passed.has(e.name)).map((e) => e.name));
    return unsent.filter((e) => !held.has(e.name) && !held.has(e.values.flight)).slice(0, most);
  }

  const post = (entries) => fetch("/pocket/entries", {
    method: "POST", body: JSON.stringify({ entries: entries.map((e) => e.values) }),
    headers: { Accept: "application/json", "Content-Type": "application/json" },
    signal: AbortSignal.timeout(PATIENCE_MS),
  });

  const SEVERAL = 25;

  // What became of entries that the server has looked at.  A refused one stays at its place, with its reason, until it
  // is put right or dropped, and with it what belongs to it; the rest goes on.  One that was taken stays until a day that
  // knows of it is here.
  function told(entries, answers) {
    const refused = new Set(), became = new Map();
    entries.forEach((entry, k) => {
      const { errors, asked } = answers[k];
      if (!Object.keys(errors).length) became.set(entry.name, { sent: true });
      else if (!refused.has(entry.values.flight)) became.set(entry.name, { wrong: Object.values(errors).join(" "), asked: asked.join(" ") });
      if (Object.keys(errors).length) refused.add(entry.name);
    });
    return became;
  }

  async function sendAll() {
    const passed = new Set();
    let sent = 0, line = "yes", most = SEVERAL;
    try {
      for (;;) {
        const entries = next(await all(), passed, most);
        if (!entries.length) break;
        const response = await post(entries);
        if (LATER.has(response.status)) { line = response.status === 401 ? "unpaired" : "busy"; break; }
        if (response.ok) {
          // Some networks answer in the server's stead: only its own word counts, and anything else is no line.
          const { taken } = await response.json();
          if (taken?.length !== entries.length) { line = "no"; break; }
          const became = told(entries, taken);
          // Need not be on the disk at once: one that is sent again is taken once.
          await change((e) => (became.has(e.name) ? { ...e, ...became.get(e.name) } : e), "relaxed");
          sent += [...became.values()].filter((b) => b.sent).length;
        } else if (entries.length > 1) {
          most = 1;  // which of them it stumbles over is found one by one
        } else {
          // One that the server stumbles over is passed over this time, and shown after so many.
          const [entry] = entries, tries = (entry.tries ?? 0) + 1;
          const wrong = response.status >= 500 && tries < TRIES ? {} : { wrong: `The server does not take this (${response.status}).`, asked: "" };
          await change((e) => (e.name === entry.name ? { ...e, tries, ...wrong } : e));
          passed.add(entry.name);
        }
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
  const settle = (names) => change((e) => (e.sent && names.has(e.name) ? null : e));

  globalThis.zestyQueue = { add, all, drop, keep, kept, mend, newName, send, setAside, settle };
})();
