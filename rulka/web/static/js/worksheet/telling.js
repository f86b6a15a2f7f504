// The sheets' tabs, what can be undone, and the line at the foot.
import { address } from "./cells.js";
import { reload, send } from "./edits.js";
import { focusOn } from "./focus.js";
import { now } from "./now.js";
import { el } from "./page.js";
import { openPanel } from "./panel.js";

export function tabs() {
  const nav = el("sheettabs");
  nav.replaceChildren(
    ...now.state.sheets.map(([number, name]) => {
      const button = document.createElement("button");
      button.type = "button";
      button.textContent = name;
      if (number === now.state.sheet) button.setAttribute("aria-current", "true");
      button.addEventListener("click", () => {
        now.at = { row: 0, column: 0 };
        reload(number).then(() => openPanel(null, true));
      });
      return button;
    }),
  );
  if (now.state.editable) {
    const add = document.createElement("button");
    add.type = "button";
    add.textContent = "+";
    add.setAttribute("aria-label", "One more sheet");
    add.addEventListener("click", () =>
      send({ do: "sheet", how: "add" }).then(() => reload(now.state.sheets.at(-1)[0])),
    );
    nav.append(add);
  }
}

export function said() {
  for (const [id, what] of [
    ["undo", now.state.undo],
    ["redo", now.state.redo],
  ]) {
    const button = el(id);
    if (button) {
      button.disabled = !what;
      button.title = what ? `${id === "undo" ? "Undo" : "Redo"}: ${what}` : "";
    }
  }
  const link = el("foot-error");
  link.hidden = !now.state.errors;
  if (now.state.errors) {
    const [sheet, row, column, code] = now.state.error;
    link.textContent = `${now.state.errors} error${now.state.errors === 1 ? "" : "s"}: ${address(row, column)} ${code} ›`;
    link.onclick = (event) => {
      event.preventDefault();
      const go = () => {
        focusOn(row, column);
        openPanel("cell");
      };
      if (sheet !== now.state.sheet) reload(sheet).then(go);
      else go();
    };
  }
  const covers = el("foot-covers");
  covers.hidden = !now.state.covers;
  if (now.state.covers) {
    covers.textContent = `Covers ${now.state.covers.text} ›`;
    covers.className = now.state.covers.whole ? "" : "warn";
    covers.onclick = (event) => {
      event.preventDefault();
      openPanel("check");
    };
  }
  el("foot-told").textContent = [now.state.told, now.state.taken ? `${now.state.taken} ms` : ""]
    .filter(Boolean)
    .join(" · ");
}
