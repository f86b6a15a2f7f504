// Where one stands in the grid, and what is chosen.
import { showFormula } from "./formula.js";
import { now } from "./now.js";
import { grid } from "./page.js";

export function place(row, column) {
  const rowType = now.pinnedRows.includes(row) ? "rowPinStart" : "rgRow",
    colType = now.pinnedColumns.includes(column) ? "colPinStart" : "rgCol";
  return {
    rowType,
    colType,
    y: (rowType === "rgRow" ? now.rows : now.pinnedRows).indexOf(row),
    x: (colType === "rgCol" ? now.columns : now.pinnedColumns).indexOf(column),
  };
}

export async function focusOn(row, column, end) {
  const spot = place(row, column);
  if (spot.x < 0 || spot.y < 0) return;
  now.at = { row, column };
  if (spot.rowType === "rgRow")
    await grid.scrollToCoordinate({ x: spot.colType === "rgCol" ? spot.x : undefined, y: spot.y });
  const last = end ? place(end.row, end.column) : spot;
  await grid.setCellsFocus({ x: spot.x, y: spot.y }, { x: last.x, y: last.y }, spot.colType, spot.rowType);
  showFormula();
}

export async function chosen() {
  const range = await grid.getSelectedRange();
  if (!range) return [now.at.row, now.at.column, now.at.row, now.at.column];
  const ofRows = range.rowType === "rowPinStart" ? now.pinnedRows : now.rows,
    ofColumns = range.colType === "colPinStart" ? now.pinnedColumns : now.columns;
  return [
    ofRows[Math.min(range.y, range.y1)],
    ofColumns[Math.min(range.x, range.x1)],
    ofRows[Math.max(range.y, range.y1)],
    ofColumns[Math.max(range.x, range.x1)],
  ];
}

export function step(down, across) {
  const every = [...now.pinnedRows, ...now.rows],
    all = [...now.pinnedColumns, ...now.columns];
  const row = every[Math.min(Math.max(every.indexOf(now.at.row) + down, 0), every.length - 1)];
  const column = all[Math.min(Math.max(all.indexOf(now.at.column) + across, 0), all.length - 1)];
  setTimeout(() => focusOn(row, column), 0);
}
