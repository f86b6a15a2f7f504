// What each key does on a statement.
import { at, back, current, isHead, rowOf, walk } from "./cells.js";
import { about, draw, extend, forget, reach, toggle } from "./choosing.js";
import { copyTable } from "./clipboard.js";
import { onwards, openPanel, revert, send } from "./edits.js";
import { expect } from "./expecting.js";
import { keepTyped } from "./focus.js";
import { fold } from "./folding.js";
import { el, figures } from "./page.js";
import { pickKey } from "./picker.js";

const word = (spot) => (spot && isHead(spot) ? "column" : "line");
const onLine = (spot) => Boolean(spot) && !isHead(spot);
const onFigure = (spot) => Boolean(spot) && spot.classList.contains("figure");
const asked = (values) => new URLSearchParams(values).toString();
const figureAt = (spot) => ({ row: rowOf(spot).dataset.row, column: spot.dataset.column });

// an edit of the lines or columns that are chosen, or that one stands on
function edit(spot, what, then, more = {}) {
  send({ do: `${word(spot)}-${what}`, panel: word(spot), ...about(spot), ...more }, then);
}

function show(panel, then = "into", more = {}) {
  expect(then);
  openPanel(asked({ panel, ...more }));
}

function addBelow(spot) {
  const total = onLine(spot) && rowOf(spot).classList.contains("total");
  edit(spot, "add", "form", { where: "below", part: total ? "total" : "" });
}

function showColumn(spot) {
  if (spot) show("column", "form", { column: isHead(spot) ? spot.dataset.heading : spot.dataset.column || at.column });
}

function showDrivers(spot) {
  const more = asked({ panel: "trace", by: "drivers", room: "yes", ...figureAt(spot) });
  location.href = `${el("work").dataset.trace}&${more}`;
}

const KEYS = {
  n: addBelow,
  N: (spot) => edit(spot, "add", "form", { where: "above" }),
  d: (spot) => spot && edit(spot, "duplicate", "chosen"),
  Delete: (spot) => spot && edit(spot, "delete", "chosen"),
  g: (spot) => onLine(spot) && edit(spot, "enclose", "form"),
  m: (spot) => onLine(spot) && edit(spot, "merge", "chosen"),
  "+": () => send({ do: "place" }),
  e: (spot) => (onLine(spot) ? show("line", "form", { row: rowOf(spot).dataset.row }) : showColumn(spot)),
  c: showColumn,
  a: (spot) =>
    onLine(spot) && show("accounts", "search", { lines: rowOf(spot).dataset.line, row: rowOf(spot).dataset.row }),
  f: () => show("footing"),
  i: (spot) => show("explain", "into", onFigure(spot) ? figureAt(spot) : {}),
  b: draw,
  y: (spot) => onFigure(spot) && showDrivers(spot),
  v: () => show("versions"),
  s: () => show("page"),
  h: () => el("toggle-hidden")?.click(),
  p: () => fold(!document.body.classList.contains("folded")),
  o: () => show("nodes", "nodes"),
  "[": () => el("node-back")?.click(),
  "]": () => el("node-on")?.click(),
  w: () => el("toggle-paper")?.click(),
  t: () => copyTable(),
  x: () => (el("repeat-export").getAttribute("href") ? el("repeat-export") : el("export")).click(),
  k: () => show("editions"),
  " ": (spot) => spot && toggle(spot),
};

const WAYS = {
  column: { ArrowLeft: "left", ArrowRight: "right" },
  line: { ArrowUp: "up", ArrowDown: "down", ArrowRight: "in", ArrowLeft: "out" },
};

function move(spot, key) {
  const way = WAYS[word(spot)][key];
  if (way) edit(spot, "move", "chosen", { way });
}

// Enter on a figure that is traced already goes on into its trace
function intoTrace(spot) {
  if (!onFigure(spot)) return false;
  const panel = el("panel");
  const { row, column } = figureAt(spot);
  const first = panel.dataset.row === row && panel.dataset.column === column && panel.querySelector(".parts tbody a");
  if (first) first.focus();
  return Boolean(first);
}

function grow(spot, key) {
  const by = ["ArrowDown", "ArrowRight"].includes(key) ? 1 : -1;
  const down = ["ArrowDown", "ArrowUp"].includes(key);
  if (isHead(spot) !== down) extend(spot, by);
  else if (!down && spot.dataset.column) reach(spot, by);
  else walk(spot, key);
}

// keys on a spot; whether one was meant for it
function spotKey(spot, event) {
  const arrow = /^Arrow/.test(event.key);
  if (event.key === "Enter") return intoTrace(spot);
  if (event.altKey && arrow) move(spot, event.key);
  else if (event.shiftKey && arrow) grow(spot, event.key);
  else if (arrow || ["Home", "End"].includes(event.key)) walk(spot, event.key);
  else return false;
  return true;
}

// Enter in a setting of one line goes on to the next one
function isLineOfSetting(event) {
  const field = event.target;
  if (
    event.key !== "Enter" ||
    event.shiftKey ||
    !field.matches?.("#panel form.setting input, #panel form.setting textarea")
  )
    return false;
  return !field.matches("#set-agree, #set-group, [type=radio]");
}

function undoKey(event) {
  const key = event.key.toLowerCase();
  if (!(event.ctrlKey || event.metaKey) || !["z", "y"].includes(key) || rulka.inField(event.target)) return false;
  const button = el(key === "y" || event.shiftKey ? "redo" : "undo");
  if (button && !button.disabled) {
    expect("spot");
    button.click();
  }
  return true;
}

function plainKey(spot, event) {
  if (event.ctrlKey || event.metaKey || event.altKey || rulka.keysOff()) return false;
  const act = KEYS[event.key];
  if (!act || (event.key === " " && !spot)) return false;
  act(spot);
  return true;
}

// whether a key was meant for the statement
function pressed(event) {
  const target = event.target;
  if (event.key === "Escape" && target.closest("#panel")) {
    revert(target);
    back();
    return true;
  }
  if (target.matches?.("#picks input[type=checkbox]") && pickKey(event)) return true;
  if (isLineOfSetting(event)) {
    onwards(target);
    return true;
  }
  if (undoKey(event)) return true;
  if (rulka.inField(target) || target.matches?.("[type=radio], #panel [type=checkbox]")) return false;
  if (keepTyped(event)) return true;
  const spot = current();
  if (spot && event.key === "Escape") forget();
  return (spot && spotKey(spot, event)) || (event.key !== "Enter" && plainKey(spot, event));
}

document.addEventListener("keydown", (event) => {
  if (figures() && !event.defaultPrevented && pressed(event)) event.preventDefault();
});
