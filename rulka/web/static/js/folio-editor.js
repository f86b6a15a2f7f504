// The editor of a section's text. It holds words and the names of live places; how these read is asked of the server.
import {
  EditorState, EditorView, Schema, Plugin, Decoration, DecorationSet, baseKeymap, keymap, history, undo, redo, toggleMark, setBlockType,
  wrapInList, splitListItem, liftListItem, sinkListItem, tableNodes, tableEditing, goToNextCell, addRowAfter, addColumnAfter, deleteRow,
  deleteColumn, deleteTable, toggleHeaderRow, isInTable, inputRules, wrappingInputRule, textblockTypeInputRule, gapCursor, Selection,
} from "../vendor/prosemirror.js";

const look = (node) => [node.attrs.source, node.attrs.unit || "", node.attrs.decimals || "", node.attrs.unsigned ? "unsigned" : ""].join("#");
const schema = new Schema({
  nodes: {
    doc: { content: "block+" },
    paragraph: { group: "block", content: "inline*", parseDOM: [{ tag: "p" }], toDOM: () => ["p", 0] },
    heading: { group: "block", content: "inline*", attrs: { level: { default: 1 } }, defining: true, parseDOM: [1, 2, 3].map((level) => ({ tag: `h${level + 1}`, attrs: { level } })).concat({ tag: "h1", attrs: { level: 1 } }), toDOM: (node) => [`h${node.attrs.level + 1}`, 0] },
    bullet_list: { group: "block", content: "list_item+", parseDOM: [{ tag: "ul" }], toDOM: () => ["ul", 0] },
    ordered_list: { group: "block", content: "list_item+", parseDOM: [{ tag: "ol" }], toDOM: () => ["ol", 0] },
    list_item: { content: "paragraph block*", defining: true, parseDOM: [{ tag: "li" }], toDOM: () => ["li", 0] },
    ...tableNodes({ tableGroup: "block", cellContent: "block+", cellAttributes: {} }),
    live_table: { group: "block", atom: true, attrs: { source: {} }, toDOM: (node) => ["div", { "data-source": node.attrs.source, class: "place" }], parseDOM: [{ tag: "div[data-source]", getAttrs: (dom) => ({ source: dom.dataset.source }) }] },
    page_break: { group: "block", atom: true, parseDOM: [{ tag: "hr" }], toDOM: () => ["hr", { class: "page-break" }] },
    text: { group: "inline" },
    hard_break: { group: "inline", inline: true, selectable: false, parseDOM: [{ tag: "br" }], toDOM: () => ["br"] },
    figure: {
      group: "inline", inline: true, atom: true, attrs: { source: {}, unit: { default: "" }, decimals: { default: "" }, unsigned: { default: false } },
      toDOM: (node) => ["span", { "data-figure": look(node), class: "live" }],
      parseDOM: [{ tag: "span[data-figure]", getAttrs: (dom) => { const [source, unit, decimals, unsigned] = dom.dataset.figure.split("#"); return { source, unit, decimals, unsigned: Boolean(unsigned) }; } }],
    },
    footnote: { group: "inline", inline: true, atom: true, attrs: { text: { default: "" } }, toDOM: (node) => ["sup", { "data-footnote": node.attrs.text, title: node.attrs.text, class: "fn" }, "†"], parseDOM: [{ tag: "sup[data-footnote]", getAttrs: (dom) => ({ text: dom.dataset.footnote }) }] },
  },
  marks: {
    strong: { parseDOM: [{ tag: "strong" }, { tag: "b" }], toDOM: () => ["strong", 0] },
    em: { parseDOM: [{ tag: "em" }, { tag: "i" }], toDOM: () => ["em", 0] },
    underline: { parseDOM: [{ tag: "u" }], toDOM: () => ["u", 0] },
    link: { attrs: { href: {} }, inclusive: false, parseDOM: [{ tag: "a[href]", getAttrs: (dom) => (/^(https?:|mailto:)/i.test(dom.getAttribute("href")) ? { href: dom.getAttribute("href") } : false) }], toDOM: (node) => ["a", { href: node.attrs.href, rel: "noopener" }, 0] },
  },
});
const { nodes, marks } = schema;

