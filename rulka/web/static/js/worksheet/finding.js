// Texts found on the sheet.
import { ROWS, fetchBlock } from "./blocks.js";
import { address, sheetQuery } from "./cells.js";
import { focusOn } from "./focus.js";
import { now } from "./now.js";
import { el, work } from "./page.js";

export function find(on) {
  el("find-bar").hidden = !on;
  if (on) el("find-bar").elements.wanted.focus();
  else focusOn(now.at.row, now.at.column);
}
export async function findNext(wanted) {
  const answer = await fetch(
    `${work.dataset.cells}${sheetQuery()}&find=${encodeURIComponent(wanted)}&after=${address(now.at.row, now.at.column)}`,
  );
  const found = answer.ok ? (await answer.json()).found : null;
  if (!found) {
    el("foot-said").textContent = `'${wanted}' is not on this sheet.`;
    return;
  }
  await fetchBlock(Math.floor(found[0] / ROWS));
  focusOn(found[0], found[1]);
}
