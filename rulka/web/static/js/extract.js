// Moves things on screen on the page of an extract: narrows the list of fields, keys. No figure is computed here.
document.addEventListener("alpine:init", () => {
  Alpine.data("fieldlist", () => ({
    narrow(event) {
      const wanted = event.target.value.trim().toLowerCase();
      for (const set of this.$root.querySelectorAll("fieldset")) {
        let any = false;
        for (const label of set.querySelectorAll("label")) {
          const fits = !wanted || label.textContent.toLowerCase().includes(wanted);
          label.hidden = !fits;
          any = any || fits;
        }
        set.hidden = !any;
      }
    },
  }));
});
(() => {
  document.addEventListener("keydown", (event) => {
    if (event.defaultPrevented || rulka.inField(event.target) || rulka.keysOff()) return;
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === "f") {
      document.getElementById("find-field")?.focus();
      event.preventDefault();
    }
    if (event.key === "r") document.getElementById("run")?.click();
    if (event.key === "a") document.getElementById("again")?.click();
  });
  // what was unfolded to say something folds once it was taken; refused, it stays
  let said = "";
  document.addEventListener("submit", (event) => {
    said = event.target.closest?.(".chips details, .question")?.id || "";
  });
  document.addEventListener("htmx:afterSettle", () => {
    const sent = said && document.getElementById(said);
    if (sent && !document.getElementById("problem")) {
      sent.open = false;
      for (const form of sent.querySelectorAll("form")) if (said === "addcond") form.reset();
    }
    said = "";
  });
})();
