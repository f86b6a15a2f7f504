// Lines and columns copied and pasted, and the whole statement as a table.
import { current, isHead } from "./cells.js";
import { about } from "./choosing.js";
import { send } from "./edits.js";
import { el, figures, tell } from "./page.js";

const token = () => JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
const write = (pieces) => navigator.clipboard.write([new ClipboardItem(pieces)]);

document.addEventListener("copy", (event) => {
  const spot = current();
  if (!spot || String(document.getSelection())) return;
  event.preventDefault();
  const { lines, columns } = about(spot);
  const body = new URLSearchParams(isHead(spot) ? { columns } : { lines });
  const text = fetch(el("work").dataset.copy, { method: "POST", body, headers: { "X-CSRFToken": token() } })
    .then((answer) => answer.text())
    .then((told) => new Blob([told], { type: "text/plain" }));
  const count = (columns || lines).split(",").length;
  const what = `${isHead(spot) ? "column" : "line"}${count === 1 ? " is" : "s are"}`;
  write({ "text/plain": text }).then(() => tell(`The ${what} copied.`));
});

document.addEventListener("paste", (event) => {
  const spot = current();
  if (!figures() || rulka.inField(event.target)) return;
  const text = event.clipboardData.getData("text/plain");
  if (!text.trim()) return;
  event.preventDefault();
  if (spot && isHead(spot)) send({ do: "column-paste", panel: "column", ...about(spot) }, "chosen");
  else send({ do: "line-paste", text, panel: "line", ...about(spot) }, "chosen");
});

export function copyTable() {
  const given = fetch(el("copy-table").dataset.table).then((answer) => answer.json());
  const as = (name, type) => given.then((table) => new Blob([table[name]], { type }));
  write({ "text/plain": as("text", "text/plain"), "text/html": as("html", "text/html") }).then(() =>
    tell("The statement is copied as a table."),
  );
}

document.addEventListener("click", (event) => {
  if (event.target.closest?.("#copy-table")) copyTable();
  const file = event.target.closest?.("a[data-file]");
  if (file && file.id !== "repeat-export") el("repeat-export").href = file.href;
});
