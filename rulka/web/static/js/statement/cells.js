// The cells one walks: labels, figures and headings, called spots here. One of them is the stop for the Tab key.
import { beyond } from "./blocks.js";
import { figures, heads, rows } from "./page.js";

export const LABEL = "@"; // stands for the label's column
export const HEADS = "@heads"; // stands for the row of headings
export const SPOTS = "#figures a.figure, #figures a.label, #figures a.head-link";

export const at = { row: "", column: LABEL }; // where one stands, also while something else has the focus

export const current = () => document.activeElement?.closest(SPOTS);
export const rowOf = (spot) => spot.closest("tr[data-row]");
export const isHead = (spot) => spot.classList.contains("head-link");
const figureIn = (row, column) => row.querySelector(`a.figure[data-column="${CSS.escape(column)}"]`);
export const spotIn = (row, column) =>
  (column === LABEL ? null : figureIn(row, column)) || row.querySelector("a.label");
const headOf = (column) => heads().find((head) => head.dataset.heading === column) || heads()[0];

export function remember(spot) {
  if (isHead(spot)) {
    Object.assign(at, { row: HEADS, column: spot.dataset.heading });
    return;
  }
  at.row = rowOf(spot).dataset.row;
  if (spot.classList.contains("figure")) at.column = spot.dataset.column;
}

// the spot one stands on; without one the first figure
export function find() {
  if (at.row === HEADS) return headOf(at.column);
  const row = rows().find((candidate) => candidate.dataset.row === at.row);
  if (row) return spotIn(row, at.column);
  return figures().querySelector("a.figure") || figures().querySelector("a.label");
}

export function setEntry() {
  if (!figures()) return;
  figures()
    .querySelectorAll('a[tabindex="0"]')
    .forEach((spot) => spot.setAttribute("tabindex", "-1"));
  find()?.setAttribute("tabindex", "0");
}

export function go(spot) {
  if (!spot) return;
  remember(spot);
  setEntry();
  spot.focus();
}

// onto the spot one stands on
export const back = () => find()?.focus();

function walkHeads(spot, key) {
  const all = heads();
  const by = { ArrowRight: 1, ArrowLeft: -1 }[key];
  if (by) go(all[all.indexOf(spot) + by]);
  if (key === "ArrowDown") go(spotIn(rows()[0], spot.dataset.heading));
}

function walkAcross(spot, key) {
  const inRow = [rowOf(spot).querySelector("a.label"), ...rowOf(spot).querySelectorAll("a.figure")].filter(Boolean);
  const here = inRow.indexOf(spot);
  const there = { ArrowRight: here + 1, ArrowLeft: here - 1, Home: 0, End: inRow.length - 1 }[key];
  if (there === 0) at.column = LABEL;
  go(inRow[there]);
}

function walkDown(spot, by) {
  const row = rowOf(spot);
  const land = (found) => go(spotIn(found, at.column));
  if (beyond(row, by, land)) return;
  const all = rows();
  const next = all[all.indexOf(row) + by];
  if (next) {
    if (spot.classList.contains("label") && row.querySelector("a.figure")) at.column = LABEL;
    land(next);
  } else if (by < 0) go(headOf(at.column));
}

export function walk(spot, key) {
  if (isHead(spot)) walkHeads(spot, key);
  else if (key === "ArrowDown" || key === "ArrowUp") walkDown(spot, key === "ArrowDown" ? 1 : -1);
  else walkAcross(spot, key);
}

document.addEventListener("focusin", (event) => {
  const spot = event.target.closest?.(SPOTS);
  if (!spot) return;
  remember(spot);
  setEntry();
});
