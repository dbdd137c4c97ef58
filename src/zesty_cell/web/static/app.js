// Starts Alpine (its CSP build) and what is the same on every page: keys, view switches, printing.
import Alpine from "./vendor/alpine-csp.js";
import morph from "./vendor/alpine-morph.js";
import { callouts } from "./callouts.js";
import { discharges } from "./discharges.js";
import { lazily } from "./lazily.js";
import { listenForKeys } from "./keys.js";
import { localTimes } from "./local-time.js";
import { field } from "./field.js";
import { live } from "./live.js";
import { pattern } from "./pattern.js";
import { pending } from "./pending.js";
import { search } from "./search.js";
import { sheet } from "./sheet.js";
import { start } from "./start.js";
import { checkFiles } from "./files.js";
import { voices } from "./voice.js";
import { waiting } from "./waiting.js";

Alpine.plugin(morph);
Alpine.data("sheet", sheet(Alpine));
Alpine.data("start", start(Alpine));
Alpine.data("live", live(Alpine));
Alpine.data("search", search(Alpine));
Alpine.data("pending", pending(Alpine));
Alpine.data("pattern", pattern(Alpine));
Alpine.data("callouts", callouts(Alpine));
Alpine.data("voices", voices);
Alpine.data("field", field(Alpine));
Alpine.data("waiting", waiting(Alpine));
Alpine.data("discharges", discharges(Alpine));
Alpine.data("practice", lazily(() => import("./practice.js"), "practice"));
Alpine.data("explorer", lazily(() => import("./explorer.js"), "explorer"));
Alpine.start();
listenForKeys();
checkFiles();
localTimes();
document.documentElement.dataset.ready = "yes";

document.querySelector("[data-print]")?.addEventListener("click", async (event) => {
  window.print();
  await fetch(event.target.dataset.printed, { method: "POST" });
});

// A changed view must not cost what is being typed: remember it, then ask again with the form as it is.
for (const form of document.querySelectorAll("form[data-view]")) {
  form.addEventListener("submit", async (event) => {
    const open = document.querySelector("form[data-saved='no']");
    if (!open) return;
    event.preventDefault();
    const body = new FormData(form, event.submitter);
    await fetch(form.getAttribute("action"), { method: "POST", body: new URLSearchParams(body), redirect: "manual" });
    open.dataset.leaving = "yes";
    open.submit();
  });
}