export function begin(place, main) {
  const given = JSON.parse(document.getElementById("editor-data").textContent);
  const figures = new Map(Object.entries(given.figures));
  const tables = new Map(Object.entries(given.tables));
  const state = document.getElementById("keep-state");
  const problem = document.getElementById("keep-problem");
  let version = given.version;
  let kept = true;
  let keeping = null;
  let timer = 0;

  const fill = async (source) => (await fetch(`${place.dataset.fill}&source=${encodeURIComponent(source)}`)).json();
  const figureView = (node) => {
    const dom = document.createElement("span");
    const key = look(node);
    dom.className = "live";
    dom.dataset.figure = key;
    const show = (told) => { dom.textContent = told.text || "?"; dom.title = told.problem || told.title || node.attrs.source; dom.classList.toggle("gone", Boolean(told.problem)); };
    if (figures.has(key)) show(figures.get(key));
    else { dom.textContent = "…"; fill(key).then((told) => { figures.set(key, told); show(told); }); }
    return { dom };
  };
  const tableView = (node) => {
    const dom = document.createElement("div");
    const source = node.attrs.source;
    dom.className = "place";
    dom.dataset.source = source;
    dom.contentEditable = "false";
    const show = (html) => { dom.innerHTML = html; };
    if (tables.has(source)) show(tables.get(source));
    else { dom.textContent = "…"; fill(source).then((told) => { tables.set(source, told.html); show(told.html); }); }
    return { dom, ignoreMutation: () => true };
  };
  const footnoteView = (node, view, at) => {
    const dom = document.createElement("sup");
    dom.className = "fn";
    dom.title = node.attrs.text;
    let number = 1;
    view.state.doc.nodesBetween(0, at() ?? 0, (one) => { if (one.type === nodes.footnote) number += 1; });
    dom.textContent = String(number);
    return { dom };
  };

  // remarks stand at their words
  const remarks = new Plugin({
    props: {
      decorations(current) {
        const found = [];
        current.doc.descendants((node, at) => {
          if (!node.isTextblock) return;
          for (const one of given.remarks) {
            const start = node.textContent.indexOf(one.quote);
            if (start >= 0) found.push(Decoration.inline(at + 1 + start, at + 1 + start + one.quote.length, { class: "remarked", title: one.text }));
          }
        });
        return DecorationSet.create(current.doc, found);
      },
    },
  });

  // a place to write stands below whatever ends the text, and writing begins there: a chosen table would be written over
  let begun = schema.nodeFromJSON(given.document);
  if (begun.lastChild.type !== nodes.paragraph) begun = begun.copy(begun.content.addToEnd(nodes.paragraph.create()));
  const textFrom = (doc, side) => Selection.findFrom(doc.resolve(side < 0 ? doc.content.size : 0), side, true) || Selection.atEnd(doc);
  const toEdge = (side) => (current, go) => { go?.(current.tr.setSelection(textFrom(current.doc, side)).scrollIntoView()); return true; };

  const view = new EditorView(document.getElementById("written"), {
    state: EditorState.create({
      doc: begun,
      selection: textFrom(begun, -1),
      plugins: [
        history(), gapCursor(), remarks,
        inputRules({ rules: [wrappingInputRule(/^\s*[-*]\s$/, nodes.bullet_list), wrappingInputRule(/^1\.\s$/, nodes.ordered_list), textblockTypeInputRule(/^(#{1,3})\s$/, nodes.heading, (match) => ({ level: match[1].length }))] }),
        keymap({
          "Mod-z": undo, "Mod-y": redo, "Shift-Mod-z": redo, "Mod-b": toggleMark(marks.strong), "Mod-i": toggleMark(marks.em), "Mod-u": toggleMark(marks.underline),
          Enter: splitListItem(nodes.list_item), Tab: (...all) => goToNextCell(1)(...all) || sinkListItem(nodes.list_item)(...all), "Shift-Tab": (...all) => goToNextCell(-1)(...all) || liftListItem(nodes.list_item)(...all),
          "Shift-Enter": (current, go) => { go?.(current.tr.replaceSelectionWith(nodes.hard_break.create()).scrollIntoView()); return true; },
          "Mod-End": toEdge(-1), "Mod-Home": toEdge(1),
          "Mod-s": () => { keep(); return true; },
        }),
        keymap(baseKeymap), tableEditing(),
      ],
    }),
    attributes: { role: "textbox", "aria-multiline": "true", "aria-label": "The section's text", spellcheck: "true" },
    nodeViews: { figure: figureView, live_table: tableView, footnote: footnoteView },
    dispatchTransaction(change) {
      view.updateState(view.state.apply(change));
      tools();
      if (!change.docChanged) return;
      kept = false;
      state.textContent = "Not kept yet …";
      clearTimeout(timer);
      timer = setTimeout(keep, 1500);
    },
  });

  // keeping: one request at a time, the last state wins; a refusal says so and loses nothing
  const send = async () => {
    const document_ = view.state.doc.toJSON();
    const answer = await fetch(place.dataset.keep, {
      method: "POST", headers: { "Content-Type": "application/json", "X-CSRFToken": JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"] },
      body: JSON.stringify({ document: document_, version }),
    });
    const told = answer.headers.get("Content-Type")?.includes("json") ? await answer.json() : { problem: "It could not be kept.", hint: "Look whether you are still signed in, in another window; what you wrote is still here." };
    if (!answer.ok) {
      problem.textContent = `${told.problem} ${told.hint || ""}`;
      problem.hidden = false;
      state.textContent = "Not kept.";
      return false;
    }
    problem.hidden = true;
    version = told.version;
    const seen = document.querySelector("#upload [name=seen]");
    if (seen) seen.value = version;
    kept = JSON.stringify(view.state.doc.toJSON()) === JSON.stringify(document_);
    state.textContent = kept ? `Kept at ${new Date().toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" })}: nobody else sees it until you release it.` : "Not kept yet …";
    if (!kept) timer = setTimeout(keep, 1000);
    return true;
  };
  const keep = async () => {
    clearTimeout(timer);
    if (keeping) await keeping;
    if (kept) return true;
    keeping = send().catch(() => { problem.textContent = "The server wasn't reached. What you wrote is still here; it is tried again."; problem.hidden = false; timer = setTimeout(keep, 5000); return false; });
    const done = await keeping;
    keeping = null;
    return done;
  };
  document.getElementById("keep-now")?.addEventListener("click", async () => { await keep(); location.assign(place.dataset.saved); });
  document.querySelector("#steps")?.addEventListener("submit", async (event) => {
    if (!event.submitter?.hasAttribute("data-keeps") || kept) return;
    event.preventDefault();
    const by = event.submitter;
    if (await keep()) { document.querySelector("#steps [name=version]").value = ""; by.form.requestSubmit(by); }
  });
  const versionOfSteps = document.querySelector("#steps [name=version]");
  if (versionOfSteps) versionOfSteps.value = "";
  addEventListener("beforeunload", (event) => { if (!kept) event.preventDefault(); });

  // tools ------------------------------------------------------------------------------------------------------------
  const kind = document.getElementById("block-kind");
  const tools = () => {
    const block = view.state.selection.$from.parent;
    kind.value = block.type === nodes.heading ? String(block.attrs.level) : "0";
    place.querySelector(".tabletools").hidden = !isInTable(view.state);
    for (const name of ["strong", "em", "underline"]) {
      const { from, to, $from, empty } = view.state.selection;
      const on = empty ? Boolean(marks[name].isInSet(view.state.storedMarks || $from.marks())) : view.state.doc.rangeHasMark(from, to, marks[name]);
      place.querySelector(`[data-do=${name}]`).setAttribute("aria-pressed", String(on));
    }
  };
  const run = (command) => { command(view.state, view.dispatch, view); view.focus(); };
  const put = (node) => { view.dispatch(view.state.tr.replaceSelectionWith(node).scrollIntoView()); view.focus(); };
  const tableOf = () => nodes.table.create(null, [0, 1, 2].map((row) => nodes.table_row.create(null, [0, 1, 2].map(() => (row ? nodes.table_cell : nodes.table_header).createAndFill()))));
  const words = (title, value = "") => new Promise((done) => {
    const dialog = document.getElementById("ask-words");
    document.getElementById("ask-title").textContent = title;
    document.getElementById("ask-text").value = value;
    dialog.onclose = () => done(dialog.returnValue ? document.getElementById("ask-text").value.trim() : "");
    dialog.returnValue = "";
    dialog.showModal();
  });
  const does = {
    strong: () => run(toggleMark(marks.strong)), em: () => run(toggleMark(marks.em)), underline: () => run(toggleMark(marks.underline)),
    bullet: () => run(wrapInList(nodes.bullet_list)), ordered: () => run(wrapInList(nodes.ordered_list)), table: () => put(tableOf()), break: () => put(nodes.page_break.create()),
    "row-below": () => run(addRowAfter), "column-right": () => run(addColumnAfter), "row-away": () => run(deleteRow), "column-away": () => run(deleteColumn), "heading-row": () => run(toggleHeaderRow), "table-away": () => run(deleteTable),
    link: async () => { const href = await words("Link to (https://, http:// or mailto:)"); if (/^(https?:|mailto:)/i.test(href)) run(toggleMark(marks.link, { href })); else view.focus(); },
    footnote: async () => { const text = await words("Footnote"); if (text) put(nodes.footnote.create({ text })); else view.focus(); },
    place: () => openPlaces(`${place.dataset.places}`),
  };
  place.querySelector(".tools").addEventListener("mousedown", (event) => { if (event.target.closest("button")) event.preventDefault(); });
  place.querySelector(".tools").addEventListener("click", (event) => { const name = event.target.closest("[data-do]")?.dataset.do; if (name) does[name](); });
  kind.addEventListener("change", () => run(kind.value === "0" ? setBlockType(nodes.paragraph) : setBlockType(nodes.heading, { level: Number(kind.value) })));

  // live places: chosen from what there is ------------------------------------------------------------------------------
  const dialog = document.getElementById("places");
  const body = document.getElementById("places-body");
  const openPlaces = async (address) => {
    body.innerHTML = await (await fetch(address, { headers: { "HX-Request": "true" } })).text();
    if (!dialog.open) dialog.showModal();
    body.querySelector("select")?.focus();
  };
  body.addEventListener("change", (event) => {
    if (!["kind", "of"].includes(event.target.name)) return;
    const form = new FormData(body.querySelector("form"));
    openPlaces(`${place.dataset.places}&kind=${encodeURIComponent(form.get("kind"))}${event.target.name === "of" ? `&of=${encodeURIComponent(form.get("of"))}` : ""}`);
  });
  body.addEventListener("click", (event) => {
    const button = event.target.closest("button");
    if (!button) return;
    const form = new FormData(body.querySelector("form"));
    const chosen = (name) => [...(body.querySelector(`[name=${name}]`)?.selectedOptions || [])].map((one) => one.value);
    if (button.id === "places-close") { dialog.close(); view.focus(); return; }
    if (button.id === "put-figure") {
      const source = [button.dataset.of, ...chosen("row"), ...chosen("column")].join("|");
      dialog.close();
      put(nodes.figure.create({ source, unit: form.get("unit") || "", decimals: form.get("decimals") || "", unsigned: Boolean(form.get("unsigned")) }));
    }
    if (button.dataset.put) { dialog.close(); put(nodes.live_table.create({ source: button.dataset.put })); }
    if (button.id === "put-lines") { dialog.close(); put(nodes.live_table.create({ source: [button.dataset.of, chosen("row").join(","), chosen("column").join(",")].join("|") })); }
    if (button.id === "put-part" && form.get("cells")) {
      const source = `${button.dataset.of}|${form.get("cells").trim()}`;
      dialog.close();
      put(/[:]|![A-Za-z]{4,}/.test(form.get("cells")) ? nodes.live_table.create({ source }) : nodes.figure.create({ source }));
    }
  });
  body.addEventListener("submit", (event) => event.preventDefault());

  // a typed number made live ---------------------------------------------------------------------------------------------
  document.getElementById("panel")?.addEventListener("click", async (event) => {
    const button = event.target.closest("[data-live]");
    if (!button) return;
    const typed = button.dataset.typed.replace(/\s*(%|thousand|million)s?$/i, "");
    let at = -1;
    view.state.doc.descendants((node, start) => { if (at < 0 && node.isText && node.text.includes(typed)) at = start + node.text.indexOf(typed); });
    if (at < 0) return;
    const node = nodes.figure.create({ source: button.dataset.live, unit: /thousand/i.test(button.dataset.typed) ? "thousands" : /million/i.test(button.dataset.typed) ? "millions" : "" });
    const length = /%/.test(button.dataset.typed) ? button.dataset.typed.length : typed.length;
    view.dispatch(view.state.tr.replaceWith(at, at + length, node));
    await keep();
    location.assign(place.dataset.saved);
  });

  tools();
  view.focus();
  main.dataset.ready = "yes";
}
