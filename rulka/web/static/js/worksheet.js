// The worksheet: the grid paints and edits, the server holds the truth. No figure is computed here.
import * as guide from "./guide.js";
import "./worksheet/buttons.js";
import { corner } from "./worksheet/cells.js";
import "./worksheet/clipboard.js";
import { focusOn } from "./worksheet/focus.js";
import "./worksheet/forms.js";
import "./worksheet/grid.js";
import "./worksheet/keys.js";
import "./worksheet/line.js";
import { now } from "./worksheet/now.js";
import { el, grid, work } from "./worksheet/page.js";
import { show } from "./worksheet/painting.js";
import { typeInto } from "./worksheet/typing.js";

const names = () => Object.keys(now.state.names);
guide.learn(work.dataset.functions);
guide.preview(work, now.state.sheet, names());
guide.guideWorks(
  work,
  () => now.state.sheet,
  names,
  (cell, formula) => typeInto(...corner(cell), formula),
);
el("grid").append(grid);
show();
await customElements.whenDefined("revo-grid");
await grid.componentOnReady?.();
grid.dataset.ready = "yes";
const asked = new URLSearchParams(location.search).get("cell");
await focusOn(...(asked && /^[A-Z]+\d+$/i.test(asked) ? corner(asked) : [0, 0]));
// what is asked for on opening comes first
if (el("asks")) document.querySelector("#panel .asked select, #panel .asked input")?.focus();
