// Charging in the field from another pack: what it holds and what each takes was worked out at home; here it is looked up
// and taken off one by one, the pack that gives most minutes for its watt-hours first.
import { clock } from "./numbers.js";

const at = (table, share, step) => table[Math.max(0, Math.min(Math.floor(share / step + 1e-6), table.length - 1))];

// From what is in it; of a pack that nobody knows, as if it were empty: it takes no more than that.
export const takes = (day, pack) => at(pack.takes_wh, pack.charge ?? 0, day.supply_step);

// The longest timer that a full one is flown with.
function fliesS(day, id) {
  const own = Object.entries(day.pairs).filter(([key]) => key.endsWith(`-${id}`)).map(([, p]) => day.steps[p.steps][0].timer_s ?? 0);
  return Math.max(0, ...own);
}

export function supplyPlan(day, packs, waiting, supply) {
  const from = packs[supply.pack];
  if (!from) return { words: "", rows: [] };
  if (supply.charge === null) return { words: `What is in ${from.name} is not known: type what it rests at.`, rows: [] };
  const given = supply.given.reduce((sum, wh) => sum + wh, 0);
  let left = Math.max(at(from.holds_wh, supply.charge, day.supply_step) - given, 0);
  const words = `${from.name} has ${left.toFixed(1)} Wh to give.`;
  const ids = [...new Set(waiting.map((w) => String(w.pack)))].filter((id) => id !== supply.pack && packs[id]);
  const rows = ids.map((id) => ({ id, name: packs[id].name, wh: takes(day, packs[id]), flies: fliesS(day, id) }))
    .sort((a, b) => b.flies / Math.max(b.wh, 0.1) - a.flies / Math.max(a.wh, 0.1) || a.wh - b.wh);
  return {
    words,
    rows: rows.map((r) => {
      const fits = r.wh <= left + 1e-9;
      if (fits) left -= r.wh;
      const flies = r.flies ? ` for ${clock(r.flies)} of flying` : "";
      return { name: r.name, fits, words: fits ? `takes ${r.wh.toFixed(1)} Wh${flies}, leaves ${left.toFixed(1)} Wh` : `takes ${r.wh.toFixed(1)} Wh: more than is left` };
    }),
  };
}
