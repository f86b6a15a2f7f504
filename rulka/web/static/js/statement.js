// The statement as its own editor: walk cells, choose lines and columns, send edits, keep the focus. No figure is computed here.
(() => {
  const LABEL = "@"; // stands for the label's column
  const HEADS = "@heads"; // stands for the row of headings
  const at = { row: "", column: LABEL };
  let anchor = ""; // the line or column from which a choice with Shift grows
  let place = ""; // where the focus goes once something was replaced: panel, spot, or form
  let left = null; // where the focus was when an edit was sent: moving rows may take it along
  let typed = ""; // what is typed while the field that it is meant for is on its way
  let ticked = ""; // the account ticked last, from which a range goes

  const el = (id) => document.getElementById(id);
  const figures = () => el("figures");
  const rows = () => [...figures().querySelectorAll("tbody tr[data-row]")];
  const heads = () => [...figures().querySelectorAll("a.head-link")];
  const spotIn = (row, column) => (column === LABEL ? null : row.querySelector(`a.figure[data-column="${CSS.escape(column)}"]`)) || row.querySelector("a.label");
  const current = () => document.activeElement?.closest("#figures a.figure, #figures a.label, #figures a.head-link");
  const rowOf = (spot) => spot.closest("tr[data-row]");
  const isHead = (spot) => spot.classList.contains("head-link");
  const chosenLines = () => [...new Set([...figures().querySelectorAll("tr.chosen")].map((row) => row.dataset.line))];
  const chosenColumns = () => [...new Set([...figures().querySelectorAll("th.chosen a.head-link")].map((head) => head.dataset.written))];

  function remember(spot) {
    if (isHead(spot)) { at.row = HEADS; at.column = spot.dataset.heading; } else {
      at.row = rowOf(spot).dataset.row;
      if (spot.classList.contains("figure")) at.column = spot.dataset.column;
    }
  }

  // one stop for the Tab key: the spot that was left, or the first figure
  function setEntry() {
    if (!figures()) return;
    figures().querySelectorAll('a[tabindex="0"]').forEach((spot) => spot.setAttribute("tabindex", "-1"));
    find()?.setAttribute("tabindex", "0");
  }

  function find() {
    if (at.row === HEADS) return heads().find((head) => head.dataset.heading === at.column) || heads()[0];
    const row = rows().find((candidate) => candidate.dataset.row === at.row);
    return row ? spotIn(row, at.column) : figures().querySelector("a.figure") || figures().querySelector("a.label");
  }

  function go(spot) {
    if (!spot) return;
    remember(spot);
    setEntry();
    spot.focus();
  }

  function walk(spot, key) {
    if (isHead(spot)) {
      const all = heads();
      const by = { ArrowRight: 1, ArrowLeft: -1 }[key];
      if (by) return go(all[all.indexOf(spot) + by]);
      if (key === "ArrowDown") return go(spotIn(rows()[0], spot.dataset.heading));
      return undefined;
    }
    const row = rowOf(spot);
    const inRow = [row.querySelector("a.label"), ...row.querySelectorAll("a.figure")].filter(Boolean);
    const all = rows();
    const here = inRow.indexOf(spot);
    if (key === "ArrowRight") return go(inRow[here + 1]);
    if (key === "ArrowLeft") { if (here === 1) at.column = LABEL; return go(inRow[here - 1]); }
    if (key === "Home") { at.column = LABEL; return go(inRow[0]); }
    if (key === "End") return go(inRow[inRow.length - 1]);
    if (beyond(row, key === "ArrowDown" ? 1 : -1)) return undefined;
    const next = all[all.indexOf(row) + (key === "ArrowDown" ? 1 : -1)];
    if (next) {
      if (spot.classList.contains("label") && row.querySelector("a.figure")) at.column = LABEL;
      return go(spotIn(next, at.column));
    }
    if (key === "ArrowUp") go(heads().find((head) => head.dataset.heading === at.column) || heads()[0]);
    return undefined;
  }

  // large statements: blocks of rows are fetched when they come near ---------------------------------------------------------

  const fetching = new Map();
  function fetchBlock(block) {
    const number = block.dataset.block;
    if (!fetching.has(number)) {
      const shown = el("stamp").elements.stamp.value;
      const address = el("work").dataset.rows.replace(/0\/$/, `${number}/`);
      fetching.set(number, fetch(`${address}?${figures().dataset.query}`, { headers: { "HX-Request": "true" } })
        .then((answer) => (answer.ok ? answer.text() : Promise.reject(new Error(answer.statusText))))
        .then((text) => {
          const now = el(`block-${number}`);
          // an edit was answered meanwhile: these rows may be those before it
          if (el("stamp").elements.stamp.value !== shown) { fetching.delete(number); return now && fetchBlock(now); }
          if (now?.classList.contains("waiting")) {
            now.outerHTML = text;
            const kept = el("stamp").elements.blocks;
            kept.value = [...new Set([...kept.value.split(","), number])].filter(Boolean).join(",");
            watch();
          }
          return undefined;
        }).finally(() => fetching.delete(number)));
    }
    return fetching.get(number);
  }
  const near = new IntersectionObserver((seen) => seen.filter((one) => one.isIntersecting).forEach((one) => fetchBlock(one.target)), { rootMargin: "600px" });
  function watch() {
    near.disconnect();
    figures()?.querySelectorAll("tbody.waiting").forEach((block) => near.observe(block));
  }
  // blocks that came while an edit was under way, which its answer doesn't know, are fetched again
  function renew() {
    const known = el("stamp").elements.blocks.value.split(",");
    figures().querySelectorAll("tbody[data-block]:not(.waiting)").forEach((block) => {
      if (known.includes(block.dataset.block)) return;
      block.classList.add("waiting");
      fetchBlock(block);
    });
  }
  // the row after one, fetched first where it waits
  function beyond(row, by) {
    const block = by > 0 ? row.parentElement.nextElementSibling : row.parentElement.previousElementSibling;
    const edge = by > 0 ? !row.nextElementSibling : !row.previousElementSibling;
    if (!edge || !block?.classList.contains("waiting")) return false;
    const number = block.dataset.block;
    fetchBlock(block).then(() => { const found = el(`block-${number}`).rows; go(spotIn(found[by > 0 ? 0 : found.length - 1], at.column)); });
    return true;
  }

  // choosing -----------------------------------------------------------------------------------------------------------

  function mark(lines, columns) {
    figures().querySelectorAll("tr[data-row]").forEach((row) => row.classList.toggle("chosen", lines.includes(row.dataset.line)));
    heads().forEach((head) => head.closest("th").classList.toggle("chosen", columns.includes(head.dataset.written)));
  }

  function extend(spot, by) {
    if (isHead(spot)) {
      const all = heads();
      const next = all[all.indexOf(spot) + by];
      if (!next) return;
      anchor = chosenColumns().length ? anchor : spot.dataset.heading;
      const places = [all.findIndex((head) => head.dataset.heading === anchor), all.indexOf(next)].sort((a, b) => a - b);
      mark([], all.slice(places[0], places[1] + 1).map((head) => head.dataset.written));
      go(next);
    } else {
      const all = rows();
      const row = rowOf(spot);
      const next = all[all.indexOf(row) + by];
      if (!next) return;
      anchor = chosenLines().length && anchor ? anchor : row.dataset.row;
      const places = [all.findIndex((candidate) => candidate.dataset.row === anchor), all.indexOf(next)].sort((a, b) => a - b);
      mark(all.slice(places[0], places[1] + 1).map((candidate) => candidate.dataset.line), []);
      go(spotIn(next, at.column));
    }
    showChosen();
  }

  function toggle(spot) {
    const lines = chosenLines();
    const columns = chosenColumns();
    if (isHead(spot)) {
      const key = spot.dataset.written;
      mark([], columns.includes(key) ? columns.filter((other) => other !== key) : [...columns, key]);
    } else {
      const key = rowOf(spot).dataset.line;
      mark(lines.includes(key) ? lines.filter((other) => other !== key) : [...lines, key], []);
      anchor = rowOf(spot).dataset.row;
    }
    showChosen();
  }

  // columns beside the figure one stands on, for a drawing of them; the lines that were chosen stay so
  let from = "";
  const reached = () => [...figures().querySelectorAll("th.across a.head-link")].map((head) => head.dataset.heading);
  const across = (keys) => heads().forEach((head) => head.closest("th").classList.toggle("across", keys.includes(head.dataset.heading)));
  function reach(spot, by) {
    const keys = heads().map((head) => head.dataset.heading);
    const here = keys.indexOf(spot.dataset.column);
    const next = keys[here + by];
    if (next === undefined) return;
    from = reached().length ? from : spot.dataset.column;
    const places = [keys.indexOf(from), here + by].sort((a, b) => a - b);
    across(keys.slice(places[0], places[1] + 1));
    go(spotIn(rowOf(spot), next));
  }

  // the chosen lines and columns as a drawing, on a page of its own
  function draw(spot) {
    const lead = document.querySelector("a[data-draws]");
    if (!lead || !spot || isHead(spot)) return;
    const lines = chosenLines().length ? [...figures().querySelectorAll("tr.chosen")].map((row) => row.dataset.row) : [rowOf(spot).dataset.row];
    const columns = reached().length ? reached() : chosenColumns().length ? chosenColumns() : at.column ? [at.column] : [];
    const query = [...new Set(lines)].map((row) => `rows=${encodeURIComponent(row)}`).concat(columns.map((column) => `columns=${encodeURIComponent(column)}`));
    location.href = `${lead.href}&${query.join("&")}`;
  }

  function showChosen() {
    const lines = chosenLines();
    const columns = chosenColumns();
    if (lines.length > 1) openPanel(`panel=line&lines=${encodeURIComponent(lines.join(","))}&row=${encodeURIComponent(at.row)}`);
    else if (columns.length > 1) openPanel(`panel=column&columns=${encodeURIComponent(columns.join(","))}`);
    else if (lines.length) openPanel(`panel=line&lines=${encodeURIComponent(lines[0])}&row=${encodeURIComponent(at.row)}`);
    else if (columns.length) openPanel(`panel=column&columns=${encodeURIComponent(columns[0])}`);
  }

  function openPanel(query) {
    fold(false, true);
    return htmx.ajax("GET", `${el("work").dataset.panel}?${figures().dataset.query}&${query}`, { source: "#opener" });
  }

  // what an edit is about: the chosen lines when the focus is on one of them, else the line under the focus
  function about(spot) {
    if (!spot) return chosenColumns().length ? { columns: chosenColumns().join(",") } : { lines: chosenLines().join(",") };
    if (isHead(spot)) {
      const chosen = chosenColumns();
      return { columns: (chosen.includes(spot.dataset.written) ? chosen : [spot.dataset.written]).join(",") };
    }
    const row = rowOf(spot);
    const chosen = chosenLines();
    return { lines: (chosen.includes(row.dataset.line) ? chosen : [row.dataset.line]).join(","), row: row.dataset.row };
  }

  function send(values, then) {
    place = then || "spot";
    left = { ...at };
    const held = new FormData(el("panel-state"));
    const given = { panel: held.get("panel") || "", ...values, ...Object.fromEntries(new FormData(el("stamp"))) };
    return htmx.ajax("POST", el("work").dataset.edit, { source: "#sender", values: given });
  }

  // keys -----------------------------------------------------------------------------------------------------------------

  const word = (spot) => (spot && isHead(spot) ? "column" : "line");
  const panelOf = (spot) => ({ panel: word(spot) });

  const KEYS = {
    n: (spot) => send({ do: `${word(spot)}-add`, where: "below", ...panelOf(spot), ...about(spot), part: spot && !isHead(spot) && rowOf(spot).classList.contains("total") ? "total" : "" }, "form"),
    N: (spot) => send({ do: `${word(spot)}-add`, where: "above", ...panelOf(spot), ...about(spot) }, "form"),
    d: (spot) => spot && send({ do: `${word(spot)}-duplicate`, ...panelOf(spot), ...about(spot) }, "chosen"),
    Delete: (spot) => spot && send({ do: `${word(spot)}-delete`, ...panelOf(spot), ...about(spot) }, "chosen"),
    g: (spot) => spot && !isHead(spot) && send({ do: "line-enclose", ...panelOf(spot), ...about(spot) }, "form"),
    m: (spot) => spot && !isHead(spot) && send({ do: "line-merge", ...panelOf(spot), ...about(spot) }, "chosen"),
    "+": () => send({ do: "place" }),
    e: (spot) => { if (spot && !isHead(spot)) { place = "form"; openPanel(`panel=line&row=${encodeURIComponent(rowOf(spot).dataset.row)}`); } else if (spot) KEYS.c(spot); },
    c: (spot) => { if (spot) { place = "form"; openPanel(`panel=column&column=${encodeURIComponent(isHead(spot) ? spot.dataset.heading : spot.dataset.column || at.column)}`); } },
    a: (spot) => { if (spot && !isHead(spot)) { place = "search"; const row = rowOf(spot).dataset; openPanel(`panel=accounts&lines=${encodeURIComponent(row.line)}&row=${encodeURIComponent(row.row)}`); } },
    f: () => { place = "into"; openPanel("panel=footing"); },
    i: (spot) => { place = "into"; openPanel(`panel=explain${spot && spot.classList.contains("figure") ? `&row=${encodeURIComponent(rowOf(spot).dataset.row)}&column=${encodeURIComponent(spot.dataset.column)}` : ""}`); },
    b: (spot) => draw(spot),
    y: (spot) => { if (spot && spot.classList.contains("figure")) location.href = `${el("work").dataset.trace}&panel=trace&by=drivers&room=yes&row=${encodeURIComponent(rowOf(spot).dataset.row)}&column=${encodeURIComponent(spot.dataset.column)}`; },
    v: () => { place = "into"; openPanel("panel=versions"); },
    s: () => { place = "into"; openPanel("panel=page"); },
    h: () => el("toggle-hidden")?.click(),
    p: () => fold(!document.body.classList.contains("folded")),
    o: () => { place = "nodes"; openPanel("panel=nodes"); },
    "[": () => el("node-back")?.click(),
    "]": () => el("node-on")?.click(),
    w: () => el("toggle-paper")?.click(),
    t: () => copyTable(),
    x: () => (el("repeat-export").getAttribute("href") ? el("repeat-export") : el("export")).click(),
    k: () => { place = "into"; openPanel("panel=editions"); },
    " ": (spot) => spot && toggle(spot),
  };

  function moves(spot, key) {
    if (isHead(spot)) {
      const way = { ArrowLeft: "left", ArrowRight: "right" }[key];
      return way && send({ do: "column-move", way, ...panelOf(spot), ...about(spot) }, "chosen");
    }
    const way = { ArrowUp: "up", ArrowDown: "down", ArrowRight: "in", ArrowLeft: "out" }[key];
    return send({ do: "line-move", way, ...panelOf(spot), ...about(spot) }, "chosen");
  }

  // Enter on a figure that is traced already goes on into its trace
  function intoTrace(spot) {
    if (!spot.classList.contains("figure")) return false;
    const panel = el("panel");
    const shown = panel.dataset.row === rowOf(spot).dataset.row && panel.dataset.column === spot.dataset.column;
    const first = shown && panel.querySelector(".parts tbody a");
    if (first) first.focus();
    return Boolean(first);
  }

  function back() {
    const spot = find();
    if (spot) spot.focus();
    return Boolean(spot);
  }

  document.addEventListener("keydown", (event) => {
    if (!figures() || event.defaultPrevented) return;
    const inPanel = event.target.closest("#panel");
    if (event.key === "Escape" && inPanel) { revert(event.target); back(); event.preventDefault(); return; }
    if (event.target.matches?.("#picks input[type=checkbox]") && pickKey(event)) return;
    if (event.key === "Enter" && event.target.matches?.("#panel form.setting input, #panel form.setting textarea") && !event.shiftKey) {
      const area = event.target.matches("textarea") && ["set-agree", "set-group"].includes(event.target.id);
      if (!area && !event.target.matches("[type=radio]")) { event.preventDefault(); onwards(event.target); return; }
    }
    if ((event.ctrlKey || event.metaKey) && ["z", "y"].includes(event.key.toLowerCase()) && !rulka.inField(event.target)) {
      const button = el(event.key.toLowerCase() === "y" || event.shiftKey ? "redo" : "undo");
      if (button && !button.disabled) { place = "spot"; button.click(); }
      event.preventDefault();
      return;
    }
    if (rulka.inField(event.target) || event.target.matches?.("[type=radio], #panel [type=checkbox]")) return;
    if (["form", "search", "nodes"].includes(place) && (event.key.length === 1 || event.key === "Enter") && !event.ctrlKey && !event.metaKey) {
      typed += event.key === "Enter" ? "\n" : event.key;
      event.preventDefault();
      return;
    }
    const spot = current();
    if (spot && event.key === "Enter") { if (intoTrace(spot)) event.preventDefault(); return; }
    if (spot && event.altKey && /^Arrow/.test(event.key)) { moves(spot, event.key); event.preventDefault(); return; }
    if (spot && event.shiftKey && /^Arrow(Up|Down)$/.test(event.key) && !isHead(spot)) { extend(spot, event.key === "ArrowDown" ? 1 : -1); event.preventDefault(); return; }
    if (spot && event.shiftKey && /^Arrow(Left|Right)$/.test(event.key) && isHead(spot)) { extend(spot, event.key === "ArrowRight" ? 1 : -1); event.preventDefault(); return; }
    if (spot && event.shiftKey && /^Arrow(Left|Right)$/.test(event.key) && spot.dataset.column) { reach(spot, event.key === "ArrowRight" ? 1 : -1); event.preventDefault(); return; }
    if (spot && /^(Arrow|Home|End)/.test(event.key)) { walk(spot, event.key); event.preventDefault(); return; }
    if (event.key === "Escape" && spot) { mark([], []); anchor = ""; across([]); return; }
    if (event.ctrlKey || event.metaKey || event.altKey || rulka.keysOff()) return;
    const act = KEYS[event.key];
    if (!act || (event.key === " " && !spot)) return;
    act(spot);
    event.preventDefault();
  });

  // what a form holds is taken now: an answer that arrives before it is sent may show the field as it was
  const post = (form) => send({ ...held(), ...Object.fromEntries(new FormData(form)) }, "panel");

  const sent = new Map(); // what was sent last of each setting of each line or column
  const nameOf = (field) => ["do", "path", "key"].map((part) => field.form?.elements[part]?.value).join(" ");

  // fields of the panel: a change is sent once; Enter goes on to the next field
  function commit(field) {
    const form = field.closest?.("form.setting");
    if (!form || field.type === "radio" || !("value" in field)) return;
    if (field.value !== (sent.has(nameOf(field)) ? sent.get(nameOf(field)) : initial(field))) {
      sent.set(nameOf(field), field.value);
      post(form);
    }
  }
  const initial = (field) => (field.tagName === "SELECT" ? [...field.options].find((option) => option.defaultSelected)?.value ?? field.options[0]?.value : field.defaultValue);

  // Escape leaves a field as it was
  function revert(field) {
    if (field.closest?.("form.setting") && field.matches("input:not([type=radio]), textarea") && !sent.has(nameOf(field))) field.value = initial(field);
  }

  function onwards(field) {
    commit(field);
    const all = [...el("panel").querySelectorAll("form.setting input:not([type=hidden]):not([type=radio]), form.setting select, form.setting textarea")];
    const next = all.filter((other) => other.offsetParent).find((other, place_, shown) => shown[place_ - 1] === field);
    if (next) { next.focus(); next.select?.(); }
  }

  document.addEventListener("change", (event) => {
    const form = event.target.closest?.("#panel form.setting");
    if (!form) return;
    if (event.target.matches("select.tokens")) return;
    if (event.target.type === "radio" || event.target.tagName === "SELECT") post(form);
    else commit(event.target);
  });
  document.addEventListener("input", (event) => { if (event.target.form) sent.delete(nameOf(event.target)); });

  // the picker -------------------------------------------------------------------------------------------------------------

  const pick = (how, code, from) => send({ do: "accounts", how, code, from: from || "", key: el("panel").querySelector("form.setting [name=key]").value, ...held() }, "tick");
  const held = () => Object.fromEntries(new FormData(el("panel-state")));

  function pickKey(event) {
    const boxes = [...document.querySelectorAll("#picks input[type=checkbox]")];
    const here = boxes.indexOf(event.target);
    if (event.key === "ArrowDown" || event.key === "ArrowUp") { (boxes[here + (event.key === "ArrowDown" ? 1 : -1)] || el("pick-search")).focus(); event.preventDefault(); return true; }
    if (event.key === "+") { event.target.closest("tr").querySelector("button.below")?.click(); event.preventDefault(); return true; }
    if (event.key === " " && event.shiftKey && ticked) { pick("range", event.target.dataset.code, ticked); event.preventDefault(); return true; }
    return false;
  }
  document.addEventListener("click", (event) => {
    const box = event.target.closest?.("#picks input[type=checkbox]");
    if (box) {
      if (event.shiftKey && ticked) pick("range", box.dataset.code, ticked);
      else pick(box.checked ? "add" : "drop", box.dataset.code);
      ticked = box.dataset.code;
      return;
    }
    const below = event.target.closest?.("#picks button.below");
    if (below) { pick(below.dataset.how, below.dataset.code); return; }
    const link = event.target.closest?.("#figures a");
    if (!link || event.button) return;
    if (event.ctrlKey || event.metaKey) {
      if (!link.matches("a.label, a.head-link")) return;
      event.preventDefault();
      toggle(link);
      return;
    }
    event.preventDefault();
    if (event.shiftKey && link.matches("a.label") && anchor) {
      const all = rows();
      const places = [all.findIndex((row) => row.dataset.row === anchor), all.indexOf(rowOf(link))].sort((a, b) => a - b);
      mark(all.slice(places[0], places[1] + 1).map((row) => row.dataset.line), []);
      showChosen();
      return;
    }
    if (link.matches("a.label, a.figure, a.head-link")) {
      remember(link);
      anchor = link.matches("a.label") ? at.row : anchor;
      if (link.matches("a.label")) mark([rowOf(link).dataset.line], []);
      else if (link.matches("a.head-link")) mark([], [link.dataset.written]);
      else mark([], []);
      setEntry();
    }
    const asked = new URLSearchParams(link.search);
    const query = new URLSearchParams();
    for (const name of ["panel", "row", "column", "at"]) if (asked.get(name)) query.set(name, asked.get(name));
    if (link.matches("a.head-link")) query.set("columns", link.dataset.written);
    if (link.matches("a.label")) query.set("lines", rowOf(link).dataset.line);
    openPanel(query.toString());
  });

  // dragging ----------------------------------------------------------------------------------------------------------------

  let dragged = null;
  document.addEventListener("dragstart", (event) => {
    const spot = event.target.closest?.("#figures a.label, #figures a.head-link");
    if (!spot) return;
    dragged = about(spot);
    event.dataTransfer.effectAllowed = "move";
    event.dataTransfer.setData("text/plain", spot.textContent);
  });
  function dropPlace(event) {
    const target = dragged && (dragged.lines ? event.target.closest?.("#figures tr[data-row]") : event.target.closest?.("#figures tr.heads th"));
    if (!target) return null;
    const box = target.getBoundingClientRect();
    if (!dragged.lines) return { target, where: event.clientX < box.left + box.width / 2 ? "above" : "below" };
    const section = target.classList.contains("section");
    const depth = (event.clientY - box.top) / box.height;
    return { target, where: section && depth > 0.3 ? "inside" : depth < 0.5 ? "above" : "below" };
  }
  const clearDrop = () => figures()?.querySelectorAll("[data-drop]").forEach((spot) => delete spot.dataset.drop);
  document.addEventListener("dragover", (event) => {
    const found = dropPlace(event);
    if (!found) return;
    event.preventDefault();
    clearDrop();
    found.target.dataset.drop = found.where;
  });
  document.addEventListener("drop", (event) => {
    const found = dropPlace(event);
    clearDrop();
    if (!found) return;
    event.preventDefault();
    if (dragged.lines) send({ do: "line-drop", at: found.target.dataset.line, where: found.where, panel: "line", ...dragged }, "chosen");
    else send({ do: "column-drop", at: found.target.querySelector("a").dataset.written, where: found.where, panel: "column", ...dragged }, "chosen");
    dragged = null;
  });
  document.addEventListener("dragend", () => { clearDrop(); dragged = null; });

  // the clipboard -------------------------------------------------------------------------------------------------------------

  document.addEventListener("copy", (event) => {
    const spot = current();
    if (!spot || String(document.getSelection())) return;
    const chosen = about(spot);
    event.preventDefault();
    const body = new URLSearchParams(isHead(spot) ? { columns: chosen.columns } : { lines: chosen.lines });
    const count = (chosen.columns || chosen.lines).split(",").length;
    const text = fetch(el("work").dataset.copy, { method: "POST", body, headers: { "X-CSRFToken": JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"] } })
      .then((answer) => answer.text()).then((told) => new Blob([told], { type: "text/plain" }));
    navigator.clipboard.write([new ClipboardItem({ "text/plain": text })]).then(() => tell(`The ${word(spot)}${count === 1 ? " is" : "s are"} copied.`));
  });
  document.addEventListener("paste", (event) => {
    const spot = current();
    if (!figures() || rulka.inField(event.target)) return;
    const text = event.clipboardData.getData("text/plain");
    if (!text.trim()) return;
    event.preventDefault();
    if (spot && isHead(spot)) { send({ do: "column-paste", panel: "column", ...about(spot) }, "chosen"); return; }
    send({ do: "line-paste", text, panel: "line", ...about(spot) }, "chosen");
  });
  function copyTable() {
    const given = fetch(el("copy-table").dataset.table).then((answer) => answer.json());
    const as = (name, type) => given.then((table) => new Blob([table[name]], { type }));
    navigator.clipboard.write([new ClipboardItem({ "text/plain": as("text", "text/plain"), "text/html": as("html", "text/html") })]).then(() => tell("The statement is copied as a table."));
  }
  document.addEventListener("click", (event) => {
    if (event.target.closest?.("#copy-table")) copyTable();
    const file = event.target.closest?.("a[data-file]");
    if (file && file.id !== "repeat-export") el("repeat-export").href = file.href;
  });

  // tokens are put where the caret is; nodes are found as their names are typed
  document.addEventListener("change", (event) => {
    if (!event.target.matches?.("select.tokens") || !event.target.value) return;
    const field = el(event.target.dataset.for);
    field.setRangeText(`{${event.target.value}}`, field.selectionStart, field.selectionEnd, "end");
    event.target.value = "";
    commit(field);
  });
  document.addEventListener("input", (event) => {
    if (event.target.id !== "node-search") return;
    const words = event.target.value.toLowerCase().split(/\s+/);
    document.querySelectorAll("#nodes tbody tr").forEach((row) => { row.hidden = !words.every((part) => row.dataset.text.includes(part)); });
  });
  function tell(words) {
    const said = document.createElement("p");
    said.className = "done";
    said.setAttribute("role", "status");
    said.textContent = words;
    el("alert").replaceChildren(said);
  }

  // the panel folds away; a wide statement says what is beyond its edge and can keep its totals in sight ------------------------------

  function fold(away, stay) {
    document.body.classList.toggle("folded", away);
    if (!stay) (away ? el("unfold") : el("fold"))?.focus();
    hintAtEdge();
  }
  const frozen = () => sessionStorage.getItem("totals-in-sight") === "yes";
  function hintAtEdge() {
    const scroll = document.querySelector("#work .scroll"), hint = el("beyond");
    if (!scroll || !hint || !figures()) return;
    const edge = scroll.getBoundingClientRect().right;
    const totals = [...figures().querySelectorAll("thead tr.heads th[class*='tot-']")];
    const kept = figures().classList.contains("frozen") ? totals : [];
    const hidden = [...figures().querySelectorAll("thead tr.heads th")].filter((head) => !kept.includes(head) && head.getBoundingClientRect().right > edge + 1 - kept.reduce((sum, one) => sum + one.offsetWidth, 0));
    const wide = scroll.scrollWidth > scroll.clientWidth + 1;
    hint.hidden = !wide;
    el("see-on").hidden = !hidden.length;
    el("see-on").textContent = `${hidden.length} more column${hidden.length === 1 ? "" : "s"} \u203a`;
    el("freeze").hidden = !totals.length;
    el("freeze").setAttribute("aria-pressed", String(kept.length > 0));
  }
  function freeze() {
    if (!figures()) return;
    const scroll = document.querySelector("#work .scroll");
    const on = frozen() && scroll.scrollWidth > scroll.clientWidth + 1;
    figures().classList.toggle("frozen", on);
    let right = 0;
    for (let at = 0; on && at < 6; at += 1) {
      const head = figures().querySelector(`thead tr.heads th.tot-${at}`);
      if (!head) break;
      figures().style.setProperty(`--tot-${at}`, `${right}px`);
      right += head.offsetWidth;
    }
    hintAtEdge();
  }
  document.addEventListener("click", (event) => {
    if (event.target.closest?.("#fold")) fold(true);
    if (event.target.closest?.("#unfold")) fold(false);
    if (event.target.closest?.("#see-on")) { const scroll = document.querySelector("#work .scroll"); scroll.scrollBy({ left: scroll.clientWidth * 0.6 }); }
    if (event.target.closest?.("#freeze")) { sessionStorage.setItem("totals-in-sight", frozen() ? "no" : "yes"); freeze(); }
  });
  document.addEventListener("scroll", (event) => { if (event.target.matches?.("#work .scroll")) hintAtEdge(); }, true);
  window.addEventListener("resize", () => { freeze(); });

  // the focus after something was replaced ---------------------------------------------------------------------------------------

  document.addEventListener("focusin", (event) => {
    const spot = event.target.closest?.("#figures a.figure, #figures a.label, #figures a.head-link");
    if (spot) { remember(spot); setEntry(); }
  });
  function settle() {
    const panel = el("panel");
    if (!panel || !figures()) return;
    const state = new FormData(el("panel-state"));
    const lines = (state.get("lines") || "").split(",").filter(Boolean);
    const columns = (state.get("columns") || "").split(",").filter(Boolean);
    if (lines.length || columns.length) mark(lines, columns);
    else {
      figures().querySelectorAll("tr.chosen").forEach((row) => row.classList.toggle("chosen", row.dataset.row === panel.dataset.row));
      heads().forEach((head) => head.closest("th").classList.remove("chosen"));
    }
    if (!lines.length && !columns.length && panel.dataset.row) figures().querySelector(`tr[data-row="${CSS.escape(panel.dataset.row)}"]`)?.classList.add("chosen");
    if (["chosen", "form"].includes(place)) {
      const row = figures().querySelector("tr.chosen");
      if (row) at.row = row.dataset.row;
      else if (columns.length) { const head = heads().find((candidate) => columns.includes(candidate.dataset.written)); if (head) { at.row = HEADS; at.column = head.dataset.heading; } }
    }
    // the figure that a trace began at stays marked
    figures().querySelectorAll("td.traced").forEach((cell) => cell.classList.remove("traced"));
    if (panel.dataset.row && panel.dataset.column) {
      figures().querySelector(`tr[data-row="${CSS.escape(panel.dataset.row)}"] a.figure[data-column="${CSS.escape(panel.dataset.column)}"]`)?.closest("td").classList.add("traced");
    }
    setEntry();
  }
  function takeTyped(field) {
    const [words, ...more] = typed.split("\n");
    typed = "";
    if (!field || !("setRangeText" in field)) return;
    if (words) {
      field.setRangeText(words, field.selectionStart, field.selectionEnd, "end");
      field.dispatchEvent(new Event("input", { bubbles: true }));
    }
    if (more.length) { onwards(field); typed = more.join("\n"); takeTyped(document.activeElement); }
  }
  for (const name of ["htmx:responseError", "htmx:sendError"]) document.addEventListener(name, () => { place = "spot"; typed = ""; });
  document.addEventListener("htmx:beforeSwap", () => {
    if (["form", "chosen", "search", "tick", "into", "nodes"].includes(place)) return;
    const active = document.activeElement;
    place = !active || active === document.body ? place : active.closest("#panel") ? "panel" : active.closest("#figures") ? "spot" : "";
  });
  document.addEventListener("htmx:afterSettle", (event) => {
    if (!["panel", "work"].includes(event.target.id)) return;
    const edited = event.target.id === "work" || event.detail.xhr?.getResponseHeader("HX-Retarget") === "#panel";
    const was = edited ? left : null;
    if (was) left = null;
    if (edited) renew();
    settle();
    watch();
    freeze();
    const panel = el("panel");
    if (place === "form") {
      place = "panel";
      const field = panel.querySelector("#set-label, #set-heading, form.setting textarea, form.setting input:not([type=hidden])");
      if (field) { field.focus(); field.select?.(); takeTyped(field); }
      return;
    }
    if (place === "into") {
      place = "panel";
      (panel.querySelector(".body button, .body input:not([type=hidden]), .body select, .body textarea, .body a") || panel).focus({ preventScroll: true });
      return;
    }
    if (place === "nodes") { place = "panel"; el("node-search")?.focus(); takeTyped(el("node-search")); return; }
    if (place === "search") {
      place = "panel";
      document.querySelector("#picks tr.on")?.scrollIntoView({ block: "center" });
      el("pick-search")?.focus({ preventScroll: true });
      takeTyped(el("pick-search"));
      return;
    }
    if (place === "tick") { place = "panel"; if (document.activeElement === document.body && ticked) document.querySelector(`#picks [data-code="${CSS.escape(ticked)}"]`)?.focus(); return; }
    if (place === "chosen") { place = "spot"; back(); return; }
    // rows may have moved under the focus: it belongs to the row that it was on
    if (was && place === "spot") Object.assign(at, was);
    const spot = current();
    if (spot && !isHead(spot) && at.row !== HEADS && rowOf(spot).dataset.row !== at.row) back();
    if (document.activeElement !== document.body) return;
    if (place === "panel") panel?.focus({ preventScroll: true });
    else if (place === "spot") back();
  });
  document.addEventListener("DOMContentLoaded", () => {
    if (!figures()) return;
    const asked = new URLSearchParams(location.search);
    if (asked.get("panel") === "trace" && asked.get("row") && asked.get("column")) {
      Object.assign(at, { row: asked.get("row"), column: asked.get("column") });
      find()?.scrollIntoView({ block: "nearest", inline: "nearest" });
      (asked.get("in") || asked.get("entry") ? el("panel") : find())?.focus({ preventScroll: true });
    }
    if (asked.get("panel") === "start") document.querySelector("#panel [type=radio]:checked")?.focus();
    settle();
    watch();
    freeze();
  });
})();
