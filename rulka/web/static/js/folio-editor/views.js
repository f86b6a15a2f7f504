// How live places, footnotes and remarks look in the text. How a live place reads, the server says.
import { Decoration, DecorationSet, Plugin } from "../../vendor/prosemirror.js";
import { look, nodes } from "./schema.js";

// the views of live places: what came with the page, else what the server is asked for
export function viewsOf(place, given) {
  const figures = new Map(Object.entries(given.figures));
  const tables = new Map(Object.entries(given.tables));
  const fill = async (source) => (await fetch(`${place.dataset.fill}&source=${encodeURIComponent(source)}`)).json();
  const figureView = (node) => {
    const dom = document.createElement("span");
    const key = look(node);
    dom.className = "live";
    dom.dataset.figure = key;
    const show = (told) => {
      dom.textContent = told.text || "?";
      dom.title = told.problem || told.title || node.attrs.source;
      dom.classList.toggle("gone", Boolean(told.problem));
    };
    if (figures.has(key)) show(figures.get(key));
    else {
      dom.textContent = "…";
      fill(key).then((told) => {
        figures.set(key, told);
        show(told);
      });
    }
    return { dom };
  };
  const tableView = (node) => {
    const dom = document.createElement("div");
    const source = node.attrs.source;
    dom.className = "place";
    dom.dataset.source = source;
    dom.contentEditable = "false";
    const show = (html) => {
      dom.innerHTML = html;
    };
    if (tables.has(source)) show(tables.get(source));
    else {
      dom.textContent = "…";
      fill(source).then((told) => {
        tables.set(source, told.html);
        show(told.html);
      });
    }
    return { dom, ignoreMutation: () => true };
  };
  const footnoteView = (node, view, at) => {
    const dom = document.createElement("sup");
    dom.className = "fn";
    dom.title = node.attrs.text;
    let number = 1;
    view.state.doc.nodesBetween(0, at() ?? 0, (one) => {
      if (one.type === nodes.footnote) number += 1;
    });
    dom.textContent = String(number);
    return { dom };
  };
  return { figure: figureView, live_table: tableView, footnote: footnoteView };
}

// remarks stand at their words
export const remarksOf = (given) =>
  new Plugin({
    props: {
      decorations(current) {
        const found = [];
        current.doc.descendants((node, at) => {
          if (!node.isTextblock) return;
          for (const one of given.remarks) {
            const start = node.textContent.indexOf(one.quote);
            if (start >= 0)
              found.push(
                Decoration.inline(at + 1 + start, at + 1 + start + one.quote.length, {
                  class: "remarked",
                  title: one.text,
                }),
              );
          }
        });
        return DecorationSet.create(current.doc, found);
      },
    },
  });
