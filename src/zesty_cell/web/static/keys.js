// One letter each; never while someone is typing.
const TYPING = "input:not([type=range]):not([type=checkbox]):not([type=radio]), textarea, select";

export function listenForKeys() {
  document.addEventListener("keydown", (event) => {
    if (event.key === "Escape" && event.target.matches?.("input, select")) {
      event.target.blur();
      return;
    }
    if (event.ctrlKey || event.metaKey || event.altKey || event.target.matches?.(TYPING)) return;
    if (event.key === "/") {
      event.preventDefault();
      document.getElementById("find").focus();
    } else if (event.key === "?") {
      document.getElementById("keys").showModal();
    } else if (/^[a-z]$/.test(event.key)) {
      const target = document.querySelector(`[data-key="${event.key}"]`);
      if (!target || document.querySelector("dialog[open]")) return;
      event.preventDefault();
      for (let box = target.closest("details:not([open])"); box; box = box.parentElement.closest("details:not([open])")) box.open = true;
      if (target.matches("button, a")) target.click();
      else target.focus();
      target.select?.();
    }
  });
}
