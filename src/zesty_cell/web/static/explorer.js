// Explorer of a telemetry log: panels under each other on one time axis, one cursor, zoom by drag or keys.
import { clock } from "./pocket/numbers.js";
import uPlot from "./vendor/uplot.js";

const FONT = "12px Hyperlegible, system-ui, sans-serif";
const HEIGHT = { pack_v: 230, other: 118 };

async function load(address) {
  const bytes = await (await fetch(address)).arrayBuffer();
  const end = new Uint8Array(bytes).indexOf(10) + 1;
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 0, end)));
  let at = end;
  const column = () => {
    const values = new Float32Array(bytes, at, head.rows);
    at += 4 * head.rows;
    return values;
  };
  const time = column();
  for (const panel of head.panels) for (const line of panel.lines) line.values = column();
  return { ...head, time };
}

const colour = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

function toneOf(tone) {
  return {
    pack_v: { stroke: colour("--ink"), width: 1.4 }, current_a: { stroke: colour("--blue"), width: 1.2 },
    used_ah: { stroke: colour("--leaf-shape"), width: 2 }, throttle: { stroke: colour("--hair"), width: 1.2 },
    temperature_c: { stroke: colour("--heat"), width: 1.6 }, altitude_m: { stroke: colour("--esc"), width: 1.6 },
    forecast: { stroke: colour("--look-shape"), width: 1.4, dash: [6, 4] }, fitted: { stroke: colour("--leaf-shape"), width: 1.4 },
  }[tone];
}

// What would have been heard, as thin lines with their words, on the voltage.
function marks(events) {
  return (u) => {
    const { ctx, bbox } = u;
    ctx.save();
    ctx.strokeStyle = ctx.fillStyle = colour("--stop");
    ctx.font = `${12 * devicePixelRatio}px Hyperlegible, sans-serif`;
    let free = -1e9;
    for (const event of events) {
      const x = u.valToPos(event.t, "x", true);
      if (x < bbox.left || x > bbox.left + bbox.width) continue;
      ctx.beginPath();
      ctx.setLineDash([3 * devicePixelRatio, 3 * devicePixelRatio]);
      ctx.moveTo(x, bbox.top);
      ctx.lineTo(x, bbox.top + bbox.height);
      ctx.stroke();
      const words = `“${event.say}”`, width = ctx.measureText(words).width;
      if (x - width - 4 > free) {
        ctx.fillText(words, Math.max(x - width - 4, bbox.left), bbox.top + 13 * devicePixelRatio);
        free = x;
      }
    }
    ctx.restore();
  };
}

// As many points as can be seen: of each line the lowest and the highest in every pixel or so.
function seen(columns, from, to, buckets) {
  const time = columns[0], last = time.length - 1;
  let a = 0, b = last;
  while (a < last && time[a + 1] < from) a += 1;
  while (b > 0 && time[b - 1] > to) b -= 1;
  // A gap is null to the plot; it comes as NaN.
  const told = (v) => (v === v ? v : null);
  if (b - a < 4 * buckets) return columns.map((c) => Array.from(c.subarray(a, b + 1), told));
  const chosen = [a];
  for (let k = 0; k < buckets; k += 1) {
    const start = a + Math.floor(((b - a) * k) / buckets), end = a + Math.floor(((b - a) * (k + 1)) / buckets);
    const here = new Set([start]);
    for (let c = 1; c < columns.length; c += 1) {
      const values = columns[c];
      let low = start, high = start;
      for (let i = start; i < end; i += 1) {
        if (values[i] < values[low] || values[low] !== values[low]) low = i;
        if (values[i] > values[high] || values[high] !== values[high]) high = i;
      }
      here.add(low).add(high);
    }
    chosen.push(...[...here].sort((x, y) => x - y));
  }
  chosen.push(b);
  return columns.map((c) => chosen.map((i) => told(c[i])));
}

