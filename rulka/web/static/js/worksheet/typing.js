// What is typed into cells.
import * as guide from "../guide.js";
import { INPUT, TEXT, address, cellAt, choicesAt } from "./cells.js";
import { send } from "./edits.js";
import { place, step } from "./focus.js";
import { colour, showFormula } from "./formula.js";
import { now } from "./now.js";
import { el, grid } from "./page.js";
import { refresh } from "./painting.js";

// what is typed while the cell's field is on its way: nothing of it is lost, however quick somebody types
let starting = null;
let dropped = false; // the field on its way isn't wanted any more
export function typedAhead(event) {
  const key = event.key;
  if (starting && (key === "Enter" || key === "Tab" || key === "Escape")) {
    const { row, column, text } = starting;
    starting = null;
    dropped = true;
    if (key !== "Escape") {
      typeInto(row, column, text);
      step(key === "Enter" ? 1 : 0, key === "Tab" ? (event.shiftKey ? -1 : 1) : 0);
    }
    return true;
  }
  if (starting && key === "Backspace") {
    starting.text = starting.text.slice(0, -1);
    return true;
  }
  if (key.length !== 1 || !now.state.editable) return false;
  if (starting) {
    starting.text += key;
    return true;
  }
  starting = { ...now.at, text: key };
  dropped = false;
  edit();
  return true;
}

export class CellEditor {
  constructor(data, save, close) {
    this.data = data;
    this.save = save;
    this.close = close;
    this.element = null;
    this.done = false;
  }
  componentDidRender() {
    const field = this.element;
    if (!field || document.activeElement === field) return;
    if (dropped) {
      dropped = false;
      this.done = true;
      this.close(false);
      return;
    }
    if (starting) {
      field.value = starting.text;
      el("formula").value = starting.text;
      colour(starting.text);
      starting = null;
    }
    field.focus();
    field.setSelectionRange(field.value.length, field.value.length);
  }
  get field() {
    return this.element?.matches?.("input") ? this.element : this.element?.querySelector?.("input");
  }
  getValue() {
    return this.field?.value;
  }
  beforeAutoSave() {
    return !this.done;
  }
  render(h) {
    const row = this.data.model.r,
      column = Number(this.data.prop);
    const text = starting ? starting.text : (this.field?.value ?? (cellAt(row, column)?.[INPUT] || ""));
    const options = choicesAt(row, column);
    return h("input", {
      type: "text",
      class: "celledit",
      value: text,
      autocomplete: "off",
      "aria-label": `Cell ${address(row, column)}`,
      ref: (field) => {
        this.element = field;
      },
      list: options ? offer(options) : undefined,
      onInput: (event) => {
        el("formula").value = event.target.value;
        colour(event.target.value);
        guide.typing(event.target);
      },
      onKeyDown: (event) => {
        if (guide.pressed(event)) return;
        guide.close();
        if (event.key === "Enter" && !event.isComposing) {
          event.stopPropagation();
          event.preventDefault();
          this.done = true;
          this.save(event.target.value, true);
          this.close(false);
          step(1, 0);
        }
        if (event.key === "Escape") {
          event.stopPropagation();
          this.done = true;
          this.close(false);
          showFormula();
        }
        if (event.key === "Tab") {
          event.stopPropagation();
          event.preventDefault();
          this.done = true;
          this.save(event.target.value, true);
          this.close(false);
          step(0, event.shiftKey ? -1 : 1);
        }
      },
    });
  }
}

function offer(options) {
  let list = el("cell-options");
  if (!list) {
    list = document.createElement("datalist");
    list.id = "cell-options";
    document.body.append(list);
  }
  list.replaceChildren(
    ...options.map((text) => {
      const one = document.createElement("option");
      one.value = text;
      return one;
    }),
  );
  return "cell-options";
}

export function typeInto(row, column, text) {
  if ((cellAt(row, column)?.[INPUT] || "") === text) {
    showFormula();
    return;
  }
  const former = cellAt(row, column) || [row, column, "", "", 0, "", 0, ""];
  const kept = [...former];
  kept[TEXT] = text.startsWith("=") ? "…" : text;
  kept[INPUT] = text; // until the server has said what it shows
  now.store.set(`${row},${column}`, kept);
  refresh();
  send({ do: "type", cells: [[row, column, text]] });
}

export function edit() {
  if (!now.state.editable) return;
  const spot = place(now.at.row, now.at.column);
  grid.setCellEdit(spot.y, String(now.at.column), spot.rowType);
}
