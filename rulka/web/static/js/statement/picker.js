// The accounts of a line and the nodes of a page, chosen from lists in the panel.
import { send } from "./edits.js";
import { el, panelState } from "./page.js";

let ticked = ""; // the account ticked last, from which a range goes

export const tickedBox = () => (ticked ? document.querySelector(`#picks [data-code="${CSS.escape(ticked)}"]`) : null);

function pick(how, code, from = "") {
  const key = el("panel").querySelector("form.setting [name=key]").value;
  send({ do: "accounts", how, code, from, key, ...panelState() }, "tick");
}

// keys on an account's box; whether one was meant for it
export function pickKey(event) {
  const boxes = [...document.querySelectorAll("#picks input[type=checkbox]")];
  const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  if (by) (boxes[boxes.indexOf(event.target) + by] || el("pick-search")).focus();
  else if (event.key === "+") event.target.closest("tr").querySelector("button.below")?.click();
  else if (event.key === " " && event.shiftKey && ticked) pick("range", event.target.dataset.code, ticked);
  else return false;
  event.preventDefault();
  return true;
}

document.addEventListener("click", (event) => {
  const box = event.target.closest?.("#picks input[type=checkbox]");
  if (box) {
    if (event.shiftKey && ticked) pick("range", box.dataset.code, ticked);
    else pick(box.checked ? "add" : "drop", box.dataset.code);
    ticked = box.dataset.code;
  }
  const below = event.target.closest?.("#picks button.below");
  if (below) pick(below.dataset.how, below.dataset.code);
});
// nodes are found as their names are typed
document.addEventListener("input", (event) => {
  if (event.target.id !== "node-search") return;
  const words = event.target.value.toLowerCase().split(/\s+/);
  document.querySelectorAll("#nodes tbody tr").forEach((row) => {
    row.hidden = !words.every((part) => row.dataset.text.includes(part));
  });
});
