// What each form of the panel sends.
import { corner } from "./cells.js";
import { reload, send } from "./edits.js";
import { findNext } from "./finding.js";
import { chosen } from "./focus.js";
import { now } from "./now.js";
import { alertWith, post, work } from "./page.js";
import { pictured } from "./pictures.js";

document.addEventListener("submit", async (event) => {
  const form = event.target,
    values = Object.fromEntries(new FormData(form));
  const own = {
    "parameter-form": () => ({
      do: "parameter",
      box: [now.at.row, now.at.column, now.at.row, now.at.column],
      kind: values.kind,
      name: values.name || values.title || "",
      title: values.title,
      hint: values.hint,
      choices: values.choices,
      until: values.until,
      follows: Boolean(values.follows),
      ask: Boolean(values.ask),
    }),
    "choices-form": (box) => ({ do: "setting", name: "choices", box, choices: values.choices }),
    "name-form": (box) => ({ do: "name", box, name: values.name }),
    "sheet-form": () => ({ do: "sheet", how: "rename", name: values.name }),
    "comment-form": (box) => ({ do: "comment", box, text: values.text }),
    "check-form": () => ({ do: "check", selection: values.selection }),
    "print-form": () => ({
      do: "setting",
      name: "print",
      paper: values.paper,
      way: values.way,
      cells: values.cells,
      head: values.head,
      foot: values.foot,
      fit: Boolean(values.fit),
      lines: Boolean(values.lines),
    }),
    "place-table": (box) => ({ do: "block", how: "place", kind: "table", name: values.name, piece: values.piece, box }),
    "place-statement": (box) => ({
      do: "block",
      how: "place",
      kind: "statement",
      name: values.name,
      piece: values.piece,
      lines: values.lines,
      columns: values.columns,
      box,
    }),
    "place-chart": (box) => ({ do: "chart", selection: values.selection, box }),
    "frozen-form": () => ({
      do: "setting",
      name: "frozen",
      rows: Number(values.rows),
      columns: Number(values.columns),
    }),
  }[form.id];
  if (own) {
    event.preventDefault();
    document.activeElement?.blur();
    send(own(await chosen()));
  }
  if (form.matches(".picture-form")) {
    event.preventDefault();
    send({
      ...pictured(form.dataset.picture),
      how: "size",
      width: Number(values.width),
      height: Number(values.height),
    });
  }
  if (form.id === "drawing-add") {
    event.preventDefault();
    const [first, last] = values.of.toUpperCase().split(":");
    send({
      do: "drawing",
      of: [...corner(first), ...corner(last || first)],
      box: [now.at.row, now.at.column, now.at.row, now.at.column],
    });
  }
  if (form.id === "drawing-place") {
    event.preventDefault();
    send({
      do: "drawing",
      drawn: values.drawn,
      title: form.elements.drawn.selectedOptions[0].text,
      box: [now.at.row, now.at.column, now.at.row, now.at.column],
    });
  }
  if (form.id === "picture-add") {
    event.preventDefault();
    const answer = await post(`${work.dataset.pictures}?${work.dataset.query}`, { picture: values.picture });
    if (answer.ok)
      send({ do: "picture", ...(await answer.json()), box: [now.at.row, now.at.column, now.at.row, now.at.column] });
    else alertWith(await answer.text());
  }
  if (form.id === "find-bar") {
    event.preventDefault();
    findNext(values.wanted);
  }
});

document.body.addEventListener("sheet-changed", () => reload());
