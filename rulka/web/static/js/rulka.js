// Moves things on screen: open and close, walk the figures by key, keep focus. No figure is computed here.
document.addEventListener("alpine:init", () => {
  Alpine.data("drop", () => ({
    open: false,
    toggle() { this.open = !this.open; this.$root.querySelector(".drop").hidden = false; },
    close() { this.open = false; },
  }));
});

(() => {
  let at = { row: "", column: "" };
  let place = ""; // where the focus was before something was replaced: panel, figure, or form when it shall go there

  const figures = () => document.getElementById("figures");
  const rows = () => [...figures().querySelectorAll("tbody tr")].filter((row) => row.querySelector("a.figure"));
  const figure = (row, column) => row.querySelector(`a.figure[data-column="${CSS.escape(column)}"]`);
  const current = () => document.activeElement && document.activeElement.closest("a.figure");

  function remember(spot) {
    at = { row: spot.closest("tr").dataset.row, column: spot.dataset.column };
  }

  function setEntry() {
    if (!figures()) return;
    figures().querySelectorAll('a.figure[tabindex="0"]').forEach((spot) => spot.setAttribute("tabindex", "-1"));
    const line = rows().find((candidate) => candidate.dataset.row === at.row) || rows()[0];
    const spot = line && (figure(line, at.column) || line.querySelector("a.figure"));
    if (spot) spot.setAttribute("tabindex", "0");
  }

  function walk(spot, key) {
    const row = spot.closest("tr");
    const inRow = [...row.querySelectorAll("a.figure")];
    const all = rows();
    let target = null;
    if (key === "ArrowRight") target = inRow[inRow.indexOf(spot) + 1];
    if (key === "ArrowLeft") target = inRow[inRow.indexOf(spot) - 1];
    if (key === "Home") target = inRow[0];
    if (key === "End") target = inRow[inRow.length - 1];
    if (key === "ArrowDown" && all[all.indexOf(row) + 1]) target = figure(all[all.indexOf(row) + 1], spot.dataset.column);
    if (key === "ArrowUp" && all[all.indexOf(row) - 1]) target = figure(all[all.indexOf(row) - 1], spot.dataset.column);
    if (target) { remember(target); setEntry(); target.focus(); }
  }

  const keysOff = () => localStorage.getItem("single-keys") === "off";
  const inField = (target) => target.closest("input, textarea, select, dialog, [contenteditable]");

  function single(key) {
    const spot = current();
    if (key === ",") document.getElementById("step-back")?.click();
    else if (key === ".") document.getElementById("step-on")?.click();
    else if (key === "p") document.body.classList.toggle("folded");
    else if (key === "?") document.getElementById("keys")?.showModal();
    else if (key === "e" && spot) { place = "form"; spot.closest("tr").querySelector("th a").click(); }
    else if (key === "c" && spot) {
      place = "form";
      figures().querySelector(`tr.heads a[data-heading="${CSS.escape(spot.dataset.column)}"]`).click();
    } else return false;
    return true;
  }

  // Enter on a figure that is traced already goes on into its trace
  function intoTrace(spot) {
    const panel = document.getElementById("panel");
    const shown = panel.dataset.row === spot.closest("tr").dataset.row && panel.dataset.column === spot.dataset.column;
    const first = shown && panel.querySelector(".parts a");
    if (first) first.focus();
    return Boolean(first);
  }

  function back() {
    const line = figures() && rows().find((candidate) => candidate.dataset.row === at.row);
    const spot = line && figure(line, at.column);
    if (spot) spot.focus();
    return Boolean(spot);
  }

  document.addEventListener("keydown", (event) => {
    if (event.key === "Escape" && event.target.closest("#panel") && back()) { event.preventDefault(); return; }
    if (inField(event.target)) return;
    const spot = current();
    if (spot && event.key === "Enter" && intoTrace(spot)) { event.preventDefault(); return; }
    if (spot && /^(Arrow|Home|End)/.test(event.key)) { walk(spot, event.key); event.preventDefault(); return; }
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
      const undo = document.getElementById("undo");
      if (undo && !undo.disabled) { undo.click(); event.preventDefault(); }
      return;
    }
    if (event.ctrlKey || event.metaKey || event.altKey || keysOff() && event.key !== "?") return;
    const step = { ",": "step-back", ".": "step-on" }[event.key];
    if (step && !figures()) document.getElementById(step)?.click();
    if (figures() && single(event.key)) event.preventDefault();
  });

  document.addEventListener("focusin", (event) => {
    const spot = event.target.closest && event.target.closest("a.figure");
    if (spot) { remember(spot); setEntry(); }
  });

  function choose() {
    const panel = document.getElementById("panel");
    if (!panel || !figures()) return;
    figures().querySelectorAll("tr.chosen").forEach((row) => row.classList.remove("chosen"));
    const row = panel.dataset.row && figures().querySelector(`tr[data-row="${CSS.escape(panel.dataset.row)}"]`);
    if (row) row.classList.add("chosen");
    setEntry();
  }
  // what was replaced can't keep the focus: it goes to the panel, or back to the figure it was on
  document.addEventListener("htmx:beforeSwap", (event) => {
    // what is being typed into a form that follows every change must outlast the answer to the change before
    if (window.Idiomorph) window.Idiomorph.defaults.ignoreActiveValue = event.detail.target.id === "mapping";
    if (place === "form") return;
    const active = document.activeElement;
    place = !active || active === document.body ? place : active.closest("#panel") ? "panel" : active.closest("a.figure") ? "figure" : "";
  });
  document.addEventListener("htmx:afterSettle", (event) => {
    choose();
    if (place === "form" && event.target.id === "panel") {
      const field = document.querySelector("#panel textarea") || document.querySelector("#panel input:not([type=hidden])");
      field?.focus();
      place = "";
    }
    if (document.activeElement !== document.body) return;
    if (place === "panel") document.getElementById("panel")?.focus({ preventScroll: true });
    else if (place === "figure") back();
  });
  document.addEventListener("htmx:beforeRequest", () => { document.getElementById("alert").replaceChildren(); });
  document.addEventListener("DOMContentLoaded", () => {
    choose();
    const off = document.getElementById("keys-off");
    if (off) {
      off.checked = keysOff();
      off.addEventListener("change", () => localStorage.setItem("single-keys", off.checked ? "off" : "on"));
    }
  });
})();
