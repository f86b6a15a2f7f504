// How rows, columns and cells are painted.
import { take } from "./blocks.js";
import { FLAGS, KIND, LOOK, NOTE, SPILLED, TEXT, cellAt, choicesAt, isParameter, letters, within } from "./cells.js";
import { now } from "./now.js";
import { editing, el, grid, work } from "./page.js";
import { said, tabs } from "./telling.js";

let built = {}; // what the grid's rows and columns were built from
let painting = 0;
let later = false; // whoever types isn't disturbed: what changed is painted once the cell is left
export function refresh() {
  cancelAnimationFrame(painting);
  painting = requestAnimationFrame(() => {
    if (editing()) later = true;
    else {
      later = false;
      grid.refresh?.("all");
    }
  });
}

document.addEventListener("focusout", () =>
  setTimeout(() => {
    if (later && !editing()) refresh();
  }, 0),
);
export function show(anew = true) {
  if (anew) {
    now.store = new Map();
    now.blocks = new Map([[0, Promise.resolve()]]);
    take(now.state.rows);
  }
  const layout = now.state.layout;
  const [frozenRows, frozenColumns] = layout.frozen;
  const hiddenRows = new Set(layout.hiddenRows),
    hiddenColumns = new Set(layout.hiddenColumns);
  now.pinnedRows = [];
  now.rows = [];
  now.pinnedColumns = [];
  now.columns = [];
  for (let row = 0; row < layout.rows; row += 1)
    if (!hiddenRows.has(row)) (row < frozenRows ? now.pinnedRows : now.rows).push(row);
  for (let on = 0; on < layout.columns; on += 1)
    if (!hiddenColumns.has(on)) (on < frozenColumns ? now.pinnedColumns : now.columns).push(on);
  // what stays as it is isn't built again: whoever types meanwhile goes on typing
  const across = JSON.stringify([
      layout.widths,
      layout.hiddenColumns,
      frozenColumns,
      now.state.editable,
      layout.columnLooks,
    ]),
    down = JSON.stringify([layout.hiddenRows, frozenRows]);
  if (across !== built.across) paintColumns();
  if (down !== built.down) {
    grid.pinnedTopSource = now.pinnedRows.map((row) => ({ r: row }));
    grid.source = now.rows.map((row) => ({ r: row }));
  }
  const tall = JSON.stringify([layout.heights, down]);
  if (tall !== built.tall && (built.tall || Object.keys(layout.heights).length)) heighten();
  built = { across, down, tall };
  el("grid").classList.toggle("unruled", layout.gridlines === "off");
  refresh();
  tabs();
  said();
}

// rows with cells that wrap are as high as the server says
async function heighten() {
  await customElements.whenDefined("revo-grid");
  await grid.componentOnReady?.();
  const { dimension } = await grid.getProviders();
  const sizes = (list) =>
    Object.fromEntries(
      list.flatMap((row, index) => (now.state.layout.heights[row] ? [[index, now.state.layout.heights[row]]] : [])),
    );
  dimension.setCustomSizes("rgRow", sizes(now.rows));
  dimension.setCustomSizes("rowPinStart", sizes(now.pinnedRows));
}

function paintColumns() {
  const layout = now.state.layout,
    frozenColumns = layout.frozen[1];
  grid.columns = [...now.pinnedColumns, ...now.columns].map((column) => ({
    prop: String(column),
    filter: false,
    name: letters(column),
    size: Number(layout.widths[column] || 96),
    minSize: 24,
    pin: column < frozenColumns ? "colPinStart" : undefined,
    editor: "cell",
    readonly: !now.state.editable,
    cellTemplate: (h, { model }) => draw(h, model.r, column),
    cellProperties: ({ model }) => properties(model.r, column),
  }));
}

function draw(h, row, column) {
  const cell = cellAt(row, column);
  const options = choicesAt(row, column);
  const picture = now.state.layout.pictures.find((one) => one.box[0] === row && one.box[1] === column);
  if (picture)
    return h("span", { class: "t" }, [
      h("img", {
        src: `${work.dataset.pictures}${picture.picture}/?${work.dataset.query}${typeof picture.picture === "string" ? `&sheet=${now.state.sheet}&v=${now.state.version || 0}` : ""}`,
        width: picture.width,
        height: picture.height,
        alt: "",
        draggable: "false",
      }),
      now.state.editable
        ? h("i", {
            class: "grip",
            "data-grip": picture.picture,
            title: "Resize",
            style: { left: `${picture.width - 12}px`, top: `${picture.height - 12}px` },
          })
        : null,
    ]);
  if (!cell && !options) return "";
  return h("span", { class: "t" }, [
    cell ? cell[TEXT] : "",
    options ? h("i", { class: "list", "aria-hidden": "true" }, "▾") : null,
  ]);
}

function properties(row, column) {
  const cell = cellAt(row, column);
  const classes = {};
  const style = {};
  const ofColumn = now.state.layout.columnLooks[column],
    own = cell ? now.state.looks[cell[LOOK]] || {} : {};
  const look = ofColumn ? { ...ofColumn, ...own } : own;
  if (cell || ofColumn) {
    if (cell?.[KIND]) classes[cell[KIND]] = true;
    for (const name of ["bold", "italic", "wrap"]) if (look[name]) classes[name] = true;
    for (const name of ["fill", "align", "top", "bottom", "left", "right"])
      if (look[name]) classes[`${name}-${look[name]}`] = true;
    if (look.indent) style["padding-left"] = `${8 + look.indent * 14}px`;
    if (cell?.[KIND] === "text" && !look.wrap && !cellAt(row, column + 1)?.[TEXT]) classes.over = true;
    if (cell?.[FLAGS] & SPILLED) classes.spilled = true;
  }
  const span = now.state.layout.spans.find((box) => within(box, row, column));
  if (span && row === span[0] && column === span[1]) {
    classes.spans = true;
    style["--span"] = `${spanWidth(span)}px`;
  } else if (span) classes.spanned = true;
  if (isParameter(row, column)) classes.parameter = true;
  for (const mark of now.marks)
    if (mark.sheet === now.state.sheet && within(mark.box, row, column)) classes[`ref ref-${mark.colour}`] = true;
  const found = { class: classes, style };
  const name = `${row},${column}`,
    comment = now.state.layout.comments[name],
    former = now.state.marks[name];
  if (comment) classes.commented = true;
  if (former !== undefined) classes.changed = true;
  if (now.state.layout.pictures.some((one) => one.box[0] === row && one.box[1] === column)) classes.pictured = true;
  for (const block of now.state.layout.blocks) {
    if (!within(block.box, row, column)) continue;
    classes[`block-${block.piece}`] = true;
    if (row === block.box[0]) classes["block-top"] = true;
    if (row === block.box[2]) classes["block-bottom"] = true;
    if (column === block.box[1]) classes["block-left"] = true;
    if (column === block.box[3]) classes["block-right"] = true;
    if (block.older) classes["block-older"] = true;
  }
  const told = [
    cell?.[NOTE],
    comment ? `${comment.who ? `${comment.who}: ` : ""}${comment.text}` : "",
    former === undefined ? "" : `Before: ${former || "nothing"}`,
  ].filter(Boolean);
  if (told.length) found.title = told.join("\n");
  return found;
}

function spanWidth(box) {
  let width = 0;
  for (let column = box[1]; column <= box[3]; column += 1) width += Number(now.state.layout.widths[column] || 96);
  return width;
}
