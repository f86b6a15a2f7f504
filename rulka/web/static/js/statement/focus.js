// Where the focus goes once something was replaced: a table of states, of which one holds at a time.
import { HEADS, at, back, current, isHead, rowOf } from "./cells.js";
import { onwards } from "./edits.js";
import { expect, expected } from "./expecting.js";
import { el } from "./page.js";
import { tickedBox } from "./picker.js";

const FIELD = "#set-label, #set-heading, form.setting textarea, form.setting input:not([type=hidden])";
const INSIDE = ".body button, .body input:not([type=hidden]), .body select, .body textarea, .body a";
const STILL = { preventScroll: true };
const onBody = () => document.activeElement === document.body;

// Each state: whether it outlasts answers to other requests (`stays`), whether keys that are typed meanwhile are kept for
// the field that it waits for (`types`), the state that follows, and what gets the focus.
export const STATES = {
  elsewhere: { then: "elsewhere", arrive: () => follow() },
  spot: {
    then: "spot",
    arrive: (was) => {
      Object.assign(at, was || {});
      follow();
      if (onBody()) back();
    },
  },
  panel: {
    then: "panel",
    arrive: () => {
      follow();
      if (onBody()) onto(el("panel").querySelector(".ways [aria-current]") || el("panel"));
    },
  },
  form: { stays: true, types: true, then: "panel", arrive: () => enter(el("panel").querySelector(FIELD)) },
  into: { stays: true, then: "panel", arrive: () => onto(el("panel").querySelector(INSIDE) || el("panel")) },
  nodes: { stays: true, types: true, then: "panel", arrive: () => enter(el("node-search")) },
  search: {
    stays: true,
    types: true,
    then: "panel",
    arrive: () => {
      bringNear();
      enter(el("pick-search"), STILL);
    },
  },
  tick: {
    stays: true,
    then: "panel",
    arrive: () => {
      if (onBody()) tickedBox()?.focus();
    },
  },
  chosen: { stays: true, then: "spot", arrive: () => back() },
};

let typed = ""; // what is typed while the field that it is meant for is on its way

// rows may have moved under the focus: it belongs to the row that it was on
function follow() {
  const spot = current();
  if (spot && !isHead(spot) && at.row !== HEADS && rowOf(spot).dataset.row !== at.row) back();
}

const onto = (place) => place?.focus(STILL);
const bringNear = () => document.querySelector("#picks tr.on")?.scrollIntoView({ block: "center" });

function enter(field, how = {}) {
  field?.focus(how);
  if (field?.matches(FIELD)) field.select?.();
  takeTyped(field);
}

// whether a key is kept for the field that is waited for
export function keepTyped(event) {
  const word = event.key.length === 1 || event.key === "Enter";
  if (!STATES[expected()].types || event.ctrlKey || event.metaKey || !word) return false;
  typed += event.key === "Enter" ? "\n" : event.key;
  return true;
}

function takeTyped(field) {
  const [words, ...more] = typed.split("\n");
  typed = "";
  if (!field || !("setRangeText" in field)) return;
  if (words) {
    field.setRangeText(words, field.selectionStart, field.selectionEnd, "end");
    field.dispatchEvent(new Event("input", { bubbles: true }));
  }
  if (more.length) {
    onwards(field);
    typed = more.join("\n");
    takeTyped(document.activeElement);
  }
}

// what was on its way is there
export function arrive(was) {
  const now = STATES[expected()];
  expect(now.then);
  now.arrive(was);
}

for (const name of ["htmx:responseError", "htmx:sendError"]) {
  document.addEventListener(name, () => {
    expect("spot");
    typed = "";
  });
}
document.addEventListener("htmx:beforeSwap", () => {
  const active = document.activeElement;
  if (STATES[expected()].stays || !active || active === document.body) return;
  expect(active.closest("#panel") ? "panel" : active.closest("#figures") ? "spot" : "elsewhere");
});
