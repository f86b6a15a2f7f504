// What a text may hold: paragraphs, headings, lists, tables, and places that are live.
import { Schema, tableNodes } from "../../vendor/prosemirror.js";

export const look = (node) =>
  [node.attrs.source, node.attrs.unit || "", node.attrs.decimals || "", node.attrs.unsigned ? "unsigned" : ""].join(
    "#",
  );
export const schema = new Schema({
  nodes: {
    doc: { content: "block+" },
    paragraph: { group: "block", content: "inline*", parseDOM: [{ tag: "p" }], toDOM: () => ["p", 0] },
    heading: {
      group: "block",
      content: "inline*",
      attrs: { level: { default: 1 } },
      defining: true,
      parseDOM: [1, 2, 3]
        .map((level) => ({ tag: `h${level + 1}`, attrs: { level } }))
        .concat({ tag: "h1", attrs: { level: 1 } }),
      toDOM: (node) => [`h${node.attrs.level + 1}`, 0],
    },
    bullet_list: { group: "block", content: "list_item+", parseDOM: [{ tag: "ul" }], toDOM: () => ["ul", 0] },
    ordered_list: { group: "block", content: "list_item+", parseDOM: [{ tag: "ol" }], toDOM: () => ["ol", 0] },
    list_item: { content: "paragraph block*", defining: true, parseDOM: [{ tag: "li" }], toDOM: () => ["li", 0] },
    ...tableNodes({ tableGroup: "block", cellContent: "block+", cellAttributes: {} }),
    live_table: {
      group: "block",
      atom: true,
      attrs: { source: {} },
      toDOM: (node) => ["div", { "data-source": node.attrs.source, class: "place" }],
      parseDOM: [{ tag: "div[data-source]", getAttrs: (dom) => ({ source: dom.dataset.source }) }],
    },
    page_break: { group: "block", atom: true, parseDOM: [{ tag: "hr" }], toDOM: () => ["hr", { class: "page-break" }] },
    text: { group: "inline" },
    hard_break: { group: "inline", inline: true, selectable: false, parseDOM: [{ tag: "br" }], toDOM: () => ["br"] },
    figure: {
      group: "inline",
      inline: true,
      atom: true,
      attrs: { source: {}, unit: { default: "" }, decimals: { default: "" }, unsigned: { default: false } },
      toDOM: (node) => ["span", { "data-figure": look(node), class: "live" }],
      parseDOM: [
        {
          tag: "span[data-figure]",
          getAttrs: (dom) => {
            const [source, unit, decimals, unsigned] = dom.dataset.figure.split("#");
            return { source, unit, decimals, unsigned: Boolean(unsigned) };
          },
        },
      ],
    },
    footnote: {
      group: "inline",
      inline: true,
      atom: true,
      attrs: { text: { default: "" } },
      toDOM: (node) => ["sup", { "data-footnote": node.attrs.text, title: node.attrs.text, class: "fn" }, "†"],
      parseDOM: [{ tag: "sup[data-footnote]", getAttrs: (dom) => ({ text: dom.dataset.footnote }) }],
    },
  },
  marks: {
    strong: { parseDOM: [{ tag: "strong" }, { tag: "b" }], toDOM: () => ["strong", 0] },
    em: { parseDOM: [{ tag: "em" }, { tag: "i" }], toDOM: () => ["em", 0] },
    underline: { parseDOM: [{ tag: "u" }], toDOM: () => ["u", 0] },
    link: {
      attrs: { href: {} },
      inclusive: false,
      parseDOM: [
        {
          tag: "a[href]",
          getAttrs: (dom) =>
            /^(https?:|mailto:)/i.test(dom.getAttribute("href")) ? { href: dom.getAttribute("href") } : false,
        },
      ],
      toDOM: (node) => ["a", { href: node.attrs.href, rel: "noopener" }, 0],
    },
  },
});
export const { nodes, marks } = schema;