export const explorer = () => ({
  plots: [],

  async init() {
    const place = document.getElementById("panels");
    this.log = await load(place.dataset.address);
    this.place = place;
    this.draw();
    new ResizeObserver(() => this.resize()).observe(place);
    place.addEventListener("keydown", (event) => this.key(event));
    document.getElementById("zoom-out").addEventListener("click", () => this.zoom(0, this.log.time.at(-1)));
    place.dataset.drawn = "yes";
  },

  draw() {
    const { log, place } = this;
    this.range = [log.time[0], log.time.at(-1)];
    const sync = uPlot.sync("telemetry");
    for (const panel of log.panels) {
      const host = document.createElement("div");
      host.className = "panel";
      const title = document.createElement("p");
      title.className = "cap";
      title.append(Object.assign(document.createElement("b"), { textContent: `${panel.title}, ${panel.unit}` }));
      const words = Object.assign(document.createElement("span"), { className: "readout" });
      title.append(words);
      place.append(title, host);
      const options = {
        width: place.clientWidth, height: HEIGHT[panel.key] ?? HEIGHT.other,
        cursor: { sync: { key: sync.key, setSeries: false }, drag: { x: true, y: false }, points: { size: 7 } },
        legend: { show: false },
        scales: { x: { time: false } },
        axes: [
          { stroke: colour("--soft"), grid: { stroke: colour("--line"), width: 1 }, values: (_, all) => all.map(clock), size: 26, font: FONT,
            incrs: [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600] },
          { stroke: colour("--soft"), grid: { stroke: colour("--line"), width: 1 }, size: 52, font: FONT,
            values: (_, all) => all.map((v) => String(v).replace(/\B(?=(\d{3})+$)/, "\u2009")) },
        ],
        series: [{}, ...panel.lines.map((line) => ({ label: line.name, points: { show: false }, spanGaps: false, ...toneOf(line.tone) }))],
        hooks: {
          setCursor: [(u) => this.tell(u, panel, words)],
          setScale: [(u, key) => { if (key === "x") this.follow(u); }],
          draw: panel.key === "pack_v" ? [marks(log.events)] : [],
        },
      };
      const columns = [log.time, ...panel.lines.map((l) => l.values)];
      const plot = new uPlot(options, seen(columns, 0, log.time.at(-1), place.clientWidth), host);
      plot.columns = columns;
      this.plots.push(plot);
    }
  },

  tell(u, panel, words) {
    const k = u.cursor.idx;
    if (k === null || k === undefined) { words.textContent = ""; return; }
    const parts = panel.lines.map((l, j) => (u.data[j + 1][k] === null ? "" : `${l.name} ${u.data[j + 1][k].toFixed(panel.digits)}`));
    words.textContent = `${clock(u.data[0][k])} · ${parts.filter(Boolean).join(" · ")}`;
  },

  // A zoom of one panel is the zoom of all.
  follow(from) {
    if (this.following || this.plots.length < this.log.panels.length) return;
    const { min, max } = from.scales.x;
    if (min === this.range[0] && max === this.range[1]) return;
    this.following = true;
    this.range = [min, max];
    for (const plot of this.plots) {
      plot.setData(seen(plot.columns, min, max, this.place.clientWidth), false);
      plot.setScale("x", { min, max });
    }
    this.following = false;
  },

  zoom(min, max) {
    this.plots[0].setScale("x", { min: Math.max(min, 0), max: Math.min(max, this.log.time.at(-1)) });
  },

  key(event) {
    const first = this.plots[0], { min, max } = first.scales.x, span = max - min, middle = (min + max) / 2;
    const moves = {
      "+": [middle - span / 4, middle + span / 4], "-": [middle - span, middle + span], 0: [0, this.log.time.at(-1)],
      PageUp: [min - span / 2, max - span / 2], PageDown: [min + span / 2, max + span / 2],
    };
    if (moves[event.key]) this.zoom(...moves[event.key]);
    else if (event.key === "ArrowLeft" || event.key === "ArrowRight") {
      const step = (event.shiftKey ? 0.05 : 0.005) * span * (event.key === "ArrowLeft" ? -1 : 1);
      this.at = Math.min(Math.max((this.at ?? middle) + step, min), max);
      for (const plot of this.plots) plot.setCursor({ left: plot.valToPos(this.at, "x"), top: plot.height / 3 });
    } else return;
    event.preventDefault();
  },

  resize() {
    for (const plot of this.plots) plot.setSize({ width: this.place.clientWidth, height: plot.height });
  },
});
