// The worksheet: the grid paints and edits, the server holds the truth. No figure is computed here.
import { defineCustomElements, setNonce } from "../vendor/revogrid.js";
import * as guide from "./guide.js";

const work = document.getElementById("work");
setNonce(work.dataset.nonce);
defineCustomElements();

const el = (id) => document.getElementById(id);
const ROWS = 200; // rows that are fetched at once
const TEXT = 2, KIND = 3, LOOK = 4, INPUT = 5, FLAGS = 6, NOTE = 7, ANCHOR = 8; // places in a cell as the server sends it
const SPILLED = 2;

let state = JSON.parse(el("first").textContent);
let store = new Map(); // by "row,column" the cells that were sent
let blocks = new Map(); // by number the blocks of rows that were, or are being, fetched
let rows = []; // the rows that are shown below the frozen ones, in order
let pinnedRows = [];
let columns = []; // the columns that are shown beside the frozen ones
let pinnedColumns = [];
let at = { row: 0, column: 0 };
let copied = null; // what was copied here last: { sheet, box, text, cut }
let marks = []; // areas that the formula in hand refers to: { sheet, box, colour }
let sending = Promise.resolve();
let every = false; // whether rows and columns show that hide
let lookTaken = null; // where a look was taken: { sheet, box }
let writing = null; // a formula in hand, into which a click on a cell puts its address
let built = {}; // what the grid's rows and columns were built from
const grid = document.createElement("revo-grid");

const letters = (column) => (column < 26 ? "" : String.fromCharCode(64 + Math.floor(column / 26))) + String.fromCharCode(65 + (column % 26));
const address = (row, column) => letters(column) + (row + 1);
const cellAt = (row, column) => store.get(`${row},${column}`);
const columnOf = (text) => [...text.toUpperCase()].reduce((sum, letter) => sum * 26 + letter.charCodeAt(0) - 64, 0) - 1;
const sheetQuery = () => `&sheet=${state.sheet}${every ? "&every=yes" : ""}`;
const token = () => JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];

// what the server says ---------------------------------------------------------------------------------------------------

function take(cells) { for (const cell of cells) store.set(`${cell[0]},${cell[1]}`, cell); }

function fetchBlock(number) {
  if (!blocks.has(number)) {
    const version = state.version, sheet = state.sheet;
    const address = `${work.dataset.cells}${sheetQuery()}&first=${number * ROWS}&last=${number * ROWS + ROWS - 1}`;
    blocks.set(number, fetch(address).then((answer) => (answer.ok ? answer.json() : Promise.reject(new Error(answer.statusText)))).then((found) => {
      if (state.sheet !== sheet || state.version !== version) return; // of an older state: asked for again when it is near
      take(found.rows);
      refresh();
    }, () => { blocks.delete(number); }));
  }
  return blocks.get(number);
}

function fetchNear(first, last) {
  for (let number = Math.floor(first / ROWS); number <= Math.floor(last / ROWS); number += 1) {
    if (number * ROWS < state.used) fetchBlock(number);
  }
}

let painting = 0;
let later = false; // whoever types isn't disturbed: what changed is painted once the cell is left
function refresh() {
  cancelAnimationFrame(painting);
  painting = requestAnimationFrame(() => { if (editing()) later = true; else { later = false; grid.refresh?.("all"); } });
}
document.addEventListener("focusout", () => setTimeout(() => { if (later && !editing()) refresh(); }, 0));

async function reload(sheet) {
  const answer = await fetch(`${work.dataset.cells}&sheet=${sheet ?? state.sheet}${every ? "&every=yes" : ""}&first=0&last=${ROWS - 1}&state=1`);
  if (!answer.ok) { alertWith(await answer.text()); return; }
  state = await answer.json();
  show();
  if (!editing()) focusOn(at.row, at.column);
}

function send(asked) {
  const job = sending.then(async () => {
    const answer = await fetch(work.dataset.edit, {
      method: "POST", body: JSON.stringify({ version: state.version, sheet: state.sheet, every, ...asked }),
      headers: { "Content-Type": "application/json", "X-CSRFToken": token(), "HX-Request": "true" },
    });
    if (!answer.ok) { alertWith(await answer.text()); if (answer.status === 422) await reload(); return false; }
    el("alert").replaceChildren();
    const found = await answer.json();
    await takeIn(found);
    if (found.done) el("foot-said").textContent = found.done;
    openPanel(el("panel").dataset.panel === "trace" ? "trace" : el("panel").dataset.panel, true);
    return true;
  });
  sending = job.catch(() => {});
  return job;
}

// what changed since the version that is shown
async function takeIn(found) {
  if (found.reload) { await reload(found.sheet); return; }
  const { cells, ...own } = found;
  const before = JSON.stringify(state.layout);
  state = { ...state, ...own };
  take(cells);
  if (JSON.stringify(state.layout) !== before) show(false);
  refresh();
  said();
  showFormula();
}

// others may work on the same worksheet: what they do comes in while one looks on
async function lookAround() {
  if (document.hidden || editing() || document.activeElement?.id === "formula") return;
  const job = sending.then(async () => {
    const answer = await fetch(`${work.dataset.cells}${sheetQuery()}&since=${state.version}`, { headers: { "HX-Request": "true" } });
    if (!answer.ok) return;
    const found = await answer.json();
    if (found.version === state.version || !found.layout) return;
    await takeIn(found);
    if (found.done) el("foot-said").textContent = found.done;
  });
  sending = job.catch(() => {});
}
setInterval(lookAround, 4000);

