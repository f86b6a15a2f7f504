// A folio's page: the list walked by keys, words marked for a remark, the text written. No figure is computed here: how a live place reads, the server says.
const main = document.getElementById("main");
const editorPlace = document.getElementById("editor");

// the list of sections, the page, the panel --------------------------------------------------------------------------
document.addEventListener("keydown", (event) => {
  const line = event.target.closest?.(".sectionlist .sections a");
  if (line && ["ArrowDown", "ArrowUp"].includes(event.key)) {
    const lines = [...document.querySelectorAll(".sectionlist .sections a")];
    lines[lines.indexOf(line) + (event.key === "ArrowDown" ? 1 : -1)]?.focus();
    event.preventDefault();
    return;
  }
  if (
    event.defaultPrevented ||
    event.ctrlKey ||
    event.metaKey ||
    event.altKey ||
    rulka.inField(event.target) ||
    rulka.keysOff()
  )
    return;
  if (event.key === "e") (document.getElementById("write") || document.getElementById("step-hold"))?.click();
  if (event.key === "v") document.getElementById("preview")?.click();
});

const walker = (root) => document.createTreeWalker(root, NodeFilter.SHOW_TEXT);
const rangeOf = (root, words) => {
  const nodes = [];
  let text = "";
  for (const walk = walker(root); walk.nextNode();) {
    nodes.push([text.length, walk.currentNode]);
    text += walk.currentNode.data;
  }
  const at = text.replace(/\s/g, " ").indexOf(words.replace(/\s+/g, " "));
  if (at < 0) return null;
  const place = (offset) => {
    const [start, node] = nodes.filter(([begin]) => begin <= offset).pop();
    return [node, Math.min(offset - start, node.length)];
  };
  const range = document.createRange();
  range.setStart(...place(at));
  range.setEnd(...place(at + words.length));
  return range;
};
document.addEventListener("click", (event) => {
  const shown = event.target.closest?.("[data-show]");
  const text = document.querySelector("#written .ProseMirror, #text");
  if (!shown || !text) return;
  const range = rangeOf(text, shown.closest("[data-quote]").dataset.quote);
  if (!range) return;
  range.startContainer.parentElement.scrollIntoView({ block: "center" });
  getSelection().removeAllRanges();
  getSelection().addRange(range);
});
document.addEventListener("selectionchange", () => {
  const chosen = getSelection();
  const quote = document.getElementById("quote");
  if (!quote || !chosen.rangeCount || chosen.isCollapsed || !chosen.anchorNode?.parentElement?.closest("#paper"))
    return;
  quote.value = chosen.toString().replace(/\s+/g, " ").trim().slice(0, 300);
});
document.addEventListener("change", (event) => {
  if (event.target.id === "upload-file") document.getElementById("upload-now")?.focus();
});
const leaves = document.getElementById("leaves");
if (leaves) document.getElementById(location.hash.slice(1) || leaves.dataset.opens)?.scrollIntoView();

if (editorPlace) import("./folio-editor.js").then((module) => module.begin(editorPlace, main));
main.dataset.keys = "yes";
