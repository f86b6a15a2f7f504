// A filing's page: arrows walk its lines, a concept that is offered goes into its field, keys lead on.
const rows = () => [...document.querySelectorAll("#tags [data-row]")];
const letters = () => document.body.dataset.letters !== "off";

document.addEventListener("click", (event) => {
  const offer = event.target.closest("[data-concept]");
  const field = document.getElementById("concept");
  if (!offer || !field) return;
  field.value = offer.dataset.concept;
  for (const one of document.querySelectorAll("[data-concept]")) one.removeAttribute("aria-pressed");
  offer.setAttribute("aria-pressed", "true");
  document.getElementById("tag")?.focus();
});

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.target.closest("input, select, textarea, [contenteditable]")) return;
  const every = rows();
  if ((event.key === "ArrowDown" || event.key === "ArrowUp") && every.length) {
    const now = every.indexOf(document.activeElement);
    const from = now >= 0 ? now : every.findIndex((one) => one.hasAttribute("aria-current"));
    const step = event.key === "ArrowDown" ? 1 : -1;
    const next = from < 0 ? 0 : Math.min(Math.max(from + step, 0), every.length - 1);
    every[next].focus();
    event.preventDefault();
  } else if (event.key === "s" && letters()) {
    document.getElementById("search")?.focus();
    event.preventDefault();
  } else if (event.key === "u" && letters()) {
    document.getElementById("next-untagged")?.click();
  }
});

document.querySelector("#tags [aria-current]")?.scrollIntoView({ block: "nearest" });