function alertWith(html) { el("alert").innerHTML = html; }

// painting ---------------------------------------------------------------------------------------------------------------

function show(anew = true) {
  if (anew) {
    store = new Map();
    blocks = new Map([[0, Promise.resolve()]]);
    take(state.rows);
  }
  const layout = state.layout;
  const [frozenRows, frozenColumns] = layout.frozen;
  const hiddenRows = new Set(layout.hiddenRows), hiddenColumns = new Set(layout.hiddenColumns);
  pinnedRows = []; rows = []; pinnedColumns = []; columns = [];
  for (let row = 0; row < layout.rows; row += 1) if (!hiddenRows.has(row)) (row < frozenRows ? pinnedRows : rows).push(row);
  for (let on = 0; on < layout.columns; on += 1) if (!hiddenColumns.has(on)) (on < frozenColumns ? pinnedColumns : columns).push(on);
  // what stays as it is isn't built again: whoever types meanwhile goes on typing
  const across = JSON.stringify([layout.widths, layout.hiddenColumns, frozenColumns, state.editable, layout.columnLooks]), down = JSON.stringify([layout.hiddenRows, frozenRows]);
  if (across !== built.across) paintColumns();
  if (down !== built.down) {
    grid.pinnedTopSource = pinnedRows.map((row) => ({ r: row }));
    grid.source = rows.map((row) => ({ r: row }));
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
  const sizes = (list) => Object.fromEntries(list.flatMap((row, index) => (state.layout.heights[row] ? [[index, state.layout.heights[row]]] : [])));
  dimension.setCustomSizes("rgRow", sizes(rows));
  dimension.setCustomSizes("rowPinStart", sizes(pinnedRows));
}

function paintColumns() {
  const layout = state.layout, frozenColumns = layout.frozen[1];
  grid.columns = [...pinnedColumns, ...columns].map((column) => ({
    prop: String(column), name: letters(column), size: Number(layout.widths[column] || 96), minSize: 24,
    pin: column < frozenColumns ? "colPinStart" : undefined, editor: "cell", readonly: !state.editable,
    cellTemplate: (h, { model }) => draw(h, model.r, column),
    cellProperties: ({ model }) => properties(model.r, column),
  }));
}

function draw(h, row, column) {
  const cell = cellAt(row, column);
  const options = choicesAt(row, column);
  const picture = state.layout.pictures.find((one) => one.box[0] === row && one.box[1] === column);
  if (picture) return h("span", { class: "t" }, [h("img", { src: `${work.dataset.pictures}${picture.picture}/?${work.dataset.query}${typeof picture.picture === "string" ? `&sheet=${state.sheet}&v=${state.version || 0}` : ""}`, width: picture.width, height: picture.height, alt: "", draggable: "false" }), state.editable ? h("i", { class: "grip", "data-grip": picture.picture, title: "Resize", style: { left: `${picture.width - 12}px`, top: `${picture.height - 12}px` } }) : null]);
  if (!cell && !options) return "";
  return h("span", { class: "t" }, [cell ? cell[TEXT] : "", options ? h("i", { class: "list", "aria-hidden": "true" }, "▾") : null]);
}

const within = (box, row, column) => row >= box[0] && row <= box[2] && column >= box[1] && column <= box[3];
function choicesAt(row, column) { return state.layout.choices.find((one) => within(one.box, row, column))?.options; }
const isParameter = (row, column) => state.layout.parameters.some((one) => one[0] === row && one[1] === column);

function properties(row, column) {
  const cell = cellAt(row, column);
  const classes = {};
  const style = {};
  const ofColumn = state.layout.columnLooks[column], own = cell ? state.looks[cell[LOOK]] || {} : {};
  const look = ofColumn ? { ...ofColumn, ...own } : own;
  if (cell || ofColumn) {
    if (cell?.[KIND]) classes[cell[KIND]] = true;
    for (const name of ["bold", "italic", "wrap"]) if (look[name]) classes[name] = true;
    for (const name of ["fill", "align", "top", "bottom", "left", "right"]) if (look[name]) classes[`${name}-${look[name]}`] = true;
    if (look.indent) style["padding-left"] = `${8 + look.indent * 14}px`;
    if (cell?.[KIND] === "text" && !look.wrap && !cellAt(row, column + 1)?.[TEXT]) classes.over = true;
    if (cell?.[FLAGS] & SPILLED) classes.spilled = true;
  }
  const span = state.layout.spans.find((box) => within(box, row, column));
  if (span && row === span[0] && column === span[1]) { classes.spans = true; style["--span"] = `${spanWidth(span)}px`; } else if (span) classes.spanned = true;
  if (isParameter(row, column)) classes.parameter = true;
  for (const mark of marks) if (mark.sheet === state.sheet && within(mark.box, row, column)) classes[`ref ref-${mark.colour}`] = true;
  const found = { class: classes, style };
  const name = `${row},${column}`, comment = state.layout.comments[name], former = state.marks[name];
  if (comment) classes.commented = true;
  if (former !== undefined) classes.changed = true;
  if (state.layout.pictures.some((one) => one.box[0] === row && one.box[1] === column)) classes.pictured = true;
  for (const block of state.layout.blocks) {
    if (!within(block.box, row, column)) continue;
    classes[`block-${block.piece}`] = true;
    if (row === block.box[0]) classes["block-top"] = true;
    if (row === block.box[2]) classes["block-bottom"] = true;
    if (column === block.box[1]) classes["block-left"] = true;
    if (column === block.box[3]) classes["block-right"] = true;
    if (block.older) classes["block-older"] = true;
  }
  const told = [cell?.[NOTE], comment ? `${comment.who ? `${comment.who}: ` : ""}${comment.text}` : "", former === undefined ? "" : `Before: ${former || "nothing"}`].filter(Boolean);
  if (told.length) found.title = told.join("\n");
  return found;
}

function spanWidth(box) {
  let width = 0;
  for (let column = box[1]; column <= box[3]; column += 1) width += Number(state.layout.widths[column] || 96);
  return width;
}

function tabs() {
  const nav = el("sheettabs");
  nav.replaceChildren(...state.sheets.map(([number, name]) => {
    const button = document.createElement("button");
    button.type = "button"; button.textContent = name;
    if (number === state.sheet) button.setAttribute("aria-current", "true");
    button.addEventListener("click", () => { at = { row: 0, column: 0 }; reload(number).then(() => openPanel(null, true)); });
    return button;
  }));
  if (state.editable) {
    const add = document.createElement("button");
    add.type = "button"; add.textContent = "+"; add.setAttribute("aria-label", "One more sheet");
    add.addEventListener("click", () => send({ do: "sheet", how: "add" }).then(() => reload(state.sheets.at(-1)[0])));
    nav.append(add);
  }
}

function said() {
  for (const [id, what] of [["undo", state.undo], ["redo", state.redo]]) {
    const button = el(id);
    if (button) { button.disabled = !what; button.title = what ? `${id === "undo" ? "Undo" : "Redo"}: ${what}` : ""; }
  }
  const link = el("foot-error");
  link.hidden = !state.errors;
  if (state.errors) {
    const [sheet, row, column, code] = state.error;
    link.textContent = `${state.errors} error${state.errors === 1 ? "" : "s"}: ${address(row, column)} ${code} ›`;
    link.onclick = (event) => { event.preventDefault(); const go = () => { focusOn(row, column); openPanel("cell"); }; if (sheet !== state.sheet) reload(sheet).then(go); else go(); };
  }
  const covers = el("foot-covers");
  covers.hidden = !state.covers;
  if (state.covers) {
    covers.textContent = `Covers ${state.covers.text} ›`;
    covers.className = state.covers.whole ? "" : "warn";
    covers.onclick = (event) => { event.preventDefault(); openPanel("check"); };
  }
  el("foot-told").textContent = [state.told, state.taken ? `${state.taken} ms` : ""].filter(Boolean).join(" · ");
}

// the formula line and its colours ---------------------------------------------------------------------------------------

const REFERENCE = /"(?:[^"]|"")*"|((?:'(?:[^']|'')+'|[A-Za-z_][\w.]*)!)?(\$?[A-Za-z]{1,2}\$?[1-9]\d{0,4})(?::(\$?[A-Za-z]{1,2}\$?[1-9]\d{0,4}))?(#)?(?![\w(.])/g;
const corner = (text) => { const found = /^\$?([A-Za-z]+)\$?(\d+)$/.exec(text); return [Number(found[2]) - 1, columnOf(found[1])]; };

