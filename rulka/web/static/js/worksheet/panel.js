// The panel beside the grid, which follows the cell one stands on.
import { address, sheetQuery } from "./cells.js";
import { now } from "./now.js";
import { el, work } from "./page.js";

// what somebody asks of the panel themselves goes before what it shows by itself
let own = null;
document.addEventListener("htmx:beforeRequest", (event) => {
  if (event.target.closest?.("#panel")) own = event.target;
});
document.addEventListener("htmx:afterRequest", (event) => {
  if (event.target === own) own = null;
});
export function openPanel(panel, quiet) {
  if (quiet && own) return;
  const kind = panel || el("panel").dataset.panel || "cell";
  if (
    quiet &&
    el("panel").contains(document.activeElement) &&
    document.activeElement.matches("input, select, textarea")
  )
    return;
  if (!quiet) document.body.classList.remove("folded");
  htmx
    .ajax("GET", `${work.dataset.panel}${sheetQuery()}&cell=${address(now.at.row, now.at.column)}&panel=${kind}`, {
      source: "#opener",
    })
    .catch(() => {}); // given up for a newer one; what fails otherwise is told by its answer
}

let opening = 0;
export function follow() {
  clearTimeout(opening);
  if (["cell", "trace"].includes(el("panel").dataset.panel)) opening = setTimeout(() => openPanel(null, true), 180);
}
