// A drill as it is flown: plays what the server has worked out, and asks for the rest after a decision.
const at = (id) => document.getElementById(id);
const calm = window.matchMedia("(prefers-reduced-motion: reduce)");
const CALM_STEP_MS = 1000;
const SPOKEN_APART_S = 20;

export const practice = () => ({
  init() {
    Object.assign(this, { root: this.$el, decisions: [], time: 0, index: 0, running: false, flown: null, answered: false, said: 0, waits: {} });
    this.speed = Number(this.root.dataset.speed);
    at("begin").disabled = false;
    at("begin").addEventListener("click", () => this.begin());
    for (const button of this.root.querySelectorAll("[data-action]")) button.addEventListener("click", () => this.decide(button.dataset.action));
    at("pause").addEventListener("click", () => (this.running ? this.hold() : this.go()));
    at("say-state").addEventListener("click", () => this.tellState());
    document.addEventListener("keydown", (event) => {
      const asking = !at("ask").hidden;
      if (asking && /^[1-9]$/.test(event.key)) at("ask-options").children[Number(event.key) - 1]?.click();
      if (event.key !== " " || asking || event.target.matches("input, select, textarea, summary, a")) return;
      event.preventDefault();
      if (!this.flown) this.begin();
      else this.decide("go on");
    });
    // A button that has the focus would be pressed by the same key.
    document.addEventListener("keyup", (event) => { if (event.key === " " && at("ask").hidden && event.target.matches("button")) event.preventDefault(); });
  },

  async ask(from) {
    const body = new URLSearchParams({
      seed: this.root.dataset.seed, sheet: this.root.dataset.sheet, decisions: JSON.stringify(this.decisions), from: String(from),
    });
    try {
      const response = await fetch(`/practice/${this.root.dataset.drill}/play`, { method: "POST", body });
      const told = await response.json();
      if (!response.ok) throw new Error(told.trouble);
      at("trouble").textContent = "";
      return told;
    } catch (error) {
      at("trouble").textContent = error.message && !(error instanceof TypeError) ? error.message : "The server does not answer. The drill waits; decide again.";
      return null;
    }
  },

  async begin() {
    if (this.flown || this.asking) return;
    this.asking = true;
    const told = await this.ask(0);
    this.asking = false;
    if (!told) return;
    this.take(told);
    at("begin-part").hidden = true;
    for (const id of ["four", "pause", "say-state"]) at(id).hidden = false;
    at("four").querySelector("button").focus();
    this.tellAloud("The drill begins.");
    this.go();
  },

  take(told) {
    this.flown = told;
    this.index = 0;
    this.event = 0;
    this.trail();
  },

  go() {
    if (this.running || !this.flown) return;
    this.running = true;
    at("pause").textContent = "Pause";
    this.before = performance.now();
    const step = (now) => {
      if (!this.running) return;
      this.time += Math.min(now - this.before, 2 * CALM_STEP_MS) / 1000 * this.speed;
      this.before = now;
      this.show();
      if (this.running) this.again(step);
    };
    this.again(step);
  },

  again(step) {
    if (calm.matches) setTimeout(() => step(performance.now()), CALM_STEP_MS);
    else requestAnimationFrame(step);
  },

  hold() {
    this.running = false;
    at("pause").textContent = "Fly on";
  },

  show() {
    const { t, events, ask, ends } = this.flown;
    const stop = Math.min(this.time, ends);
    const next = events[this.event];
    if (ask && !this.answered && ask.at <= stop && (!next || ask.at < next.at)) return this.put(ask);
    while (this.event < events.length && events[this.event].at <= stop) {
      const event = events[this.event];
      this.event += 1;
      this.hear(event);
      if (!this.running) { this.time = event.at; break; }
    }
    if (ask && !this.answered && ask.at <= this.time) this.put(ask);
    while (this.index < t.length - 1 && t[this.index + 1] <= Math.min(this.time, ends)) {
      this.index += 1;
      this.trail();
    }
    this.draw();
    if (this.time >= ends && this.running) this.end();
  },

  draw() {
    const { t, x, y, leg, away, volts, used, clock } = this.flown;
    const k = this.index, n = Math.min(k + 1, t.length - 1);
    const part = n > k ? Math.min((this.time - t[k]) / (t[n] - t[k]), 1) : 0;
    const [px, py] = [x[k] + part * (x[n] - x[k]), y[k] + part * (y[n] - y[k])];
    at("craft").setAttribute("transform", `translate(${px} ${py})`);
    at("leg").textContent = leg[k];
    at("away").textContent = away[k];
    at("away").setAttribute("x", px);
    at("volts").textContent = volts[k] || "–";
    at("used").textContent = used[k] || "–";
    at("clock").textContent = clock[k];
  },

  trail() {
    const { x, y } = this.flown, way = at("way");
    // About in a circle it would be a wall of dots: only what is new on the picture is drawn.
    const place = `${x[this.index]},${y[this.index]}`;
    if (place !== this.place) way.setAttribute("points", `${way.getAttribute("points")} ${place}`);
    this.place = place;
  },

  hear(event) {
    const line = document.createElement("li"), when = document.createElement("span"), words = document.createElement("b");
    when.textContent = event.clock;
    words.textContent = `“${event.words}”`;
    line.className = `heard-${event.tone}`;
    line.append(when, words);
    at("heard").append(line);
    while (at("heard").children.length > 40) at("heard").firstChild.remove();
    at("heard").scrollTop = at("heard").scrollHeight;
    this.speak(event.words);
    if (event.tone !== "word") return;
    this.tellAloud(`${event.clock}: ${event.words}.`);
    const last = this.waits[event.words] ?? -Infinity;
    this.waits[event.words] = event.at;
    if (at("wait").checked && !this.down && event.at - last > Math.max(SPOKEN_APART_S, 4 * this.speed)) {
      this.hold();
      this.tellState();
    }
  },

  speak(words) {
    if (!at("sound").checked) return;
    this.voice?.pause();
    this.voice = new Audio(`/callouts/say.wav?${new URLSearchParams({ words })}`);
    this.voice.play().catch(() => {}); // no sound is needed
  },

  tellAloud(words) { at("aloud").textContent = words; },

  tellState() {
    const { leg, away, volts, used, clock } = this.flown, k = this.index;
    const parts = [clock[k], leg[k], away[k], volts[k] && `${volts[k]} volts`, used[k] && `${used[k]} milliamp hours used`];
    this.tellAloud(`${at("aloud").textContent} ${parts.filter(Boolean).join(", ")}.`);
  },

  put(question) {
    this.hold();
    this.time = question.at;
    at("ask-words").textContent = question.words;
    at("ask-options").replaceChildren(...question.options.map((words, k) => {
      const button = document.createElement("button");
      button.type = "button";
      button.textContent = words;
      button.addEventListener("click", () => this.answer(k));
      return button;
    }));
    at("ask").hidden = false;
    at("ask-options").firstChild.focus();
    this.tellAloud(question.words);
  },

  answer(k) {
    this.answered = true;
    at("done-answer").value = String(k);
    at("ask").hidden = true;
    at("four").querySelector("button").focus();
    this.go();
  },

  async decide(action) {
    if (!this.flown || this.asking || !at("ask").hidden || this.down) return;
    // The next tenth, never the last: what was heard at this moment was heard before it was decided on.
    const made = { at_s: Math.ceil(this.time * 10 + 1e-6) / 10, action };
    this.decisions.push(made);
    if (action === "go on") {
      this.go();
      return;
    }
    this.hold();
    this.asking = true;
    const told = await this.ask(made.at_s);
    this.asking = false;
    if (!told) {
      this.decisions.pop();
      return;
    }
    this.take(told);
    if (action !== "gentler") {
      this.down = true;
      for (const button of this.root.querySelectorAll("[data-action]")) button.disabled = true;
    }
    this.root.querySelector(`[data-action="${action}"]`).classList.add("chosen");
    this.tellAloud({ gentler: "Flying gently.", home: "On the way home.", land: "Landing here." }[action]);
    this.go();
  },

  end() {
    this.running = false;
    at("done-decisions").value = JSON.stringify(this.decisions);
    this.tellAloud("The drill is over.");
    at("done").submit();
  },
});
