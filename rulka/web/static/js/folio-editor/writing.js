// The keys and rules by which one writes.
import {
  Selection,
  baseKeymap,
  gapCursor,
  goToNextCell,
  history,
  inputRules,
  keymap,
  liftListItem,
  redo,
  sinkListItem,
  splitListItem,
  tableEditing,
  textblockTypeInputRule,
  toggleMark,
  undo,
  wrappingInputRule,
} from "../../vendor/prosemirror.js";
import { marks, nodes, schema } from "./schema.js";

// a place to write stands below whatever ends the text, and writing begins there: a chosen table would be written over
export function documentFrom(given) {
  const found = schema.nodeFromJSON(given.document);
  if (found.lastChild.type === nodes.paragraph) return found;
  return found.copy(found.content.addToEnd(nodes.paragraph.create()));
}
export const textFrom = (doc, side) =>
  Selection.findFrom(doc.resolve(side < 0 ? doc.content.size : 0), side, true) || Selection.atEnd(doc);
const toEdge = (side) => (current, go) => {
  go?.(current.tr.setSelection(textFrom(current.doc, side)).scrollIntoView());
  return true;
};

export const pluginsFor = (remarks, keep) => [
  history(),
  gapCursor(),
  remarks,
  inputRules({
    rules: [
      wrappingInputRule(/^\s*[-*]\s$/, nodes.bullet_list),
      wrappingInputRule(/^1\.\s$/, nodes.ordered_list),
      textblockTypeInputRule(/^(#{1,3})\s$/, nodes.heading, (match) => ({ level: match[1].length })),
    ],
  }),
  keymap({
    "Mod-z": undo,
    "Mod-y": redo,
    "Shift-Mod-z": redo,
    "Mod-b": toggleMark(marks.strong),
    "Mod-i": toggleMark(marks.em),
    "Mod-u": toggleMark(marks.underline),
    Enter: splitListItem(nodes.list_item),
    Tab: (...all) => goToNextCell(1)(...all) || sinkListItem(nodes.list_item)(...all),
    "Shift-Tab": (...all) => goToNextCell(-1)(...all) || liftListItem(nodes.list_item)(...all),
    "Shift-Enter": (current, go) => {
      go?.(current.tr.replaceSelectionWith(nodes.hard_break.create()).scrollIntoView());
      return true;
    },
    "Mod-End": toEdge(-1),
    "Mod-Home": toEdge(1),
    "Mod-s": () => {
      keep();
      return true;
    },
  }),
  keymap(baseKeymap),
  tableEditing(),
];
