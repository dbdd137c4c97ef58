// The phone as the guard of a pilot without telemetry: it keeps awake, says the minutes, “time, land”, and vibrates.
// All that is to be said is handed to the sound system as it starts, which keeps time with the screen dimmed too.
const LEAD_S = 0.15;
const SHAKE = { end: [400, 150, 400, 150, 800], minute: [120] };

export const soundOf = (words) => `/callouts/say.wav?${new URLSearchParams({ words })}`;

export class Guard {
  constructor() {
    this.context = null;
    this.playing = [];
    this.timers = [];
    this.awake = null;
    this.wanted = false;
    document.addEventListener("visibilitychange", () => { if (this.wanted && !document.hidden) this.keepAwake(); });
  }

  // From a tap alone: browsers let nothing sound before one.
  wake() {
    this.context ??= new (window.AudioContext ?? window.webkitAudioContext)({ latencyHint: "playback" });
    return this.context.resume();
  }

  async keepAwake() {
    try {
      this.awake = await navigator.wakeLock?.request("screen") ?? null;
    } catch {
      this.awake = null;
    }
    return this.awake !== null;
  }

  // A voice where it was taken along, else a tone that is not taken for anything.
  async sound(words) {
    try {
      const response = await fetch(soundOf(words));
      if (response.ok) return await this.context.decodeAudioData(await response.arrayBuffer());
    } catch {
      // not taken along
    }
    return null;
  }

  play(buffer, at) {
    const source = buffer ? this.context.createBufferSource() : this.context.createOscillator();
    if (buffer) source.buffer = buffer;
    else source.frequency.value = 880;
    source.connect(this.context.destination);
    source.start(at);
    if (!buffer) source.stop(at + 0.6);
    this.playing.push(source);
  }

  // Says whether the screen stays awake, and whether voices are there.
  async start(calls, since) {
    this.silence();
    this.wanted = true;
    await this.wake();
    const words = [...new Set(calls.map(([, said]) => said))];
    const sounds = new Map(await Promise.all(words.map(async (said) => [said, await this.sound(said)])));
    if (!this.wanted) return { awake: false, voices: true };
    const last = Math.max(...calls.map(([at]) => at));
    for (const [at, said] of calls) {
      const inS = at - (Date.now() - since) / 1000;
      if (inS < -1) continue;
      this.play(sounds.get(said), this.context.currentTime + Math.max(inS, 0) + LEAD_S);
      this.timers.push(setTimeout(() => navigator.vibrate?.(at >= last ? SHAKE.end : SHAKE.minute), Math.max(inS, 0) * 1000));
    }
    return { awake: await this.keepAwake(), voices: [...sounds.values()].every(Boolean) };
  }

  silence() {
    this.wanted = false;
    for (const source of this.playing.splice(0)) {
      try { source.stop(); } catch { /* it is over */ }
    }
    for (const timer of this.timers.splice(0)) clearTimeout(timer);
    navigator.vibrate?.(0);
    this.awake?.release().catch(() => {});
    this.awake = null;
  }
}
