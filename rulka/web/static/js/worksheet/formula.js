// The formula in hand, its references in colours.
import { ANCHOR, FLAGS, INPUT, SPILLED, address, cellAt, corner } from "./cells.js";
import { now } from "./now.js";
import { el } from "./page.js";
import { refresh } from "./painting.js";

const REFERENCE =
  /"(?:[^"]|"")*"|((?:'(?:[^']|'')+'|[A-Za-z_][\w.]*)!)?(\$?[A-Za-z]{1,2}\$?[1-9]\d{0,4})(?::(\$?[A-Za-z]{1,2}\$?[1-9]\d{0,4}))?(#)?(?![\w(.])/g;
export function colour(text) {
  const box = el("formula-colours");
  box.replaceChildren();
  const found = [];
  if (text.startsWith("=")) {
    let last = 0,
      next = 0;
    const seen = new Map();
    for (const match of text.matchAll(REFERENCE)) {
      if (!match[2]) continue;
      const [top, left] = corner(match[2]),
        [bottom, right] = match[3] ? corner(match[3]) : [top, left];
      const name = match[0].replaceAll("$", "").toUpperCase();
      if (!seen.has(name)) {
        seen.set(name, next % 5);
        next += 1;
      }
      box.append(text.slice(last, match.index));
      const piece = document.createElement("span");
      piece.className = `ref-${seen.get(name)}`;
      piece.textContent = match[0];
      box.append(piece);
      last = match.index + match[0].length;
      const named = match[1] ? match[1].slice(0, -1).replace(/^'|'$/g, "").replaceAll("''", "'") : null;
      const sheet = named
        ? now.state.sheets.find((one) => one[1].toLowerCase() === named.toLowerCase())?.[0]
        : now.state.sheet;
      let area = [Math.min(top, bottom), Math.min(left, right), Math.max(top, bottom), Math.max(left, right)];
      if (match[4]) {
        let end = area[0];
        while (cellAt(end + 1, area[1])?.[FLAGS] & SPILLED) end += 1;
        area = [area[0], area[1], end, area[3]];
      }
      found.push({ sheet, box: area, colour: seen.get(name) });
    }
    box.append(text.slice(last));
  } else box.append(text);
  const changed = JSON.stringify(found) !== JSON.stringify(now.marks);
  now.marks = found;
  if (changed) refresh();
}

export function showFormula() {
  const field = el("formula");
  if (document.activeElement === field) return;
  const cell = cellAt(now.at.row, now.at.column);
  field.value = cell?.[INPUT] || "";
  field.placeholder = cell?.[ANCHOR] ? `filled by ${cell[ANCHOR]}` : "";
  el("at").textContent = address(now.at.row, now.at.column);
  colour(field.value);
}