function colour(text) {
  const box = el("formula-colours");
  box.replaceChildren();
  const found = [];
  if (text.startsWith("=")) {
    let last = 0, next = 0;
    const seen = new Map();
    for (const match of text.matchAll(REFERENCE)) {
      if (!match[2]) continue;
      const [top, left] = corner(match[2]), [bottom, right] = match[3] ? corner(match[3]) : [top, left];
      const name = match[0].replaceAll("$", "").toUpperCase();
      if (!seen.has(name)) { seen.set(name, next % 5); next += 1; }
      box.append(text.slice(last, match.index));
      const piece = document.createElement("span");
      piece.className = `ref-${seen.get(name)}`; piece.textContent = match[0];
      box.append(piece);
      last = match.index + match[0].length;
      const named = match[1] ? match[1].slice(0, -1).replace(/^'|'$/g, "").replaceAll("''", "'") : null;
      const sheet = named ? state.sheets.find((one) => one[1].toLowerCase() === named.toLowerCase())?.[0] : state.sheet;
      let area = [Math.min(top, bottom), Math.min(left, right), Math.max(top, bottom), Math.max(left, right)];
      if (match[4]) { let end = area[0]; while (cellAt(end + 1, area[1])?.[FLAGS] & SPILLED) end += 1; area = [area[0], area[1], end, area[3]]; }
      found.push({ sheet, box: area, colour: seen.get(name) });
    }
    box.append(text.slice(last));
  } else box.append(text);
  const changed = JSON.stringify(found) !== JSON.stringify(marks);
  marks = found;
  if (changed) refresh();
}

function showFormula() {
  const field = el("formula");
  if (document.activeElement === field) return;
  const cell = cellAt(at.row, at.column);
  field.value = cell?.[INPUT] || "";
  field.placeholder = cell?.[ANCHOR] ? `filled by ${cell[ANCHOR]}` : "";
  el("at").textContent = address(at.row, at.column);
  colour(field.value);
}

// where one stands -------------------------------------------------------------------------------------------------------

