// The panel folds away; a wide statement says what is beyond its edge and can keep its totals in sight.
import { el, figures } from "./page.js";

const MOST_TOTALS = 6;
const scroller = () => document.querySelector("#work .scroll");
const columnHeads = () => [...figures().querySelectorAll("thead tr.heads th")];
const kept = () => sessionStorage.getItem("totals-in-sight") === "yes";

export function fold(away, stay = false) {
  document.body.classList.toggle("folded", away);
  if (!stay) (away ? el("unfold") : el("fold"))?.focus();
  hintAtEdge();
}

function hintAtEdge() {
  const scroll = scroller();
  const hint = el("beyond");
  if (!scroll || !hint || !figures()) return;
  const totals = columnHeads().filter((head) => /\btot-/.test(head.className));
  const frozen = figures().classList.contains("frozen") ? totals : [];
  const edge = scroll.getBoundingClientRect().right - frozen.reduce((sum, one) => sum + one.offsetWidth, 0) + 1;
  const hidden = columnHeads().filter((head) => !frozen.includes(head) && head.getBoundingClientRect().right > edge);
  hint.hidden = scroll.scrollWidth <= scroll.clientWidth + 1;
  el("see-on").hidden = !hidden.length;
  el("see-on").textContent = `${hidden.length} more column${hidden.length === 1 ? "" : "s"} \u203a`;
  el("freeze").hidden = !totals.length;
  el("freeze").setAttribute("aria-pressed", String(frozen.length > 0));
}

export function freeze() {
  if (!figures()) return;
  const scroll = scroller();
  const on = kept() && scroll.scrollWidth > scroll.clientWidth + 1;
  figures().classList.toggle("frozen", on);
  const labels = figures().querySelector("thead tr.heads th.labels");
  figures().style.setProperty("--labels", `${(labels?.offsetLeft ?? 0) + (labels?.offsetWidth ?? 0) + 8}px`);
  let right = 0;
  for (let place = 0; on && place < MOST_TOTALS; place += 1) {
    const head = figures().querySelector(`thead tr.heads th.tot-${place}`);
    if (!head) break;
    figures().style.setProperty(`--tot-${place}`, `${right}px`);
    right += head.offsetWidth;
  }
  hintAtEdge();
}

document.addEventListener("click", (event) => {
  if (event.target.closest?.("#fold")) fold(true);
  if (event.target.closest?.("#unfold")) fold(false);
  if (event.target.closest?.("#see-on")) scroller().scrollBy({ left: scroller().clientWidth * 0.6 });
  if (event.target.closest?.("#freeze")) {
    sessionStorage.setItem("totals-in-sight", kept() ? "no" : "yes");
    freeze();
  }
});
document.addEventListener(
  "scroll",
  (event) => {
    if (event.target.matches?.("#work .scroll")) hintAtEdge();
  },
  true,
);
window.addEventListener("resize", freeze);
