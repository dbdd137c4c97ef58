// A file too large is not sent only to be refused.
export function checkFiles() {
  for (const input of document.querySelectorAll("input[type=file][data-most]")) {
    input.addEventListener("change", () => {
      const size = input.files[0]?.size ?? 0, most = Number(input.dataset.most);
      const mb = (bytes) => Math.round(bytes / 1e6);
      const words = size > most ? `This file has ${mb(size)} MB; up to ${mb(most)} MB are read.` : "";
      document.getElementById(input.getAttribute("aria-describedby")).textContent = words;
      input.setCustomValidity(words);
    });
  }
}