function place(row, column) {
  const rowType = pinnedRows.includes(row) ? "rowPinStart" : "rgRow", colType = pinnedColumns.includes(column) ? "colPinStart" : "rgCol";
  return { rowType, colType, y: (rowType === "rgRow" ? rows : pinnedRows).indexOf(row), x: (colType === "rgCol" ? columns : pinnedColumns).indexOf(column) };
}

async function focusOn(row, column, end) {
  const spot = place(row, column);
  if (spot.x < 0 || spot.y < 0) return;
  at = { row, column };
  if (spot.rowType === "rgRow") await grid.scrollToCoordinate({ x: spot.colType === "rgCol" ? spot.x : undefined, y: spot.y });
  const last = end ? place(end.row, end.column) : spot;
  await grid.setCellsFocus({ x: spot.x, y: spot.y }, { x: last.x, y: last.y }, spot.colType, spot.rowType);
  showFormula();
}

async function chosen() {
  const range = await grid.getSelectedRange();
  if (!range) return [at.row, at.column, at.row, at.column];
  const ofRows = range.rowType === "rowPinStart" ? pinnedRows : rows, ofColumns = range.colType === "colPinStart" ? pinnedColumns : columns;
  return [ofRows[Math.min(range.y, range.y1)], ofColumns[Math.min(range.x, range.x1)], ofRows[Math.max(range.y, range.y1)], ofColumns[Math.max(range.x, range.x1)]];
}

// what somebody asks of the panel themselves goes before what it shows by itself
let own = null;
document.addEventListener("htmx:beforeRequest", (event) => { if (event.target.closest?.("#panel")) own = event.target; });
document.addEventListener("htmx:afterRequest", (event) => { if (event.target === own) own = null; });

function openPanel(panel, quiet) {
  if (quiet && own) return;
  const kind = panel || el("panel").dataset.panel || "cell";
  if (quiet && el("panel").contains(document.activeElement) && document.activeElement.matches("input, select, textarea")) return;
  if (!quiet) document.body.classList.remove("folded");
  htmx.ajax("GET", `${work.dataset.panel}${sheetQuery()}&cell=${address(at.row, at.column)}&panel=${kind}`, { source: "#opener" })
    .catch(() => {}); // given up for a newer one; what fails otherwise is told by its answer
}
let opening = 0;
function follow() { clearTimeout(opening); if (["cell", "trace"].includes(el("panel").dataset.panel)) opening = setTimeout(() => openPanel(null, true), 180); }

// the grid ---------------------------------------------------------------------------------------------------------------

// what is typed while the cell's field is on its way: nothing of it is lost, however quick somebody types
let starting = null;
let dropped = false; // the field on its way isn't wanted any more

function typedAhead(event) {
  const key = event.key;
  if (starting && (key === "Enter" || key === "Tab" || key === "Escape")) {
    const { row, column, text } = starting;
    starting = null;
    dropped = true;
    if (key !== "Escape") { typeInto(row, column, text); step(key === "Enter" ? 1 : 0, key === "Tab" ? (event.shiftKey ? -1 : 1) : 0); }
    return true;
  }
  if (starting && key === "Backspace") { starting.text = starting.text.slice(0, -1); return true; }
  if (key.length !== 1 || !state.editable) return false;
  if (starting) { starting.text += key; return true; }
  starting = { ...at, text: key };
  dropped = false;
  edit();
  return true;
}

class CellEditor {
  constructor(data, save, close) { this.data = data; this.save = save; this.close = close; this.element = null; this.done = false; }
  componentDidRender() {
    const field = this.element;
    if (!field || document.activeElement === field) return;
    if (dropped) { dropped = false; this.done = true; this.close(false); return; }
    if (starting) { field.value = starting.text; el("formula").value = starting.text; colour(starting.text); starting = null; }
    field.focus();
    field.setSelectionRange(field.value.length, field.value.length);
  }
  get field() { return this.element?.matches?.("input") ? this.element : this.element?.querySelector?.("input"); }
  getValue() { return this.field?.value; }
  beforeAutoSave() { return !this.done; }
  render(h) {
    const row = this.data.model.r, column = Number(this.data.prop);
    const text = starting ? starting.text : this.field?.value ?? (cellAt(row, column)?.[INPUT] || "");
    const options = choicesAt(row, column);
    return h("input", {
      type: "text", class: "celledit", value: text, autocomplete: "off", "aria-label": `Cell ${address(row, column)}`,
      ref: (field) => { this.element = field; },
      list: options ? offer(options) : undefined,
      onInput: (event) => { el("formula").value = event.target.value; colour(event.target.value); guide.typing(event.target); },
      onKeyDown: (event) => {
        if (guide.pressed(event)) return;
        guide.close();
        if (event.key === "Enter" && !event.isComposing) { event.stopPropagation(); event.preventDefault(); this.done = true; this.save(event.target.value, true); this.close(false); step(1, 0); }
        if (event.key === "Escape") { event.stopPropagation(); this.done = true; this.close(false); showFormula(); }
        if (event.key === "Tab") { event.stopPropagation(); event.preventDefault(); this.done = true; this.save(event.target.value, true); this.close(false); step(0, event.shiftKey ? -1 : 1); }
      },
    });
  }
}

function offer(options) {
  let list = el("cell-options");
  if (!list) { list = document.createElement("datalist"); list.id = "cell-options"; document.body.append(list); }
  list.replaceChildren(...options.map((text) => { const one = document.createElement("option"); one.value = text; return one; }));
  return "cell-options";
}

