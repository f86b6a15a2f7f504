// The grid's own events.
import * as guide from "../guide.js";
import { fetchNear } from "./blocks.js";
import { address, isParameter } from "./cells.js";
import { send } from "./edits.js";
import { showFormula } from "./formula.js";
import { now } from "./now.js";
import { grid } from "./page.js";
import { follow, openPanel } from "./panel.js";
import { CellEditor, typeInto } from "./typing.js";

Object.assign(grid, {
  range: true,
  resize: true,
  useClipboard: false,
  theme: "compact",
  rowSize: 24,
  hideAttribution: true,
  canFocus: true,
  editors: { cell: CellEditor },
  rowHeaders: { size: 46, cellTemplate: (h, { model }) => String(model.r + 1) },
  autoSizeColumn: false,
  frameSize: 4,
});

// The grid draws row numbers and headings without the roles that a screen reader needs: numbers are told with the address
// of the cell, headings belong to a row.
new MutationObserver(() => {
  grid.querySelector("revogr-row-headers:not([aria-hidden])")?.setAttribute("aria-hidden", "true");
  for (const heads of grid.querySelectorAll(".header-rgRow:not([role])")) heads.setAttribute("role", "row");
}).observe(grid, { childList: true, subtree: true });

grid.addEventListener("beforeedit", (event) => {
  event.preventDefault();
  const { prop, model, val } = event.detail;
  if (now.state.editable && typeof val === "string") typeInto(model.r, Number(prop), val);
});

grid.addEventListener("beforeeditstart", (event) => {
  if (!now.state.editable) {
    event.preventDefault();
    if (isParameter(now.at.row, now.at.column)) openPanel("parameters");
  }
});
grid.addEventListener("beforerangeedit", (event) => event.preventDefault());
grid.addEventListener("beforesorting", (event) => event.preventDefault());
grid.addEventListener("afterfocus", (event) => {
  const { model, column } = event.detail;
  if (!model || !column) return;
  if (now.writing) {
    const { field: own, caret } = now.writing,
      text = address(model.r, Number(column.prop));
    now.writing = null;
    own.focus();
    own.setRangeText(text, caret, caret, "end");
    own.dispatchEvent(new Event("input", { bubbles: true }));
    return;
  }
  if (guide.pointed(address(model.r, Number(column.prop)))) return;
  now.at = { row: model.r, column: Number(column.prop) };
  showFormula();
  follow();
});

grid.addEventListener("beforeautofill", (event) => {
  event.preventDefault();
  const { newRange, oldRange, type, colType } = event.detail;
  const ofRows = type === "rowPinStart" ? now.pinnedRows : now.rows,
    ofColumns = colType === "colPinStart" ? now.pinnedColumns : now.columns;
  const box = (range) => [ofRows[range.y], ofColumns[range.x], ofRows[range.y1], ofColumns[range.x1]];
  if (now.state.editable) send({ do: "fill", source: box(oldRange), target: box(newRange) });
});

grid.addEventListener("viewportscroll", (event) => {
  if (event.detail.dimension === "rgRow") near(event.detail.coordinate);
});
grid.addEventListener("aftercolumnresize", (event) => {
  for (const column of Object.values(event.detail)) {
    now.state.layout.widths[column.prop] = column.size;
    if (now.state.editable)
      send({ do: "setting", name: "width", column: Number(column.prop), width: Math.round(column.size) });
  }
});

function near(coordinate) {
  const taller = Object.values(now.state.layout.heights).reduce((sum, height) => sum + height / 24 - 1, 0);
  const top = Math.floor(coordinate / 24);
  fetchNear(
    now.rows[Math.max(Math.min(top, now.rows.length - 1) - Math.ceil(taller), 0)] ?? 0,
    now.rows[Math.min(top + 60, now.rows.length - 1)] ?? 0,
  );
}
