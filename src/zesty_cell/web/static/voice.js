// Words as the transmitter would speak them, one at a time.
let playing = null;

export function speak(words, tell) {
  playing?.pause();
  const ask = new URLSearchParams({
    words, voice: document.getElementById("voice").value, speed: document.getElementById("voice-speed").value,
  });
  playing = new Audio(`/callouts/say.wav?${ask}`);
  playing.play().catch((error) => {
    if (error.name !== "AbortError") tell("The browser would not play the voice.");
  });
}

// The page of the lines: each is heard by its button.
export const voices = () => ({
  init() {
    const tell = (words) => { document.getElementById("live-trouble").textContent = words; };
    this.$el.addEventListener("click", (event) => {
      const words = event.target.dataset.say;
      if (words) speak(words, tell);
    });
  },
});
