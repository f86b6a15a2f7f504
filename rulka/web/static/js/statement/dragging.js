// Lines and columns dragged to another place.
import { about } from "./choosing.js";
import { send } from "./edits.js";
import { figures } from "./page.js";

let dragged = null; // what an edit would be about

document.addEventListener("dragstart", (event) => {
  const spot = event.target.closest?.("#figures a.label, #figures a.head-link");
  if (!spot) return;
  dragged = about(spot);
  event.dataTransfer.effectAllowed = "move";
  event.dataTransfer.setData("text/plain", spot.textContent);
});

function dropPlace(event) {
  const aim = dragged?.lines ? "#figures tr[data-row]" : "#figures tr.heads th";
  const target = dragged && event.target.closest?.(aim);
  if (!target) return null;
  const box = target.getBoundingClientRect();
  if (!dragged.lines) return { target, where: event.clientX < box.left + box.width / 2 ? "above" : "below" };
  const section = target.classList.contains("section");
  const depth = (event.clientY - box.top) / box.height;
  return { target, where: section && depth > 0.3 ? "inside" : depth < 0.5 ? "above" : "below" };
}

const clearDrop = () =>
  figures()
    ?.querySelectorAll("[data-drop]")
    .forEach((spot) => delete spot.dataset.drop);

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
  const { target, where } = found;
  if (dragged.lines) send({ do: "line-drop", at: target.dataset.line, where, panel: "line", ...dragged }, "chosen");
  else
    send(
      { do: "column-drop", at: target.querySelector("a").dataset.written, where, panel: "column", ...dragged },
      "chosen",
    );
  dragged = null;
});
document.addEventListener("dragend", () => {
  clearDrop();
  dragged = null;
});
