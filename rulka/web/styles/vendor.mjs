// Copies the pinned scripts and fonts, with their licences, from node_modules into the static files.
import { copyFileSync, mkdirSync } from "node:fs";
import { build } from "esbuild";

const to = "rulka/web/static";
mkdirSync(`${to}/vendor`, { recursive: true });
mkdirSync(`${to}/fonts`, { recursive: true });
const files = [
  ["htmx.org/dist/htmx.min.js", "vendor/htmx.min.js"],
  ["htmx.org/LICENSE", "vendor/htmx.LICENSE.txt"],
  ["@alpinejs/csp/dist/cdn.min.js", "vendor/alpine-csp.min.js"],
  ["idiomorph/dist/idiomorph-ext.min.js", "vendor/idiomorph-ext.min.js"],
  ["idiomorph/LICENSE", "vendor/idiomorph.LICENSE.txt"],
  ["@fontsource-variable/source-sans-3/files/source-sans-3-latin-wght-normal.woff2", "fonts/source-sans-3.woff2"],
  ["@fontsource-variable/source-sans-3/LICENSE", "fonts/source-sans-3.LICENSE.txt"],
  ["@fontsource-variable/source-serif-4/files/source-serif-4-latin-wght-normal.woff2", "fonts/source-serif-4.woff2"],
  ["@fontsource-variable/source-serif-4/LICENSE", "fonts/source-serif-4.LICENSE.txt"],
];
for (const [from, name] of files) copyFileSync(`node_modules/${from}`, `${to}/${name}`);

// What judges pages in the browser tests; the application never loads it.
mkdirSync("tests/browser/vendor", { recursive: true });
copyFileSync("node_modules/axe-core/axe.min.js", "tests/browser/vendor/axe.min.js");
copyFileSync("node_modules/axe-core/LICENSE", "tests/browser/vendor/axe.LICENSE.txt");

// The grid is many modules: bundled into one, which defines its elements when it is loaded.
await build({
  stdin: {
    contents: 'export { defineCustomElements, setNonce } from "@revolist/revogrid/loader";',
    resolveDir: ".",
  },
  bundle: true,
  format: "esm",
  minify: true,
  legalComments: "none",
  logLevel: "error",
  outfile: `${to}/vendor/revogrid.js`,
});
copyFileSync("node_modules/@revolist/revogrid/LICENSE", `${to}/vendor/revogrid.LICENSE.txt`);

// The editor of texts is many packages: bundled into one, with what folios use of it.
const parts = ["state", "view", "model", "schema-list", "tables", "keymap", "history", "commands", "inputrules", "gapcursor"];
await build({
  stdin: { contents: parts.map((part) => `export * from "prosemirror-${part}";`).join("\n"), resolveDir: "." },
  bundle: true,
  format: "esm",
  minify: true,
  legalComments: "none",
  logLevel: "error",
  outfile: `${to}/vendor/prosemirror.js`,
});
copyFileSync("node_modules/prosemirror-view/LICENSE", `${to}/vendor/prosemirror.LICENSE.txt`);