function step(down, across) {
  const every = [...pinnedRows, ...rows], all = [...pinnedColumns, ...columns];
  const row = every[Math.min(Math.max(every.indexOf(at.row) + down, 0), every.length - 1)];
  const column = all[Math.min(Math.max(all.indexOf(at.column) + across, 0), all.length - 1)];
  setTimeout(() => focusOn(row, column), 0);
}

function typeInto(row, column, text) {
  if ((cellAt(row, column)?.[INPUT] || "") === text) { showFormula(); return; }
  const former = cellAt(row, column) || [row, column, "", "", 0, "", 0, ""];
  const kept = [...former];
  kept[TEXT] = text.startsWith("=") ? "…" : text; kept[INPUT] = text; // until the server has said what it shows
  store.set(`${row},${column}`, kept);
  refresh();
  send({ do: "type", cells: [[row, column, text]] });
}

Object.assign(grid, {
  range: true, resize: true, useClipboard: false, theme: "compact", rowSize: 24, hideAttribution: true, canFocus: true, editors: { cell: CellEditor },
  rowHeaders: { size: 46, cellTemplate: (h, { model }) => String(model.r + 1) }, autoSizeColumn: false, frameSize: 4,
});
grid.addEventListener("beforeedit", (event) => {
  event.preventDefault();
  const { prop, model, val } = event.detail;
  if (state.editable && typeof val === "string") typeInto(model.r, Number(prop), val);
});
grid.addEventListener("beforeeditstart", (event) => { if (!state.editable) { event.preventDefault(); if (isParameter(at.row, at.column)) openPanel("parameters"); } });
grid.addEventListener("beforerangeedit", (event) => event.preventDefault());
grid.addEventListener("beforesorting", (event) => event.preventDefault());
grid.addEventListener("afterfocus", (event) => {
  const { model, column } = event.detail;
  if (!model || !column) return;
  if (writing) {
    const { field: own, caret } = writing, text = address(model.r, Number(column.prop));
    writing = null;
    own.focus();
    own.setRangeText(text, caret, caret, "end");
    own.dispatchEvent(new Event("input", { bubbles: true }));
    return;
  }
  if (guide.pointed(address(model.r, Number(column.prop)))) return;
  at = { row: model.r, column: Number(column.prop) };
  showFormula();
  follow();
});
grid.addEventListener("beforeautofill", (event) => {
  event.preventDefault();
  const { newRange, oldRange, type, colType } = event.detail;
  const ofRows = type === "rowPinStart" ? pinnedRows : rows, ofColumns = colType === "colPinStart" ? pinnedColumns : columns;
  const box = (range) => [ofRows[range.y], ofColumns[range.x], ofRows[range.y1], ofColumns[range.x1]];
  if (state.editable) send({ do: "fill", source: box(oldRange), target: box(newRange) });
});
grid.addEventListener("viewportscroll", (event) => { if (event.detail.dimension === "rgRow") near(event.detail.coordinate); });
grid.addEventListener("aftercolumnresize", (event) => {
  for (const column of Object.values(event.detail)) {
    state.layout.widths[column.prop] = column.size;
    if (state.editable) send({ do: "setting", name: "width", column: Number(column.prop), width: Math.round(column.size) });
  }
});

function near(coordinate) {
  const taller = Object.values(state.layout.heights).reduce((sum, height) => sum + height / 24 - 1, 0);
  const top = Math.floor(coordinate / 24);
  fetchNear(rows[Math.max(Math.min(top, rows.length - 1) - Math.ceil(taller), 0)] ?? 0, rows[Math.min(top + 60, rows.length - 1)] ?? 0);
}

// keys, clipboard --------------------------------------------------------------------------------------------------------

const editing = () => document.activeElement?.matches?.(".celledit");
const onGrid = (target) => grid.contains(target) || target === document.body;

document.addEventListener("keydown", (event) => {
  if (event.target.closest?.("dialog, .panel, .findbar, .bar, .head")) { if (!event.altKey) return; }
  const key = event.key;
  if (event.altKey && !event.ctrlKey && !event.metaKey) {
    const code = event.code;
    const act = {
      KeyE: () => edit(), KeyP: () => document.body.classList.toggle("folded"), KeyF: () => openPanel("formula"), KeyR: () => el("refresh-form").requestSubmit(), Slash: () => (event.shiftKey ? el("keys").showModal() : find(true)),
      Comma: () => el("step-back")?.click(), Period: () => el("step-on")?.click(), Semicolon: () => el("period-open")?.click(),
    }[code];
    const shifted = event.shiftKey && { KeyD: () => fillFrom("down"), KeyR: () => fillFrom("right"), KeyS: () => send({ do: "sum", box: [at.row, at.column, at.row, at.column] }), KeyC: () => takeLook(), KeyV: () => putLook() }[code];
    if (shifted || act) { event.preventDefault(); event.stopPropagation(); (shifted || act)(); }
    return;
  }
  if (editing() || event.target.id === "formula" || !onGrid(event.target)) return;
  if ((event.ctrlKey || event.metaKey) && key.toLowerCase() === "z") { event.preventDefault(); event.stopPropagation(); el(event.shiftKey ? "redo" : "undo")?.click(); return; }
  if (event.ctrlKey || event.metaKey) return;
  if (typedAhead(event)) { event.preventDefault(); event.stopPropagation(); return; }
  if (key === "Enter") { event.preventDefault(); event.stopPropagation(); openPanel("trace"); }
  if (key === "F2") { event.preventDefault(); event.stopPropagation(); edit(); }
  if (key === "Delete" || key === "Backspace") { event.preventDefault(); event.stopPropagation(); if (state.editable) chosen().then((box) => send({ do: "clear", box })); }
}, true);

