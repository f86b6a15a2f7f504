// What the page shows now: what the server said last, and where one stands.
import { el } from "./page.js";

export const now = {
  state: JSON.parse(el("first").textContent), // what the server says besides the cells
  store: new Map(), // by "row,column" the cells that were sent
  blocks: new Map(), // by number the blocks of rows that were, or are being, fetched
  rows: [], // the rows that are shown below the frozen ones, in order
  pinnedRows: [],
  columns: [], // the columns that are shown beside the frozen ones
  pinnedColumns: [],
  at: { row: 0, column: 0 },
  copied: null, // what was copied here last: { sheet, box, text, cut }
  marks: [], // areas that the formula in hand refers to: { sheet, box, colour }
  every: false, // whether rows and columns show that hide
  writing: null, // a formula in hand, into which a click on a cell puts its address
};
