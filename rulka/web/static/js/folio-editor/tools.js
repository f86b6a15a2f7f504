// The buttons above the text.
import {
  addColumnAfter,
  addRowAfter,
  deleteColumn,
  deleteRow,
  deleteTable,
  isInTable,
  setBlockType,
  toggleHeaderRow,
  toggleMark,
  wrapInList,
} from "../../vendor/prosemirror.js";
import { marks, nodes } from "./schema.js";

// gives what shows the tools as they are where one writes
export function toolsOf(place, view, put, openPlaces) {
  const kind = document.getElementById("block-kind");
  const tools = () => {
    const block = view.state.selection.$from.parent;
    kind.value = block.type === nodes.heading ? String(block.attrs.level) : "0";
    place.querySelector(".tabletools").hidden = !isInTable(view.state);
    for (const name of ["strong", "em", "underline"]) {
      const { from, to, $from, empty } = view.state.selection;
      const on = empty
        ? Boolean(marks[name].isInSet(view.state.storedMarks || $from.marks()))
        : view.state.doc.rangeHasMark(from, to, marks[name]);
      place.querySelector(`[data-do=${name}]`).setAttribute("aria-pressed", String(on));
    }
  };
  const run = (command) => {
    command(view.state, view.dispatch, view);
    view.focus();
  };
  const tableOf = () =>
    nodes.table.create(
      null,
      [0, 1, 2].map((row) =>
        nodes.table_row.create(
          null,
          [0, 1, 2].map(() => (row ? nodes.table_cell : nodes.table_header).createAndFill()),
        ),
      ),
    );
  const words = (title, value = "") =>
    new Promise((done) => {
      const dialog = document.getElementById("ask-words");
      document.getElementById("ask-title").textContent = title;
      document.getElementById("ask-text").value = value;
      dialog.onclose = () => done(dialog.returnValue ? document.getElementById("ask-text").value.trim() : "");
      dialog.returnValue = "";
      dialog.showModal();
    });
  const does = {
    strong: () => run(toggleMark(marks.strong)),
    em: () => run(toggleMark(marks.em)),
    underline: () => run(toggleMark(marks.underline)),
    bullet: () => run(wrapInList(nodes.bullet_list)),
    ordered: () => run(wrapInList(nodes.ordered_list)),
    table: () => put(tableOf()),
    break: () => put(nodes.page_break.create()),
    "row-below": () => run(addRowAfter),
    "column-right": () => run(addColumnAfter),
    "row-away": () => run(deleteRow),
    "column-away": () => run(deleteColumn),
    "heading-row": () => run(toggleHeaderRow),
    "table-away": () => run(deleteTable),
    link: async () => {
      const href = await words("Link to (https://, http:// or mailto:)");
      if (/^(https?:|mailto:)/i.test(href)) run(toggleMark(marks.link, { href }));
      else view.focus();
    },
    footnote: async () => {
      const text = await words("Footnote");
      if (text) put(nodes.footnote.create({ text }));
      else view.focus();
    },
    place: openPlaces,
  };
  place.querySelector(".tools").addEventListener("mousedown", (event) => {
    if (event.target.closest("button")) event.preventDefault();
  });
  place.querySelector(".tools").addEventListener("click", (event) => {
    const name = event.target.closest("[data-do]")?.dataset.do;
    if (name) does[name]();
  });
  kind.addEventListener("change", () =>
    run(
      kind.value === "0" ? setBlockType(nodes.paragraph) : setBlockType(nodes.heading, { level: Number(kind.value) }),
    ),
  );
  return tools;
}
