// Copies what the application serves from its packages, with their licences.
import { copyFileSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";

const out = "../src/zesty_cell/web/static";
mkdirSync(`${out}/vendor`, { recursive: true });
mkdirSync(`${out}/fonts`, { recursive: true });
mkdirSync("../tests/e2e/vendor", { recursive: true });

const version = (name) => JSON.parse(readFileSync(`node_modules/${name}/package.json`)).version;
const mit = (name, holder) =>
  `${name} ${version(name)}\nMIT License, Copyright (c) ${holder}\n\n` +
  "Permission is hereby granted, free of charge, to any person obtaining a copy of this software and associated " +
  "documentation files (the \"Software\"), to deal in the Software without restriction, including without limitation " +
  "the rights to use, copy, modify, merge, publish, distribute, sublicense, and/or sell copies of the Software, and to " +
  "permit persons to whom the Software is furnished to do so, subject to the following conditions: The above copyright " +
  "notice and this permission notice shall be included in all copies or substantial portions of the Software. THE " +
  "SOFTWARE IS PROVIDED \"AS IS\", WITHOUT WARRANTY OF ANY KIND, EXPRESS OR IMPLIED, INCLUDING BUT NOT LIMITED TO THE " +
  "WARRANTIES OF MERCHANTABILITY, FITNESS FOR A PARTICULAR PURPOSE AND NONINFRINGEMENT. IN NO EVENT SHALL THE AUTHORS " +
  "OR COPYRIGHT HOLDERS BE LIABLE FOR ANY CLAIM, DAMAGES OR OTHER LIABILITY, WHETHER IN AN ACTION OF CONTRACT, TORT OR " +
  "OTHERWISE, ARISING FROM, OUT OF OR IN CONNECTION WITH THE SOFTWARE OR THE USE OR OTHER DEALINGS IN THE SOFTWARE.\n";

for (const [name, file] of [["@alpinejs/csp", "alpine-csp.js"], ["@alpinejs/morph", "alpine-morph.js"]]) {
  copyFileSync(`node_modules/${name}/dist/module.esm.min.js`, `${out}/vendor/${file}`);
}
writeFileSync(`${out}/vendor/LICENSE-alpine.txt`, mit("@alpinejs/csp", "Caleb Porzio and contributors"));

for (const [family, file] of [
  ["atkinson-hyperlegible-next", "atkinson-hyperlegible-next-latin-wght-normal.woff2"],
  ["bricolage-grotesque", "bricolage-grotesque-latin-wght-normal.woff2"],
]) {
  copyFileSync(`node_modules/@fontsource-variable/${family}/files/${file}`, `${out}/fonts/${file}`);
  copyFileSync(`node_modules/@fontsource-variable/${family}/LICENSE`, `${out}/fonts/LICENSE-${family}.txt`);
}

// Entries of the phone's page lie in the browser's own database.  The plain build: its worker has no modules everywhere.
copyFileSync("node_modules/idb/build/umd.js", `${out}/vendor/idb.js`);
copyFileSync("node_modules/idb/LICENSE", `${out}/vendor/LICENSE-idb.txt`);

// Only the browser tests use this one.
copyFileSync("node_modules/axe-core/axe.min.js", "../tests/e2e/vendor/axe.min.js");
copyFileSync("node_modules/axe-core/LICENSE", "../tests/e2e/vendor/LICENSE-axe-core.txt");

// The explorer of telemetry logs.
copyFileSync("node_modules/uplot/dist/uPlot.esm.js", `${out}/vendor/uplot.js`);
copyFileSync("node_modules/uplot/dist/uPlot.min.css", `${out}/vendor/uplot.css`);
copyFileSync("node_modules/uplot/LICENSE", `${out}/vendor/LICENSE-uplot.txt`);

// The page to read and try the API.  Its map of sources is not shipped.
const viewer = readFileSync("node_modules/swagger-ui-dist/swagger-ui-bundle.js", "utf8");
writeFileSync(`${out}/vendor/swagger-ui.js`, viewer.replace(/\n\/\/# sourceMappingURL=.*\s*$/, "\n"));
const look = readFileSync("node_modules/swagger-ui-dist/swagger-ui.css", "utf8");
writeFileSync(`${out}/vendor/swagger-ui.css`, look.replace(/\n?\/\*# sourceMappingURL=.*?\*\/\s*$/, "\n"));
const notices = ["LICENSE", "NOTICE", "swagger-ui-bundle.js.LICENSE.txt"];
const noticed = notices.map((name) => readFileSync(`node_modules/swagger-ui-dist/${name}`, "utf8"));
writeFileSync(`${out}/vendor/LICENSE-swagger-ui.txt`, noticed.join("\n"));
