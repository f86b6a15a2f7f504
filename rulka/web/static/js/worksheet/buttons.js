// What each button does, in the head and in the panel.
import { cellAt, corner, plainText } from "./cells.js";
import { reload, send } from "./edits.js";
import { find } from "./finding.js";
import { chosen, focusOn } from "./focus.js";
import { putLook, sendLook, takeLook } from "./looks.js";
import { now } from "./now.js";
import { alertWith, el, post, work } from "./page.js";
import { pictured } from "./pictures.js";

el("undo")?.addEventListener("click", () => send({ do: "undo" }));
el("redo")?.addEventListener("click", () => send({ do: "redo" }));
document.addEventListener("click", async (event) => {
  const target = event.target.closest("button, a");
  if (!target) return;
  if (target.id === "fold" || target.id === "unfold") document.body.classList.toggle("folded");
  if (target.dataset.go) {
    event.preventDefault();
    const [row, column] = corner(target.dataset.go);
    focusOn(row, column);
  }
  if (target.dataset.toggle) {
    const on = target.getAttribute("aria-pressed") !== "true";
    sendLook({ [target.dataset.toggle]: on });
  }
  if (target.id === "no-parameter")
    send({ do: "parameter", box: [now.at.row, now.at.column, now.at.row, now.at.column], kind: "" });
  if (target.id === "span-on" || target.id === "span-off")
    send({ do: "setting", name: "span", box: await chosen(), on: target.id === "span-on" });
  if (target.id === "sheet-delete") send({ do: "sheet", how: "delete" });
  if (target.dataset.dropName) send({ do: "name", name: target.dataset.dropName });
  if (target.dataset.step) {
    const input = el(target.dataset.step);
    input.value = target.dataset.to;
    input.form.dispatchEvent(new Event("change", { bubbles: true }));
  }
  if (target.dataset.act) act(target.dataset.act);
  if (target.dataset.paste) {
    if (now.copied)
      send({
        do: "copy",
        what: target.dataset.paste,
        from: now.copied.sheet,
        source: now.copied.box,
        target: await chosen(),
      });
    else el("foot-said").textContent = "Copy some cells of this worksheet first.";
  }
  if (target.id === "take-look") takeLook();
  if (target.id === "put-look") putLook();
  if (target.id === "show-every") {
    now.every = !now.every;
    target.setAttribute("aria-pressed", String(now.every));
    reload();
  }
  if (target.id === "add-missing") send({ do: "add missing", group: Number(target.dataset.group) });
  if (target.id === "refresh-blocks") send({ do: "blocks" });
  if (target.dataset.blockHow)
    send({ do: "block", how: target.dataset.blockHow, id: target.closest("[data-block]").dataset.block });
  if (target.dataset.unhide) {
    const [first, last] = target.dataset.unhide.split(":");
    send({ do: "hiding", kind: "", box: [...corner(first), ...corner(last || first)] });
  }
  if (target.dataset.restore) send({ do: "restore", number: Number(target.dataset.restore) });
  if (target.dataset.pictureRemove) send({ ...pictured(target.dataset.pictureRemove), how: "remove" });
  if (target.id === "marks-seen") post(el("refresh-form").action, { how: "seen" }).then(() => location.reload());
  if (target.dataset.fetch) fetchFirst(target.dataset.fetch, target.dataset.how);
  if (target.id === "sheet-find") find(el("find-bar").hidden);
  if (target.id === "find-close") find(false);
  if (target.id === "replace-all") {
    const form = new FormData(el("find-bar"));
    send({ do: "replace", wanted: form.get("wanted"), new: form.get("new") });
  }
});

async function fetchFirst(feed, how) {
  const answer = await post(work.dataset.fetch, { feed, how });
  if (!answer.ok) {
    alertWith(await answer.text());
    return;
  }
  const { load } = await answer.json();
  for (;;) {
    const found = await (await fetch(`${work.dataset.fetching}&load=${load}`)).json();
    el("foot-said").textContent = `The source: ${found.state}${found.doing ? `, ${found.doing}` : ""}`;
    if (found.over) break;
    await new Promise((go) => {
      setTimeout(go, 700);
    });
  }
  el("refresh-form").requestSubmit();
}

document.addEventListener("change", async (event) => {
  if (event.target.dataset?.look) sendLook({ [event.target.dataset.look]: event.target.value });
  if (event.target.dataset?.choose) {
    const block = event.target.closest("[data-block]"),
      choices = {};
    for (const one of block.querySelectorAll("[data-choose]")) choices[one.dataset.choose] = one.value;
    send({ do: "block", how: "choose", id: block.dataset.block, choices });
  }
  if (event.target.id === "gridlines") send({ do: "setting", name: "gridlines", on: event.target.checked });
});

async function act(what) {
  const box = await chosen();
  const count = { rows: box[2] - box[0] + 1, columns: box[3] - box[1] + 1 },
    first = { rows: box[0], columns: box[1] };
  const [verb, axis] = what.split(" ");
  if (["insert", "delete"].includes(verb)) send({ do: "remap", kind: verb, axis, at: first[axis], count: count[axis] });
  if (verb === "up" || verb === "left")
    send({ do: "remap", kind: "move", axis, at: first[axis], count: count[axis], to: Math.max(first[axis] - 1, 0) });
  if (verb === "down" || verb === "right")
    send({ do: "remap", kind: "move", axis, at: first[axis], count: count[axis], to: first[axis] + count[axis] + 1 });
  if (verb === "hide")
    send({
      do: "setting",
      name: `hidden ${axis}`,
      first: first[axis],
      last: first[axis] + count[axis] - 1,
      hidden: true,
    });
  if (verb === "show")
    send({
      do: "setting",
      name: `hidden ${axis}`,
      first: 0,
      last: (axis === "rows" ? now.state.layout.rows : now.state.layout.columns) - 1,
      hidden: false,
    });
  if (verb === "sort") send({ do: "sort", box, column: now.at.column, falling: axis === "down" });
  if (verb === "only")
    send({
      do: "setting",
      name: "filter",
      box: [box[0] - 1 < 0 ? 0 : box[0] - 1, now.at.column, now.state.used - 1, now.at.column],
      column: now.at.column,
      values: [plainText(cellAt(now.at.row, now.at.column))],
    });
  if (verb === "every") send({ do: "setting", name: "filter" });
  if (verb === "empty" || verb === "condition") send({ do: "hiding", kind: verb, axis, box });
  if (verb === "stop") send({ do: "hiding", kind: "", box });
  if (verb === "taller" || verb === "flatter") {
    const height = Number(now.state.layout.heights[box[0]] || 24) + (verb === "taller" ? 12 : -12);
    send({ do: "setting", name: "height", first: box[0], last: box[2], height: Math.max(height, 24) });
  }
  if (verb === "sum") send({ do: "sum", box: [now.at.row, now.at.column, now.at.row, now.at.column] });
}
