// The statement as its own editor: walk cells, choose lines and columns, send edits, keep the focus. What happens once an
// answer is there is said here; no figure is computed.
import { renew, watch } from "./statement/blocks.js";
import { HEADS, at, find, setEntry } from "./statement/cells.js";
import { mark } from "./statement/choosing.js";
import "./statement/clipboard.js";
import "./statement/dragging.js";
import { leftAt } from "./statement/edits.js";
import { expected } from "./statement/expecting.js";
import { arrive } from "./statement/focus.js";
import { freeze } from "./statement/folding.js";
import "./statement/keys.js";
import { el, figures, heads, panelState, rows } from "./statement/page.js";

const listed = (text) => (text || "").split(",").filter(Boolean);
const rowNamed = (key) => figures().querySelector(`tr[data-row="${CSS.escape(key)}"]`);

// the lines and columns that the panel is about are marked, and the figure that a trace began at
function markChosen(lines, columns, { row, column }) {
  if (lines.length || columns.length) mark(lines, columns);
  else {
    rows().forEach((one) =>
      one.classList.toggle("chosen", one.classList.contains("chosen") && one.dataset.row === row),
    );
    heads().forEach((head) => head.closest("th").classList.remove("chosen"));
    if (row) rowNamed(row)?.classList.add("chosen");
  }
  figures()
    .querySelectorAll("td.traced")
    .forEach((cell) => cell.classList.remove("traced"));
  const traced = row && column && rowNamed(row)?.querySelector(`a.figure[data-column="${CSS.escape(column)}"]`);
  if (traced) traced.closest("td").classList.add("traced");
}

// what was made or moved is where one stands then
function standOnChosen(columns) {
  const row = figures().querySelector("tr.chosen");
  if (row) at.row = row.dataset.row;
  const head = !row && heads().find((candidate) => columns.includes(candidate.dataset.written));
  if (head) Object.assign(at, { row: HEADS, column: head.dataset.heading });
}

function settle() {
  if (!el("panel") || !figures()) return;
  const state = panelState();
  const lines = listed(state.lines);
  const columns = listed(state.columns);
  markChosen(lines, columns, el("panel").dataset);
  if (["chosen", "form"].includes(expected())) standOnChosen(columns);
  setEntry();
  watch();
  freeze();
}

document.addEventListener("htmx:afterSettle", (event) => {
  if (!["panel", "work"].includes(event.target.id)) return;
  const edited = event.target.id === "work" || event.detail.xhr?.getResponseHeader("HX-Retarget") === "#panel";
  const was = edited ? leftAt() : null;
  if (edited) renew();
  settle();
  arrive(was);
});

// a page that was asked for with a trace begins at its figure, one that was begun at what is to be chosen
function begin() {
  if (!figures()) return;
  const asked = new URLSearchParams(location.search);
  if (asked.get("panel") === "trace" && asked.get("row") && asked.get("column")) {
    Object.assign(at, { row: asked.get("row"), column: asked.get("column") });
    find()?.scrollIntoView({ block: "nearest", inline: "nearest" });
    (asked.get("in") || asked.get("entry") ? el("panel") : find())?.focus({ preventScroll: true });
  }
  if (asked.get("panel") === "start") document.querySelector("#panel [type=radio]:checked")?.focus();
  settle();
}

begin();
