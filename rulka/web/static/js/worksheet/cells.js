// Cells as the server sends them, and what is known of their places.
import { now } from "./now.js";

export const TEXT = 2,
  KIND = 3,
  LOOK = 4,
  INPUT = 5,
  FLAGS = 6,
  NOTE = 7,
  ANCHOR = 8; // places in a cell as the server sends it
export const SPILLED = 2;
export const letters = (column) =>
  (column < 26 ? "" : String.fromCharCode(64 + Math.floor(column / 26))) + String.fromCharCode(65 + (column % 26));
export const address = (row, column) => letters(column) + (row + 1);
export const cellAt = (row, column) => now.store.get(`${row},${column}`);
const columnOf = (text) => [...text.toUpperCase()].reduce((sum, letter) => sum * 26 + letter.charCodeAt(0) - 64, 0) - 1;
export const sheetQuery = () => `&sheet=${now.state.sheet}${now.every ? "&every=yes" : ""}`;
export const within = (box, row, column) => row >= box[0] && row <= box[2] && column >= box[1] && column <= box[3];
export function choicesAt(row, column) {
  return now.state.layout.choices.find((one) => within(one.box, row, column))?.options;
}
export const isParameter = (row, column) =>
  now.state.layout.parameters.some((one) => one[0] === row && one[1] === column);
export const corner = (text) => {
  const found = /^\$?([A-Za-z]+)\$?(\d+)$/.exec(text);
  return [Number(found[2]) - 1, columnOf(found[1])];
};
export const plainText = (cell) =>
  cell ? (cell[INPUT] && !cell[INPUT].startsWith("=") ? cell[INPUT].replace(/^'/, "") : cell[TEXT]) : "";
