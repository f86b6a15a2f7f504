// What is sent: edits of the statement, and the panel that is asked for. The settings in the panel send their changes.
import { at } from "./cells.js";
import { expect } from "./expecting.js";
import { fold } from "./folding.js";
import { el, figures, panelState } from "./page.js";

let left = null; // where the focus was when an edit was sent: moving rows may take it along
const sent = new Map(); // what was sent last of each setting of each line or column

// where the focus was when the edit was sent that was answered now
export function leftAt() {
  const was = left;
  left = null;
  return was;
}

export function openPanel(query) {
  fold(false, true);
  return htmx.ajax("GET", `${el("work").dataset.panel}?${figures().dataset.query}&${query}`, { source: "#opener" });
}

export function send(values, then = "spot") {
  expect(then);
  left = { ...at };
  const given = { panel: panelState().panel || "", ...values, ...Object.fromEntries(new FormData(el("stamp"))) };
  return htmx.ajax("POST", el("work").dataset.edit, { source: "#sender", values: given });
}

// what a form holds is taken now: an answer that arrives before it is sent may show the field as it was
const post = (form) => send({ ...panelState(), ...Object.fromEntries(new FormData(form)) }, "panel");

const nameOf = (field) => ["do", "path", "key"].map((part) => field.form?.elements[part]?.value).join(" ");

function initial(field) {
  if (field.tagName !== "SELECT") return field.defaultValue;
  return [...field.options].find((option) => option.defaultSelected)?.value ?? field.options[0]?.value;
}

// a change of a setting is sent once
export function commit(field) {
  const form = field.closest?.("form.setting");
  if (!form || field.type === "radio" || !("value" in field)) return;
  const name = nameOf(field);
  if (field.value === (sent.has(name) ? sent.get(name) : initial(field))) return;
  sent.set(name, field.value);
  post(form);
}

// Escape leaves a setting as it was
export function revert(field) {
  const typed = field.closest?.("form.setting") && field.matches("input:not([type=radio]), textarea");
  if (typed && !sent.has(nameOf(field))) field.value = initial(field);
}

const SETTINGS = ["input:not([type=hidden]):not([type=radio])", "select", "textarea"]
  .map((one) => `form.setting ${one}`)
  .join(", ");

// Enter goes on to the next setting
export function onwards(field) {
  commit(field);
  const shown = [...el("panel").querySelectorAll(SETTINGS)].filter((other) => other.offsetParent);
  const next = shown[shown.indexOf(field) + 1];
  if (shown.includes(field) && next) {
    next.focus();
    next.select?.();
  }
}

document.addEventListener("change", (event) => {
  const form = event.target.closest?.("#panel form.setting");
  if (!form || event.target.matches("select.tokens")) return;
  if (event.target.type === "radio" || event.target.tagName === "SELECT") post(form);
  else commit(event.target);
});
document.addEventListener("input", (event) => {
  if (event.target.form) sent.delete(nameOf(event.target));
});
// a token is put where the caret is
document.addEventListener("change", (event) => {
  if (!event.target.matches?.("select.tokens") || !event.target.value) return;
  const field = el(event.target.dataset.for);
  field.setRangeText(`{${event.target.value}}`, field.selectionStart, field.selectionEnd, "end");
  event.target.value = "";
  commit(field);
});
