// While a formula is typed: names to choose from, the argument one stands in, references turned fixed or moving; and the
// guide's form, which puts a formula together from its arguments. Words and values come from the server.
const el = (id) => document.getElementById(id);
const wait = (work, time) => {
  let timer = 0;
  return (...given) => {
    clearTimeout(timer);
    timer = setTimeout(() => work(...given), time);
  };
};

let known = [];
export async function learn(address) {
  const answer = await fetch(address);
  if (answer.ok) known = (await answer.json()).functions;
}

// completion -------------------------------------------------------------------------------------------------------------

let offered = [],
  chosen = -1,
  field = null;

const inText = (text) => (text.match(/"/g) || []).length % 2 === 1;
function wordBefore(input) {
  const before = input.value.slice(0, input.selectionStart);
  if (!input.value.startsWith("=") || inText(before)) return "";
  return /(?:^|[^\w.$!'#])([A-Za-z][\w.]*)$/.exec(before)?.[1] || "";
}

export function close() {
  el("complete").hidden = true;
  el("hint").hidden = true;
  offered = [];
  chosen = -1;
}

export function typing(input) {
  field = input;
  const word = wordBefore(input).toUpperCase();
  const fits = word
    ? known
        .filter(([name]) => name.startsWith(word))
        .concat(word.length > 2 ? known.filter(([name]) => !name.startsWith(word) && name.includes(word)) : [])
    : [];
  offered = fits.slice(0, 8);
  chosen = -1;
  paint();
  hint(input);
}

function paint() {
  const box = el("complete");
  box.hidden = !offered.length;
  box.replaceChildren(
    ...offered.map(([name, , line], number) => {
      const item = document.createElement("div");
      item.setAttribute("role", "option");
      item.id = `complete-${number}`;
      if (number === chosen) item.setAttribute("aria-selected", "true");
      const bold = document.createElement("b"),
        said = document.createElement("span");
      bold.textContent = name;
      said.textContent = line;
      item.append(bold, said);
      item.addEventListener("mousedown", (event) => {
        event.preventDefault();
        accept(number);
      });
      return item;
    }),
  );
  field?.setAttribute("aria-activedescendant", chosen >= 0 ? `complete-${chosen}` : "");
}

function accept(number) {
  const word = wordBefore(field),
    at = field.selectionStart,
    name = `${offered[number][0]}(`;
  field.setRangeText(name, at - word.length, at, "end");
  offered = [];
  chosen = -1;
  paint();
  field.dispatchEvent(new Event("input", { bubbles: true }));
}

// true where the key was for the list
export function pressed(event) {
  if (event.altKey && event.code === "KeyX" && !event.shiftKey) {
    turn(event.target);
    event.preventDefault();
    return true;
  }
  if (!offered.length) return false;
  if (event.key === "ArrowDown" || event.key === "ArrowUp") {
    chosen = (chosen + (event.key === "ArrowDown" ? 1 : -1) + offered.length) % offered.length;
    paint();
    event.preventDefault();
    return true;
  }
  if (event.key === "Tab" && !event.shiftKey) {
    accept(Math.max(chosen, 0));
    event.preventDefault();
    event.stopPropagation();
    return true;
  }
  if (event.key === "Enter" && chosen >= 0) {
    accept(chosen);
    event.preventDefault();
    event.stopPropagation();
    return true;
  }
  if (event.key === "Escape") {
    close();
    event.preventDefault();
    event.stopPropagation();
    return true;
  }
  return false;
}

// the argument that is being written, in the words of its function
function hint(input) {
  const box = el("hint"),
    before = input.value.slice(0, input.selectionStart);
  box.hidden = true;
  if (!before.startsWith("=")) return;
  const open = [];
  let text = false,
    name = "";
  for (const letter of before) {
    if (letter === '"') text = !text;
    if (text) continue;
    if (/[\w.]/.test(letter)) {
      name += letter;
      continue;
    }
    if (letter === "(") open.push([name.toUpperCase(), 0]);
    else if (letter === ")") open.pop();
    else if (letter === "," && open.length) open.at(-1)[1] += 1;
    name = "";
  }
  const [called, place] = open.at(-1) || [];
  const found = known.find(([own]) => own === called);
  if (!found || offered.length) return;
  const parts = found[1].slice(called.length + 1, -1).split(", ");
  box.replaceChildren(
    `${called}(`,
    ...parts.flatMap((part, number) => {
      const piece = document.createElement(number === Math.min(place, parts.length - 1) ? "b" : "span");
      piece.textContent = part;
      return number ? [", ", piece] : [piece];
    }),
    ")",
  );
  box.hidden = false;
}

// A1, $A$1, A$1, $A1 and round again
const CELL = /(\$?)([A-Za-z]{1,3})(\$?)([1-9]\d{0,6})(?![\w(])/g;
function turn(input) {
  const at = input.selectionStart;
  for (const match of input.value.matchAll(CELL)) {
    const end = match.index + match[0].length;
    if (at < match.index || at > end || /[\w."]/.test(input.value[match.index - 1] || "")) continue;
    const [, column, letters, row, number] = match;
    const next = { "": ["$", "$"], $$: ["", "$"], _$: ["$", ""], $_: ["", ""] }[
      column || row ? `${column || "_"}${row || "_"}` : ""
    ];
    const text = `${next[0]}${letters}${next[1]}${number}`;
    input.setRangeText(text, match.index, end, "end");
    input.dispatchEvent(new Event("input", { bubbles: true }));
    return;
  }
}

// the guide's form -------------------------------------------------------------------------------------------------------

const REFERENCE = /^(?:(?:'[^']+'|[A-Za-z_]\w*)!)?\$?[A-Za-z]{1,3}\$?[1-9]\d*(?::\$?[A-Za-z]{1,3}\$?[1-9]\d*)?#?$/;
let pointing = null; // the field that a click on a cell is for

function written(input, names) {
  const text = input.value.trim(),
    helper = input.dataset.helper;
  if (!text) return "";
  const listed = [...(input.list?.options || [])].some((option) => option.value === text);
  if (
    text.startsWith('"') ||
    (REFERENCE.test(text) && !listed) ||
    /^(TRUE|FALSE)$/i.test(text) ||
    names.some((name) => name.toLowerCase() === text.toLowerCase())
  )
    return text;
  if (/^-?\d+(\.\d+)?%?$/.test(text) && !/^0\d/.test(text) && !["account", "node", "period"].includes(helper))
    return text;
  if (!listed && /[(]/.test(text)) return text;
  return `"${text.replaceAll('"', '""')}"`;
}

export function guideFormula(names) {
  const form = el("guide");
  const given = [...form.querySelectorAll("[name^=argument-]")].map((input) => written(input, names));
  while (given.length && !given.at(-1)) given.pop();
  return `${form.dataset.before}${form.dataset.function}(${given.join(", ")})${form.dataset.after}`;
}

let asked = 0;
export async function preview(work, sheet, names) {
  const form = el("guide");
  if (!form || !el("guide-gives")) return;
  const formula = guideFormula(names);
  el("guide-formula").textContent = formula;
  const needed = [...form.querySelectorAll("[name^=argument-]")].filter((input) => input.labels[0].querySelector("b"));
  if (needed.some((input) => !input.value.trim())) return;
  asked += 1;
  const own = asked;
  const answer = await fetch(
    `${work.dataset.try}&sheet=${sheet}&cell=${form.dataset.cell}&text=${encodeURIComponent(formula)}`,
  );
  if (own === asked && el("guide-gives")) el("guide-gives").innerHTML = await answer.text();
}

async function offer(input, address) {
  if (["", "cells", undefined].includes(input.dataset.helper)) return;
  const answer = await fetch(
    `${address}&helper=${input.dataset.helper}&search=${encodeURIComponent(REFERENCE.test(input.value) ? "" : input.value)}`,
  );
  if (!answer.ok || !input.list) return;
  input.list.replaceChildren(
    ...(await answer.json()).offered.map(([code, name]) => {
      const one = document.createElement("option");
      one.value = code;
      if (name) one.label = `${code} ${name}`;
      return one;
    }),
  );
}

export function guideWorks(work, sheet, names, write) {
  const show = wait(() => preview(work, sheet(), names()), 250),
    look = wait((input) => offer(input, work.dataset.offer), 150);
  document.addEventListener("input", (event) => {
    if (event.target.closest?.("#guide")) {
      show();
      look(event.target);
    }
  });
  document.addEventListener("focusin", (event) => {
    const input = event.target.closest?.("#guide input");
    if (input) {
      pointing = input;
      offer(input, work.dataset.offer);
    } else if (!event.target.closest?.("#grid")) pointing = null;
  });
  document.body.addEventListener("htmx:afterSwap", () => preview(work, sheet(), names()));
  document.addEventListener("submit", (event) => {
    if (event.target.id !== "guide") return;
    event.preventDefault();
    pointing = null;
    write(event.target.dataset.cell, guideFormula(names()));
  });
}

// true where the click was for a field of the guide
export function pointed(address) {
  if (!pointing?.isConnected) {
    pointing = null;
    return false;
  }
  const input = pointing;
  input.value = address;
  setTimeout(() => {
    input.focus();
    input.dispatchEvent(new Event("input", { bubbles: true }));
  }, 0);
  return true;
}