function edit() {
  if (!state.editable) return;
  const spot = place(at.row, at.column);
  grid.setCellEdit(spot.y, String(at.column), spot.rowType);
}

async function fillFrom(way) {
  const box = await chosen();
  const source = way === "down" ? [box[0], box[1], box[0], box[3]] : [box[0], box[1], box[2], box[1]];
  if (state.editable) send({ do: "fill", source, target: box });
}

function copyTable(box) {
  const lines = [];
  for (let row = box[0]; row <= box[2]; row += 1) {
    const cells = [];
    for (let column = box[1]; column <= box[3]; column += 1) {
      const cell = cellAt(row, column);
      let text = cell ? cell[TEXT] : "";
      if (cell && ["number", "negative"].includes(cell[KIND])) text = text.replaceAll("\u00a0", "").replace("\u2212", "-");
      else if (/[\t\n"]/.test(text)) text = `"${text.replaceAll('"', '""')}"`;
      else if (/^[=+\-@]/.test(text)) text = `'${text}`;
      cells.push(text);
    }
    lines.push(cells.join("\t"));
  }
  return lines.join("\n");
}

let selected = [0, 0, 0, 0];
const noteSelected = () => { chosen().then((box) => { selected = box; }); };
document.addEventListener("keyup", noteSelected);
document.addEventListener("mouseup", () => setTimeout(noteSelected, 0));

for (const kind of ["copy", "cut"]) {
  document.addEventListener(kind, (event) => {
    if (editing() || !onGrid(event.target) || event.target.id === "formula" || document.activeElement?.matches("input, textarea, select")) return;
    const text = copyTable(selected);
    event.clipboardData.setData("text/plain", text);
    copied = { sheet: state.sheet, box: selected, text, cut: kind === "cut" && state.editable };
    event.preventDefault();
    el("foot-said").textContent = `${kind === "cut" ? "Cut" : "Copied"} ${address(selected[0], selected[1])}:${address(selected[2], selected[3])}`;
  });
}
document.addEventListener("paste", (event) => {
  if (editing() || !onGrid(event.target) || !state.editable || document.activeElement?.matches("input, textarea, select")) return;
  event.preventDefault();
  const text = event.clipboardData.getData("text/plain");
  if (copied && copied.text === text.replaceAll("\r\n", "\n").replace(/\n$/, "")) {
    send({ do: copied.cut ? "cut" : "copy", from: copied.sheet, source: copied.box, target: selected });
    if (copied.cut) copied = null;
  } else send({ do: "paste", target: selected, text });
});

// the formula line
const field = el("formula");
field.addEventListener("input", () => { colour(field.value); guide.typing(field); });
field.addEventListener("blur", () => setTimeout(guide.close, 120));
document.addEventListener("mousedown", (event) => {
  const own = document.activeElement;
  if (!el("grid").contains(event.target) || own !== field || !own.value.startsWith("=")) return;
  if (/[=(,;+\-*/^&<>:]\s*$/.test(own.value.slice(0, own.selectionStart))) writing = { field: own, caret: own.selectionStart };
}, true);
field.addEventListener("keydown", (event) => {
  if (guide.pressed(event)) return;
  if (event.key === "Enter" && !event.shiftKey && !event.isComposing) { event.preventDefault(); const { row, column } = at; field.blur(); typeInto(row, column, field.value); step(1, 0); }
  if (event.key === "Escape") { event.preventDefault(); field.blur(); showFormula(); focusOn(at.row, at.column); }
});

// buttons and the panel --------------------------------------------------------------------------------------------------

el("undo")?.addEventListener("click", () => send({ do: "undo" }));
el("redo")?.addEventListener("click", () => send({ do: "redo" }));
document.addEventListener("click", async (event) => {
  const target = event.target.closest("button, a");
  if (!target) return;
  if (target.id === "fold" || target.id === "unfold") document.body.classList.toggle("folded");
  if (target.dataset.go) { event.preventDefault(); const [row, column] = corner(target.dataset.go); focusOn(row, column); }
  if (target.dataset.toggle) { const on = target.getAttribute("aria-pressed") !== "true"; sendLook({ [target.dataset.toggle]: on }); }
  if (target.id === "no-parameter") send({ do: "parameter", box: [at.row, at.column, at.row, at.column], kind: "" });
  if (target.id === "span-on" || target.id === "span-off") send({ do: "setting", name: "span", box: await chosen(), on: target.id === "span-on" });
  if (target.id === "sheet-delete") send({ do: "sheet", how: "delete" });
  if (target.dataset.dropName) send({ do: "name", name: target.dataset.dropName });
  if (target.dataset.step) { const input = el(target.dataset.step); input.value = target.dataset.to; input.form.dispatchEvent(new Event("change", { bubbles: true })); }
  if (target.dataset.act) act(target.dataset.act);
  if (target.dataset.paste) { if (copied) send({ do: "copy", what: target.dataset.paste, from: copied.sheet, source: copied.box, target: await chosen() }); else el("foot-said").textContent = "Copy some cells of this worksheet first."; }
  if (target.id === "take-look") takeLook();
  if (target.id === "put-look") putLook();
  if (target.id === "show-every") { every = !every; target.setAttribute("aria-pressed", String(every)); reload(); }
  if (target.id === "add-missing") send({ do: "add missing", group: Number(target.dataset.group) });
  if (target.id === "refresh-blocks") send({ do: "blocks" });
  if (target.dataset.blockHow) send({ do: "block", how: target.dataset.blockHow, id: target.closest("[data-block]").dataset.block });
  if (target.dataset.unhide) { const [first, last] = target.dataset.unhide.split(":"); send({ do: "hiding", kind: "", box: [...corner(first), ...corner(last || first)] }); }
  if (target.dataset.restore) send({ do: "restore", number: Number(target.dataset.restore) });
  if (target.dataset.pictureRemove) send({ ...pictured(target.dataset.pictureRemove), how: "remove" });
  if (target.id === "marks-seen") post(el("refresh-form").action, { how: "seen" }).then(() => location.reload());
  if (target.dataset.fetch) fetchFirst(target.dataset.fetch, target.dataset.how);
  if (target.id === "sheet-find") find(el("find-bar").hidden);
  if (target.id === "find-close") find(false);
  if (target.id === "replace-all") { const form = new FormData(el("find-bar")); send({ do: "replace", wanted: form.get("wanted"), new: form.get("new") }); }
});
async function sendLook(look) {
  const box = await chosen();
  if (el("whole-columns")?.checked) send({ do: "column look", first: box[1], last: box[3], look });
  else send({ do: "look", box, look });
}
async function takeLook() {
  lookTaken = { sheet: state.sheet, box: [at.row, at.column, at.row, at.column] };
  el("put-look")?.removeAttribute("disabled");
  el("foot-said").textContent = `Took the look of ${address(at.row, at.column)}`;
}
async function putLook() { if (lookTaken && state.editable) send({ do: "copy", what: "looks", from: lookTaken.sheet, source: lookTaken.box, target: await chosen() }); }

function post(address, values) {
  const body = new FormData();
  for (const [name, value] of Object.entries(values)) body.append(name, value);
  return fetch(address, { method: "POST", body, headers: { "X-CSRFToken": token(), "HX-Request": "true" } });
}
async function fetchFirst(feed, how) {
  const answer = await post(work.dataset.fetch, { feed, how });
  if (!answer.ok) { alertWith(await answer.text()); return; }
  const { load } = await answer.json();
  for (;;) {
    const found = await (await fetch(`${work.dataset.fetching}&load=${load}`)).json();
    el("foot-said").textContent = `The source: ${found.state}${found.doing ? `, ${found.doing}` : ""}`;
    if (found.over) break;
    await new Promise((go) => { setTimeout(go, 700); });
  }
  el("refresh-form").requestSubmit();
}
document.addEventListener("change", async (event) => {
  if (event.target.dataset?.look) sendLook({ [event.target.dataset.look]: event.target.value });
  if (event.target.dataset?.choose) {
    const block = event.target.closest("[data-block]"), choices = {};
    for (const one of block.querySelectorAll("[data-choose]")) choices[one.dataset.choose] = one.value;
    send({ do: "block", how: "choose", id: block.dataset.block, choices });
  }
  if (event.target.id === "gridlines") send({ do: "setting", name: "gridlines", on: event.target.checked });
});
document.addEventListener("submit", async (event) => {
  const form = event.target, values = Object.fromEntries(new FormData(form));
  const own = {
    "parameter-form": () => ({ do: "parameter", box: [at.row, at.column, at.row, at.column], kind: values.kind, name: values.name || values.title || "", title: values.title, hint: values.hint, choices: values.choices, until: values.until, follows: Boolean(values.follows), ask: Boolean(values.ask) }),
    "choices-form": (box) => ({ do: "setting", name: "choices", box, choices: values.choices }),
    "name-form": (box) => ({ do: "name", box, name: values.name }),
    "sheet-form": () => ({ do: "sheet", how: "rename", name: values.name }),
    "comment-form": (box) => ({ do: "comment", box, text: values.text }),
    "check-form": () => ({ do: "check", selection: values.selection }),
    "print-form": () => ({ do: "setting", name: "print", paper: values.paper, way: values.way, cells: values.cells, head: values.head, foot: values.foot, fit: Boolean(values.fit), lines: Boolean(values.lines) }),
    "place-table": (box) => ({ do: "block", how: "place", kind: "table", name: values.name, piece: values.piece, box }),
    "place-statement": (box) => ({ do: "block", how: "place", kind: "statement", name: values.name, piece: values.piece, lines: values.lines, columns: values.columns, box }),
    "place-chart": (box) => ({ do: "chart", selection: values.selection, box }),
    "frozen-form": () => ({ do: "setting", name: "frozen", rows: Number(values.rows), columns: Number(values.columns) }),
  }[form.id];
  if (own) { event.preventDefault(); document.activeElement?.blur(); send(own(await chosen())); }
  if (form.matches(".picture-form")) { event.preventDefault(); send({ ...pictured(form.dataset.picture), how: "size", width: Number(values.width), height: Number(values.height) }); }
  if (form.id === "drawing-add") { event.preventDefault(); const [first, last] = values.of.toUpperCase().split(":"); send({ do: "drawing", of: [...corner(first), ...corner(last || first)], box: [at.row, at.column, at.row, at.column] }); }
  if (form.id === "drawing-place") { event.preventDefault(); send({ do: "drawing", drawn: values.drawn, title: form.elements.drawn.selectedOptions[0].text, box: [at.row, at.column, at.row, at.column] }); }
  if (form.id === "picture-add") {
    event.preventDefault();
    const answer = await post(`${work.dataset.pictures}?${work.dataset.query}`, { picture: values.picture });
    if (answer.ok) send({ do: "picture", ...(await answer.json()), box: [at.row, at.column, at.row, at.column] }); else alertWith(await answer.text());
  }
  if (form.id === "find-bar") { event.preventDefault(); findNext(values.wanted); }
});
document.body.addEventListener("sheet-changed", () => reload());

async function act(what) {
  const box = await chosen();
  const count = { rows: box[2] - box[0] + 1, columns: box[3] - box[1] + 1 }, first = { rows: box[0], columns: box[1] };
  const [verb, axis] = what.split(" ");
  if (["insert", "delete"].includes(verb)) send({ do: "remap", kind: verb, axis, at: first[axis], count: count[axis] });
  if (verb === "up" || verb === "left") send({ do: "remap", kind: "move", axis, at: first[axis], count: count[axis], to: Math.max(first[axis] - 1, 0) });
  if (verb === "down" || verb === "right") send({ do: "remap", kind: "move", axis, at: first[axis], count: count[axis], to: first[axis] + count[axis] + 1 });
  if (verb === "hide") send({ do: "setting", name: `hidden ${axis}`, first: first[axis], last: first[axis] + count[axis] - 1, hidden: true });
  if (verb === "show") send({ do: "setting", name: `hidden ${axis}`, first: 0, last: (axis === "rows" ? state.layout.rows : state.layout.columns) - 1, hidden: false });
  if (verb === "sort") send({ do: "sort", box, column: at.column, falling: axis === "down" });
  if (verb === "only") send({ do: "setting", name: "filter", box: [box[0] - 1 < 0 ? 0 : box[0] - 1, at.column, state.used - 1, at.column], column: at.column, values: [plainText(cellAt(at.row, at.column))] });
  if (verb === "every") send({ do: "setting", name: "filter" });
  if (verb === "empty" || verb === "condition") send({ do: "hiding", kind: verb, axis, box });
  if (verb === "stop") send({ do: "hiding", kind: "", box });
  if (verb === "taller" || verb === "flatter") {
    const height = Number(state.layout.heights[box[0]] || 24) + (verb === "taller" ? 12 : -12);
    send({ do: "setting", name: "height", first: box[0], last: box[2], height: Math.max(height, 24) });
  }
  if (verb === "sum") send({ do: "sum", box: [at.row, at.column, at.row, at.column] });
}
const plainText = (cell) => (cell ? cell[INPUT] && !cell[INPUT].startsWith("=") ? cell[INPUT].replace(/^'/, "") : cell[TEXT] : "");

function find(on) { el("find-bar").hidden = !on; if (on) el("find-bar").elements.wanted.focus(); else focusOn(at.row, at.column); }
async function findNext(wanted) {
  const answer = await fetch(`${work.dataset.cells}${sheetQuery()}&find=${encodeURIComponent(wanted)}&after=${address(at.row, at.column)}`);
  const found = answer.ok ? (await answer.json()).found : null;
  if (!found) { el("foot-said").textContent = `'${wanted}' is not on this sheet.`; return; }
  await fetchBlock(Math.floor(found[0] / ROWS));
  focusOn(found[0], found[1]);
}

// a picture that was brought has a number, one that is drawn a name
const pictured = (name) => (/^[0-9]+$/.test(name) ? { do: "picture", picture: Number(name) } : { do: "drawing", picture: name });

// a picture is resized by its corner
document.addEventListener("pointerdown", (event) => {
  const grip = event.target.closest?.("[data-grip]");
  if (!grip) return;
  event.preventDefault(); event.stopPropagation();
  const image = grip.previousElementSibling, { width, height } = image, { clientX, clientY } = event;
  const size = (moved) => [Math.max(16, Math.round(width + moved.clientX - clientX)), Math.max(16, Math.round(height + moved.clientY - clientY))];
  const move = (moved) => { [image.width, image.height] = size(moved); };
  const end = (moved) => {
    document.removeEventListener("pointermove", move, true);
    const [wide, high] = size(moved);
    send({ ...pictured(grip.dataset.grip), how: "size", width: Math.min(wide, 2000), height: Math.min(high, 2000) });
  };
  document.addEventListener("pointermove", move, true);
  document.addEventListener("pointerup", end, { once: true, capture: true });
}, true);

guide.learn(work.dataset.functions);
guide.preview(work, state.sheet, Object.keys(state.names));
guide.guideWorks(work, () => state.sheet, () => Object.keys(state.names), (cell, formula) => { const [row, column] = corner(cell); typeInto(row, column, formula); });
el("grid").append(grid);
show();
await customElements.whenDefined("revo-grid");
await grid.componentOnReady?.();
grid.dataset.ready = "yes";
const asked = new URLSearchParams(location.search).get("cell");
await focusOn(...(asked && /^[A-Z]+\d+$/i.test(asked) ? corner(asked) : [0, 0]));
// what is asked for on opening comes first
if (el("asks")) document.querySelector("#panel .asked select, #panel .asked input")?.focus();
