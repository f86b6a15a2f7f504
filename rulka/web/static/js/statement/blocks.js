// Large statements: blocks of rows are fetched when they come near.
import { el, figures } from "./page.js";

const fetching = new Map(); // by number the blocks that are on their way
const stamp = () => el("stamp").elements;
const near = new IntersectionObserver(
  (seen) => seen.filter((one) => one.isIntersecting).forEach((one) => fetchBlock(one.target)),
  { rootMargin: "600px" },
);

function put(number, text, shown) {
  const now = el(`block-${number}`);
  // an edit was answered meanwhile: these rows may be those before it
  if (stamp().stamp.value !== shown) {
    fetching.delete(number);
    return now && fetchBlock(now);
  }
  if (now?.classList.contains("waiting")) {
    now.outerHTML = text;
    stamp().blocks.value = [...new Set([...stamp().blocks.value.split(","), number])].filter(Boolean).join(",");
    watch();
  }
  return undefined;
}

function fetchBlock(block) {
  const number = block.dataset.block;
  if (!fetching.has(number)) {
    const shown = stamp().stamp.value;
    const address = `${el("work").dataset.rows.replace(/0\/$/, `${number}/`)}?${figures().dataset.query}`;
    const answered = fetch(address, { headers: { "HX-Request": "true" } })
      .then((answer) => (answer.ok ? answer.text() : Promise.reject(new Error(answer.statusText))))
      .then((text) => put(number, text, shown))
      .finally(() => fetching.delete(number));
    fetching.set(number, answered);
  }
  return fetching.get(number);
}

export function watch() {
  near.disconnect();
  figures()
    ?.querySelectorAll("tbody.waiting")
    .forEach((block) => near.observe(block));
}

// blocks that came while an edit was under way, which its answer doesn't know, are fetched again
export function renew() {
  const known = stamp().blocks.value.split(",");
  figures()
    .querySelectorAll("tbody[data-block]:not(.waiting)")
    .forEach((block) => {
      if (known.includes(block.dataset.block)) return;
      block.classList.add("waiting");
      fetchBlock(block);
    });
}

// whether the row after one waits: then it is fetched, and landed on
export function beyond(row, by, land) {
  const block = by > 0 ? row.parentElement.nextElementSibling : row.parentElement.previousElementSibling;
  const edge = by > 0 ? !row.nextElementSibling : !row.previousElementSibling;
  if (!edge || !block?.classList.contains("waiting")) return false;
  const number = block.dataset.block;
  fetchBlock(block).then(() => {
    const found = el(`block-${number}`).rows;
    land(found[by > 0 ? 0 : found.length - 1]);
  });
  return true;
}
