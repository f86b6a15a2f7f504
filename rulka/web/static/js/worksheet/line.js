// The line above the grid in which a formula is written.
import * as guide from "../guide.js";
import { focusOn, step } from "./focus.js";
import { colour, showFormula } from "./formula.js";
import { now } from "./now.js";
import { el } from "./page.js";
import { typeInto } from "./typing.js";

// the formula line
const field = el("formula");
field.addEventListener("input", () => {
  colour(field.value);
  guide.typing(field);
});
field.addEventListener("blur", () => setTimeout(guide.close, 120));
document.addEventListener(
  "mousedown",
  (event) => {
    const own = document.activeElement;
    if (!el("grid").contains(event.target) || own !== field || !own.value.startsWith("=")) return;
    if (/[=(,;+\-*/^&<>:]\s*$/.test(own.value.slice(0, own.selectionStart)))
      now.writing = { field: own, caret: own.selectionStart };
  },
  true,
);

field.addEventListener("keydown", (event) => {
  if (guide.pressed(event)) return;
  if (event.key === "Enter" && !event.shiftKey && !event.isComposing) {
    event.preventDefault();
    const { row, column } = now.at;
    field.blur();
    typeInto(row, column, field.value);
    step(1, 0);
  }
  if (event.key === "Escape") {
    event.preventDefault();
    field.blur();
    showFormula();
    focusOn(now.at.row, now.at.column);
  }
});
