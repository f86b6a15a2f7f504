// What the other modules of a worksheet find the page by.
import { defineCustomElements, setNonce } from "../../vendor/revogrid.js";

export const work = document.getElementById("work");
export const el = (id) => document.getElementById(id);
setNonce(work.dataset.nonce);
defineCustomElements();
export const grid = document.createElement("revo-grid");
export const token = () => JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
export function alertWith(html) {
  el("alert").innerHTML = html;
}
export const editing = () => document.activeElement?.matches?.(".celledit");
export const onGrid = (target) => grid.contains(target) || target === document.body;
export function post(address, values) {
  const body = new FormData();
  for (const [name, value] of Object.entries(values)) body.append(name, value);
  return fetch(address, { method: "POST", body, headers: { "X-CSRFToken": token(), "HX-Request": "true" } });
}
