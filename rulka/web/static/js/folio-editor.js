// The editor of a section's text. It holds words and the names of live places; how these read is asked of the server.
import { EditorState, EditorView } from "../vendor/prosemirror.js";
import { keeperOf } from "./folio-editor/keeping.js";
import { makesLive, placesOf } from "./folio-editor/places.js";
import { toolsOf } from "./folio-editor/tools.js";
import { remarksOf, viewsOf } from "./folio-editor/views.js";
import { documentFrom, pluginsFor, textFrom } from "./folio-editor/writing.js";

export function begin(place, main) {
  const given = JSON.parse(document.getElementById("editor-data").textContent);
  const { keep, changed } = keeperOf(place, given, () => view.state.doc.toJSON());
  const begun = documentFrom(given);
  const view = new EditorView(document.getElementById("written"), {
    state: EditorState.create({
      doc: begun,
      selection: textFrom(begun, -1),
      plugins: pluginsFor(remarksOf(given), keep),
    }),
    attributes: { role: "textbox", "aria-multiline": "true", "aria-label": "The section's text", spellcheck: "true" },
    nodeViews: viewsOf(place, given),
    dispatchTransaction(change) {
      view.updateState(view.state.apply(change));
      tools();
      if (change.docChanged) changed();
    },
  });
  const put = (node) => {
    view.dispatch(view.state.tr.replaceSelectionWith(node).scrollIntoView());
    view.focus();
  };
  const tools = toolsOf(place, view, put, placesOf(place, view, put));
  makesLive(place, view, keep);
  tools();
  view.focus();
  main.dataset.ready = "yes";
}
