// Blocks of rows: fetched when they come near.
import { sheetQuery } from "./cells.js";
import { now } from "./now.js";
import { work } from "./page.js";
import { refresh } from "./painting.js";

export const ROWS = 200; // rows that are fetched at once
export function take(cells) {
  for (const cell of cells) now.store.set(`${cell[0]},${cell[1]}`, cell);
}
export function fetchBlock(number) {
  if (!now.blocks.has(number)) {
    const version = now.state.version,
      sheet = now.state.sheet;
    const address = `${work.dataset.cells}${sheetQuery()}&first=${number * ROWS}&last=${number * ROWS + ROWS - 1}`;
    now.blocks.set(
      number,
      fetch(address)
        .then((answer) => (answer.ok ? answer.json() : Promise.reject(new Error(answer.statusText))))
        .then(
          (found) => {
            if (now.state.sheet !== sheet || now.state.version !== version) return; // of an older state: asked for again when it is near
            take(found.rows);
            refresh();
          },
          () => {
            now.blocks.delete(number);
          },
        ),
    );
  }
  return now.blocks.get(number);
}

export function fetchNear(first, last) {
  for (let number = Math.floor(first / ROWS); number <= Math.floor(last / ROWS); number += 1) {
    if (number * ROWS < now.state.used) fetchBlock(number);
  }
}
