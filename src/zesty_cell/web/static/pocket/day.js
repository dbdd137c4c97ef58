// The day in the pocket with what was entered since: where each pack stands, who waits for the charger.  Everything here
// is looked up; what it means was worked out at home.

// A pack with this much in it counts as charged, as at home.
const CHARGED = 0.95;

// Of the entries of a day, what each pack last came to.
export function standing(day, entries) {
  const packs = Object.fromEntries(Object.entries(day.packs).map(([id, p]) => [id, { ...p }]));
  let waiting = day.waiting.map((w) => ({ ...w }));
  for (const { name, values, wrong } of entries) {
    const { kind } = values;
    // What was refused was still flown: its pack is not taken for a full one.  Nothing else that was refused counts.
    if (wrong && kind !== "landed") continue;
    if (kind === "landed") {
      const pack = packs[values.pack];
      if (!pack) continue;
      Object.assign(pack, { flown: true, charge: null });
      const before = waiting.filter((w) => String(w.pack) === values.pack);
      waiting = waiting.filter((w) => String(w.pack) !== values.pack);
      const words = `flew ${values.duration_s}${before.length ? `; before it ${before.map((w) => w.words.replace(/^flew /, "")).join(", ")}` : ""}`;
      waiting.push({ flight: name, pack: Number(values.pack), craft: Number(values.craft), words });
      continue;
    }
    if (kind === "rests") {
      const charge = packs[values.pack] && chargeAtRest(day, packs[values.pack], values.rest_v_per_cell, values.volts);
      if (typeof charge === "number") packs[values.pack].charge = charge;
      continue;
    }
    const at = waiting.find((w) => w.flight === values.flight), pack = at && packs[at.pack];
    if (!pack) continue;
    if (kind === "details" && values.rest_v_per_cell) pack.charge = chargeAtRest(day, pack, values.rest_v_per_cell, values.volts);
    if (kind === "charged") {
      Object.assign(pack, { flown: false, charge: chargedTo(day, pack, values) });
      waiting = waiting.filter((w) => w !== at);
    }
  }
  return { packs, waiting };
}

// A day that is not all ready yet: what it lacks stands as it was known before, and says so.
export function withOlder(day, before) {
  if (!before || day.ready >= day.asked || before.units !== day.units || before.volts !== day.volts) return day;
  const pairs = { ...day.pairs }, texts = [...day.texts], steps = [...day.steps];
  const again = (n) => (n === undefined ? n : texts.push(before.texts[n]) - 1);
  for (const craft of day.crafts) for (const pack of craft.packs) {
    const key = `${craft.id}-${pack}`, old = before.pairs[key];
    if (pairs[key] || !old) continue;
    const taken = before.steps[old.steps].map((s) => ({ ...s, why: again(s.why), calls: again(s.calls) }));
    pairs[key] = { ...old, older: true, steps: steps.push(taken) - 1 };
  }
  const minutes = before.minutes.length > day.minutes.length ? before.minutes : day.minutes;
  return { ...day, pairs, steps, texts, minutes };
}

const number = (text) => Number(String(text).trim().replace(",", "."));

function chargedTo(day, pack, values) {
  if (!values.charged_v_per_cell) return 1;
  return chargeAtRest(day, pack, values.charged_v_per_cell, values.volts) ?? 1;
}

// The table's own step at or below the voltage; nothing for one that no cell has, which is a slip of the thumb.
export function chargeAtRest(day, pack, text, volts) {
  const table = day.rest[pack.chemistry], cell = number(text) / (volts === "pack" ? pack.series : 1);
  if (!table || !Number.isFinite(cell)) return null;
  const [low, shares] = table, at = Math.floor((cell - low) / day.rest_step + 1e-6);
  return at < 0 ? 0 : shares[at] ?? null;
}

export const isFull = (pack) => !pack.flown && pack.charge !== null && pack.charge >= CHARGED;
const isPart = (pack) => pack.flown || (pack.charge !== null && pack.charge < CHARGED);

export function stands(pack) {
  if (isFull(pack)) return "is charged";
  if (pack.charge !== null) return `has ${Math.round(100 * pack.charge)} %`;
  return pack.flown ? "was flown, and not charged since" : "charge not known: look that it is full";
}

// What to fly by: the step of a full pack; of one that is not, the step at or below its charge, when it is asked for.
export function stepFor(day, pair, pack, asItIs) {
  if (!pair) return null;
  const steps = day.steps[pair.steps];
  if (!isPart(pack)) return steps[0];
  if (!asItIs || pack.charge === null) return null;
  return steps.find((s) => s.charge !== null && s.charge <= pack.charge + 1e-9) ?? null;
}

export const needsCharge = isPart;

// What the phone says and when [s]: minutes, the timer's words, “land now”.
export function spoken(day, step) {
  const minutes = day.minutes.slice(0, step.minutes).map((words, k) => [60 * (k + 1), words]);
  return [...minutes, ...step.spoken].sort((a, b) => a[0] - b[0]);
}
