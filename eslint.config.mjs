// The scripts of the pages: what is named has to be there, what is made has to be used.
import js from "@eslint/js";
import globals from "globals";

const shared = { htmx: "readonly", Alpine: "readonly", Idiomorph: "readonly", rulka: "readonly" };

export default [
  { ignores: ["rulka/web/static/vendor/**"] },
  js.configs.recommended,
  {
    files: ["rulka/web/static/js/**/*.js"],
    languageOptions: { ecmaVersion: 2022, sourceType: "module", globals: { ...globals.browser, ...shared } },
    rules: { "max-lines": ["error", 320] },
  },
  {
    files: ["rulka/web/static/js/rulka.js"],
    languageOptions: { sourceType: "script" },
    rules: { "no-redeclare": "off", "no-unused-vars": "off" },
  },
];
