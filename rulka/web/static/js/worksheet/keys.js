// What each key does on the grid.
import { send } from "./edits.js";
import { find } from "./finding.js";
import { chosen } from "./focus.js";
import { putLook, takeLook } from "./looks.js";
import { now } from "./now.js";
import { editing, el, onGrid } from "./page.js";
import { openPanel } from "./panel.js";
import { edit, typedAhead } from "./typing.js";

document.addEventListener(
  "keydown",
  (event) => {
    if (event.target.closest?.("dialog, .panel, .findbar, .bar, .head")) {
      if (!event.altKey) return;
    }
    const key = event.key;
    if (event.altKey && !event.ctrlKey && !event.metaKey) {
      const code = event.code;
      const act = {
        KeyE: () => edit(),
        KeyP: () => document.body.classList.toggle("folded"),
        KeyF: () => openPanel("formula"),
        KeyR: () => el("refresh-form").requestSubmit(),
        Slash: () => (event.shiftKey ? el("keys").showModal() : find(true)),
        Comma: () => el("step-back")?.click(),
        Period: () => el("step-on")?.click(),
        Semicolon: () => el("period-open")?.click(),
      }[code];
      const shifted =
        event.shiftKey &&
        {
          KeyD: () => fillFrom("down"),
          KeyR: () => fillFrom("right"),
          KeyS: () => send({ do: "sum", box: [now.at.row, now.at.column, now.at.row, now.at.column] }),
          KeyC: () => takeLook(),
          KeyV: () => putLook(),
        }[code];
      if (shifted || act) {
        event.preventDefault();
        event.stopPropagation();
        (shifted || act)();
      }
      return;
    }
    if (editing() || event.target.id === "formula" || !onGrid(event.target)) return;
    if ((event.ctrlKey || event.metaKey) && key.toLowerCase() === "z") {
      event.preventDefault();
      event.stopPropagation();
      el(event.shiftKey ? "redo" : "undo")?.click();
      return;
    }
    if (event.ctrlKey || event.metaKey) return;
    if (typedAhead(event)) {
      event.preventDefault();
      event.stopPropagation();
      return;
    }
    if (key === "Enter") {
      event.preventDefault();
      event.stopPropagation();
      openPanel("trace");
    }
    if (key === "F2") {
      event.preventDefault();
      event.stopPropagation();
      edit();
    }
    if (key === "Delete" || key === "Backspace") {
      event.preventDefault();
      event.stopPropagation();
      if (now.state.editable) chosen().then((box) => send({ do: "clear", box }));
    }
  },
  true,
);

async function fillFrom(way) {
  const box = await chosen();
  const source = way === "down" ? [box[0], box[1], box[0], box[3]] : [box[0], box[1], box[2], box[1]];
  if (now.state.editable) send({ do: "fill", source, target: box });
}
