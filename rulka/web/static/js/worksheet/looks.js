// Looks of cells: given, taken and put.
import { address } from "./cells.js";
import { send } from "./edits.js";
import { chosen } from "./focus.js";
import { now } from "./now.js";
import { el } from "./page.js";

let lookTaken = null; // where a look was taken: { sheet, box }
export async function sendLook(look) {
  const box = await chosen();
  if (el("whole-columns")?.checked) send({ do: "column look", first: box[1], last: box[3], look });
  else send({ do: "look", box, look });
}

export async function takeLook() {
  lookTaken = { sheet: now.state.sheet, box: [now.at.row, now.at.column, now.at.row, now.at.column] };
  el("put-look")?.removeAttribute("disabled");
  el("foot-said").textContent = `Took the look of ${address(now.at.row, now.at.column)}`;
}

export async function putLook() {
  if (lookTaken && now.state.editable)
    send({ do: "copy", what: "looks", from: lookTaken.sheet, source: lookTaken.box, target: await chosen() });
}
