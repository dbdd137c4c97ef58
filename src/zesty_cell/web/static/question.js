// A page's question to the server. A newer one takes the older one's place, whether its answer has begun to
// come or not: an abort in the middle of an answer is as ordinary as one before it.
export class Question {
  asked = null;

  // The answer's text; null when a newer question took this one's place, or after telling what went wrong.
  // A form with errors at their places (422) is an answer too, where the page has such.
  async ask(address, options, tell, { formWithErrors = true } = {}) {
    this.drop();
    this.asked = new AbortController();
    try {
      const response = await fetch(address, { ...options, signal: this.asked.signal });
      if (response.ok || (formWithErrors && response.status === 422)) {
        const text = await response.text();
        tell("");
        return text;
      }
      tell("The server could not work this out. What you typed is still here.");
    } catch (error) {
      if (error.name !== "AbortError") tell("The server does not answer. What you typed is still here.");
    }
    return null;
  }

  drop() { this.asked?.abort(); }
}
