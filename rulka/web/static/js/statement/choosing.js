// Choosing lines or columns, of which the panel then tells, and columns beside a figure, for a drawing of them.
import { at, go, isHead, remember, rowOf, setEntry, spotIn } from "./cells.js";
import { openPanel } from "./edits.js";
import { figures, heads, rows } from "./page.js";

let anchor = ""; // the line or column from which a choice with Shift grows
let from = ""; // the column from which columns are reached

export const chosenLines = () => [
  ...new Set([...figures().querySelectorAll("tr.chosen")].map((row) => row.dataset.line)),
];
export const chosenColumns = () => {
  const chosen = [...figures().querySelectorAll("th.chosen a.head-link")];
  return [...new Set(chosen.map((head) => head.dataset.written))];
};

export function mark(lines, columns) {
  rows().forEach((row) => row.classList.toggle("chosen", lines.includes(row.dataset.line)));
  heads().forEach((head) => head.closest("th").classList.toggle("chosen", columns.includes(head.dataset.written)));
}

// the ones from one place to another, whichever comes first
const between = (all, first, second) => all.slice(Math.min(first, second), Math.max(first, second) + 1);

function showChosen() {
  const lines = chosenLines();
  const columns = chosenColumns();
  const row = encodeURIComponent(at.row);
  if (lines.length) openPanel(`panel=line&lines=${encodeURIComponent(lines.join(","))}&row=${row}`);
  else if (columns.length) openPanel(`panel=column&columns=${encodeURIComponent(columns.join(","))}`);
}

function chooseLines(first, last) {
  mark(
    between(rows(), first, last).map((row) => row.dataset.line),
    [],
  );
}

// one line or column more or less
export function extend(spot, by) {
  const all = isHead(spot) ? heads() : rows();
  const own = isHead(spot) ? spot : rowOf(spot);
  const next = all[all.indexOf(own) + by];
  if (!next) return;
  if (isHead(spot)) {
    anchor = chosenColumns().length ? anchor : spot.dataset.heading;
    const start = all.findIndex((head) => head.dataset.heading === anchor);
    mark(
      [],
      between(all, start, all.indexOf(next)).map((head) => head.dataset.written),
    );
    go(next);
  } else {
    anchor = chosenLines().length && anchor ? anchor : own.dataset.row;
    chooseLines(
      all.findIndex((row) => row.dataset.row === anchor),
      all.indexOf(next),
    );
    go(spotIn(next, at.column));
  }
  showChosen();
}

const toggled = (keys, key) => (keys.includes(key) ? keys.filter((other) => other !== key) : [...keys, key]);

export function toggle(spot) {
  if (isHead(spot)) mark([], toggled(chosenColumns(), spot.dataset.written));
  else {
    mark(toggled(chosenLines(), rowOf(spot).dataset.line), []);
    anchor = rowOf(spot).dataset.row;
  }
  showChosen();
}

export function forget() {
  mark([], []);
  anchor = "";
  across([]);
}

// what an edit is about: the chosen lines when the focus is on one of them, else the line under the focus
export function about(spot) {
  if (!spot)
    return chosenColumns().length ? { columns: chosenColumns().join(",") } : { lines: chosenLines().join(",") };
  const key = isHead(spot) ? spot.dataset.written : rowOf(spot).dataset.line;
  const chosen = isHead(spot) ? chosenColumns() : chosenLines();
  const keys = (chosen.includes(key) ? chosen : [key]).join(",");
  return isHead(spot) ? { columns: keys } : { lines: keys, row: rowOf(spot).dataset.row };
}

// columns beside the figure one stands on; the lines that were chosen stay so
const reached = () => [...figures().querySelectorAll("th.across a.head-link")].map((head) => head.dataset.heading);
const across = (keys) =>
  heads().forEach((head) => head.closest("th").classList.toggle("across", keys.includes(head.dataset.heading)));
export function reach(spot, by) {
  const keys = heads().map((head) => head.dataset.heading);
  const next = keys.indexOf(spot.dataset.column) + by;
  if (keys[next] === undefined) return;
  from = reached().length ? from : spot.dataset.column;
  across(between(keys, keys.indexOf(from), next));
  go(spotIn(rowOf(spot), keys[next]));
}

// the chosen lines and columns as a drawing, on a page of its own
export function draw(spot) {
  const lead = document.querySelector("a[data-draws]");
  if (!lead || !spot || isHead(spot)) return;
  const chosen = [...figures().querySelectorAll("tr.chosen")].map((row) => row.dataset.row);
  const lines = chosen.length ? chosen : [rowOf(spot).dataset.row];
  const columns = [reached(), chosenColumns(), at.column ? [at.column] : []].find((keys) => keys.length) || [];
  const asked = new URLSearchParams();
  new Set(lines).forEach((row) => asked.append("rows", row));
  columns.forEach((column) => asked.append("columns", column));
  location.href = `${lead.href}&${asked}`;
}

// a click on a spot chooses it and opens what its link asks for
function clicked(link) {
  if (link.matches("a.label, a.figure, a.head-link")) {
    remember(link);
    anchor = link.matches("a.label") ? at.row : anchor;
    if (link.matches("a.label")) mark([rowOf(link).dataset.line], []);
    else mark([], link.matches("a.head-link") ? [link.dataset.written] : []);
    setEntry();
  }
  const asked = new URLSearchParams(link.search);
  const query = new URLSearchParams();
  for (const name of ["panel", "row", "column", "at"]) if (asked.get(name)) query.set(name, asked.get(name));
  if (link.matches("a.head-link")) query.set("columns", link.dataset.written);
  if (link.matches("a.label")) query.set("lines", rowOf(link).dataset.line);
  openPanel(query.toString());
}

document.addEventListener("click", (event) => {
  const link = event.target.closest?.("#figures a");
  if (!link || event.button) return;
  if (event.ctrlKey || event.metaKey) {
    if (!link.matches("a.label, a.head-link")) return;
    event.preventDefault();
    toggle(link);
    return;
  }
  event.preventDefault();
  if (event.shiftKey && link.matches("a.label") && anchor) {
    const all = rows();
    chooseLines(
      all.findIndex((row) => row.dataset.row === anchor),
      all.indexOf(rowOf(link)),
    );
    showChosen();
  } else clicked(link);
});
