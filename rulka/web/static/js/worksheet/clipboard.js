// Cells copied, cut and pasted.
import { KIND, TEXT, address, cellAt } from "./cells.js";
import { send } from "./edits.js";
import { chosen } from "./focus.js";
import { now } from "./now.js";
import { editing, el, onGrid } from "./page.js";

function copyTable(box) {
  const lines = [];
  for (let row = box[0]; row <= box[2]; row += 1) {
    const cells = [];
    for (let column = box[1]; column <= box[3]; column += 1) {
      const cell = cellAt(row, column);
      let text = cell ? cell[TEXT] : "";
      if (cell && ["number", "negative"].includes(cell[KIND]))
        text = text.replaceAll("\u00a0", "").replace("\u2212", "-");
      else if (/[\t\n"]/.test(text)) text = `"${text.replaceAll('"', '""')}"`;
      else if (/^[=+\-@]/.test(text)) text = `'${text}`;
      cells.push(text);
    }
    lines.push(cells.join("\t"));
  }
  return lines.join("\n");
}

let selected = [0, 0, 0, 0];
const noteSelected = () => {
  chosen().then((box) => {
    selected = box;
  });
};
document.addEventListener("keyup", noteSelected);
document.addEventListener("mouseup", () => setTimeout(noteSelected, 0));
for (const kind of ["copy", "cut"]) {
  document.addEventListener(kind, (event) => {
    if (
      editing() ||
      !onGrid(event.target) ||
      event.target.id === "formula" ||
      document.activeElement?.matches("input, textarea, select")
    )
      return;
    const text = copyTable(selected);
    event.clipboardData.setData("text/plain", text);
    now.copied = { sheet: now.state.sheet, box: selected, text, cut: kind === "cut" && now.state.editable };
    event.preventDefault();
    el("foot-said").textContent =
      `${kind === "cut" ? "Cut" : "Copied"} ${address(selected[0], selected[1])}:${address(selected[2], selected[3])}`;
  });
}

document.addEventListener("paste", (event) => {
  if (
    editing() ||
    !onGrid(event.target) ||
    !now.state.editable ||
    document.activeElement?.matches("input, textarea, select")
  )
    return;
  event.preventDefault();
  const text = event.clipboardData.getData("text/plain");
  if (now.copied && now.copied.text === text.replaceAll("\r\n", "\n").replace(/\n$/, "")) {
    send({ do: now.copied.cut ? "cut" : "copy", from: now.copied.sheet, source: now.copied.box, target: selected });
    if (now.copied.cut) now.copied = null;
  } else send({ do: "paste", target: selected, text });
});
