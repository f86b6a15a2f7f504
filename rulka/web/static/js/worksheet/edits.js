// What is sent: edits, one after the other; and what others did, taken in.
import { ROWS, take } from "./blocks.js";
import { sheetQuery } from "./cells.js";
import { focusOn } from "./focus.js";
import { showFormula } from "./formula.js";
import { now } from "./now.js";
import { alertWith, editing, el, token, work } from "./page.js";
import { refresh, show } from "./painting.js";
import { openPanel } from "./panel.js";
import { said } from "./telling.js";

let sending = Promise.resolve();
export async function reload(sheet) {
  const answer = await fetch(
    `${work.dataset.cells}&sheet=${sheet ?? now.state.sheet}${now.every ? "&every=yes" : ""}&first=0&last=${ROWS - 1}&state=1`,
  );
  if (!answer.ok) {
    alertWith(await answer.text());
    return;
  }
  now.state = await answer.json();
  show();
  if (!editing()) focusOn(now.at.row, now.at.column);
}

export function send(asked) {
  const job = sending.then(async () => {
    const answer = await fetch(work.dataset.edit, {
      method: "POST",
      body: JSON.stringify({ version: now.state.version, sheet: now.state.sheet, every: now.every, ...asked }),
      headers: { "Content-Type": "application/json", "X-CSRFToken": token(), "HX-Request": "true" },
    });
    if (!answer.ok) {
      alertWith(await answer.text());
      if (answer.status === 422) await reload();
      return false;
    }
    el("alert").replaceChildren();
    const found = await answer.json();
    await takeIn(found);
    if (found.done) el("foot-said").textContent = found.done;
    openPanel(el("panel").dataset.panel === "trace" ? "trace" : el("panel").dataset.panel, true);
    return true;
  });
  sending = job.catch(() => {});
  return job;
}

// what changed since the version that is shown
async function takeIn(found) {
  if (found.reload) {
    await reload(found.sheet);
    return;
  }
  const { cells, ...own } = found;
  const before = JSON.stringify(now.state.layout);
  now.state = { ...now.state, ...own };
  take(cells);
  if (JSON.stringify(now.state.layout) !== before) show(false);
  refresh();
  said();
  showFormula();
}

// others may work on the same worksheet: what they do comes in while one looks on
async function lookAround() {
  if (document.hidden || editing() || document.activeElement?.id === "formula") return;
  const job = sending.then(async () => {
    const answer = await fetch(`${work.dataset.cells}${sheetQuery()}&since=${now.state.version}`, {
      headers: { "HX-Request": "true" },
    });
    if (!answer.ok) return;
    const found = await answer.json();
    if (found.version === now.state.version || !found.layout) return;
    await takeIn(found);
    if (found.done) el("foot-said").textContent = found.done;
  });
  sending = job.catch(() => {});
}

setInterval(lookAround, 4000);
