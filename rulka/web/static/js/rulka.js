// Moves things on screen on every page: open and close, the period by key, what came of a request. No figure is computed here.
document.addEventListener("alpine:init", () => {
  Alpine.data("drop", () => ({
    open: false,
    // opened by key, its first entry has the focus
    toggle(event) {
      this.open = !this.open;
      this.$root.querySelector(".drop").hidden = false;
      if (this.open && !event.detail) this.$nextTick(() => this.$root.querySelector(".drop :is(a, button)")?.focus());
    },
    close(event) {
      if (event?.key === "Escape") this.$root.querySelector("button").focus();
      this.open = false;
    },
  }));
});

const rulka = {
  keysOff: () => document.body.dataset.letters === "off",
  inField: (target) =>
    target.closest("input:not([type=checkbox]):not([type=radio]), textarea, select, dialog, [contenteditable]"),
};

(() => {
  document.addEventListener("keydown", (event) => {
    // in a worksheet the first one finds in the sheet, the next one everywhere
    if (
      event.key === "/" &&
      event.altKey &&
      !event.ctrlKey &&
      (!document.querySelector(".worksheet") || event.target.matches("input[type=search]"))
    ) {
      document.getElementById("find")?.focus();
      event.preventDefault();
      return;
    }
    if (event.defaultPrevented || rulka.inField(event.target)) return;
    if (event.ctrlKey || event.metaKey || event.altKey || (rulka.keysOff() && event.key !== "?")) return;
    const step = { ",": "step-back", ".": "step-on" }[event.key];
    if (step) document.getElementById(step)?.click();
    if (event.key === "/") {
      document.getElementById("find")?.focus();
      event.preventDefault();
      return;
    }
    if (event.key === ";") document.getElementById("period-open")?.click();
    if (event.key === "?") document.getElementById("keys")?.showModal();
  });
  document.addEventListener("click", (event) => {
    if (event.target.closest?.("#help")) document.getElementById("keys")?.showModal();
  });
  document.addEventListener("htmx:beforeSwap", (event) => {
    // what is being typed into a form that follows every change must outlast the answer to the change before
    // what somebody unfolded stays so
    if (window.Idiomorph)
      window.Idiomorph.defaults.callbacks.beforeAttributeUpdated = (name, node) =>
        !(name === "open" && node.tagName === "DETAILS");
    const typing = document.activeElement?.matches("input:not([type=radio]):not([type=checkbox]), textarea, select");
    if (window.Idiomorph)
      window.Idiomorph.defaults.ignoreActiveValue =
        typing && ["mapping", "work", "panel"].includes(event.detail.target.id);
  });
  // what is found: walked by arrows from the field on, left by Escape
  document.addEventListener("keydown", (event) => {
    const form = event.target.closest?.("form.find");
    if (!form) return;
    const links = [...form.querySelectorAll("#found a")];
    if (event.key === "Escape") {
      form.querySelector("#found").replaceChildren();
      form.querySelector("#find").value = "";
      document.getElementById("main")?.focus();
      event.preventDefault();
    }
    if (!["ArrowDown", "ArrowUp"].includes(event.key)) return;
    const next = links.indexOf(event.target) + (event.key === "ArrowDown" ? 1 : -1);
    (next < 0 ? form.querySelector("#find") : links[next])?.focus();
    event.preventDefault();
  });
  document.addEventListener("click", (event) => {
    if (!event.target.closest?.("form.find")) document.querySelector("form.find #found")?.replaceChildren();
  });
  document.addEventListener("submit", (event) => {
    const first = event.target.matches?.("form.find") && event.target.querySelector("#found a");
    if (first && !event.target.querySelector("#find.htmx-request")) {
      event.preventDefault();
      first.click();
    }
  });
  // what is skipped to has the focus: the cell one stands on, where there are cells
  document.addEventListener("click", (event) => {
    const skip = event.target.closest?.("a.skip");
    const place = skip && document.querySelector(skip.hash);
    const spot = place?.querySelector('[tabindex="0"]') || place;
    spot?.focus();
    if (spot && document.activeElement === spot) event.preventDefault();
  });
  // arrows walk a trace: along the ways of splitting, down into the parts, up again; and the entries of a menu
  const beside = (place, key, all) => all[all.indexOf(place) + ({ ArrowRight: 1, ArrowDown: 1 }[key] || -1)];
  const within = (place, path) => [...place.querySelectorAll(path)].filter((one) => one.checkVisibility());
  function walked(spot, key) {
    const menu = spot.closest(".drop");
    const down = ["ArrowDown", "ArrowUp"].includes(key);
    if (menu && down && !menu.matches(".periods")) return beside(spot, key, within(menu, "a, button"));
    const trace = spot.closest("#panel, #trace");
    if (!trace || !spot.matches(".ways a, .parts tbody a")) return null;
    if (!down) return spot.matches(".ways a") ? beside(spot, key, within(trace, ".ways a")) : null;
    const parts = within(trace, ".parts tbody tr").map((row) => row.querySelector("a"));
    if (spot.matches(".ways a")) return key === "ArrowDown" ? parts.find(Boolean) : null;
    return (
      beside(spot.closest("tr").querySelector("a"), key, parts.filter(Boolean)) ||
      (key === "ArrowUp" && within(trace, ".ways a")[0])
    );
  }
  document.addEventListener("keydown", (event) => {
    if (!/^Arrow/.test(event.key) || event.ctrlKey || event.metaKey || event.altKey || event.shiftKey) return;
    const next = event.target.closest?.("a, button") && walked(event.target.closest("a, button"), event.key);
    next?.focus();
    if (next) event.preventDefault();
  });
  // a trace goes back and on as the browser does
  document.addEventListener("click", (event) => {
    const went = event.target.closest?.("[data-history]");
    if (went) history[went.dataset.history]();
  });
  document.addEventListener("htmx:afterSettle", (event) => {
    if (event.target.id === "trace")
      document
        .querySelector("#trace .crumbs, #trace a")
        ?.closest("#trace")
        .querySelector(".ways [aria-current], .crumbs b, a")
        ?.focus({ preventScroll: true });
  });
  // a panel of words alone is scrolled by key as well
  const reachBodies = () => {
    for (const body of document.querySelectorAll(".panel .body")) {
      if (body.querySelector("a[href], button, input, select, textarea, summary")) body.removeAttribute("tabindex");
      else body.tabIndex = 0;
    }
  };
  // a table without a caption is called by the heading that it stands under
  const nameTables = () => {
    const headings = [...document.querySelectorAll("main :is(h1, h2, h3, h4)")];
    for (const table of document.querySelectorAll("main :is(table, [role=grid], [role=treegrid])")) {
      if (table.caption || (table.ariaLabel && !table.dataset.named) || table.getAttribute("role") === "presentation")
        continue;
      const above = headings.filter((one) => one.compareDocumentPosition(table) & Node.DOCUMENT_POSITION_FOLLOWING);
      if (!above.length) continue;
      table.ariaLabel = above.at(-1).textContent.trim().replace(/\s+/g, " ");
      table.dataset.named = "by its heading";
    }
  };
  for (const shown of ["DOMContentLoaded", "htmx:load", "htmx:afterSettle"])
    document.addEventListener(shown, () => {
      reachBodies();
      nameTables();
    });
  // what came of an edit is said to those who don't see it, with whether the statement still foots
  document.addEventListener("htmx:afterSettle", () => {
    const said = document.querySelector("#panel :is(.done, .warned)[role=status]");
    const verdict = document.getElementById("verdict-line");
    const text = said ? [said, verdict].map((one) => one?.textContent.trim().replace(/\s+/g, " ")).join(" ") : "";
    const announce = document.getElementById("announce");
    if (announce.textContent !== text) announce.textContent = text;
  });
  document.addEventListener("change", (event) => {
    if (event.target.matches?.("select.sends")) event.target.form.requestSubmit();
  });
  document.addEventListener("htmx:beforeRequest", () => {
    document.getElementById("alert").replaceChildren();
  });
  // no answer at all: it may have been done all the same
  const unanswered = () => {
    const told = document.createElement("div");
    told.className = "problem";
    told.textContent =
      "No answer came from Rulka. Look at your connection, and load the page again before you repeat it: it may have been done.";
    document.getElementById("alert").replaceChildren(told);
  };
  document.addEventListener("htmx:sendError", unanswered);
  document.addEventListener("htmx:timeout", unanswered);
  // the list of periods: open once it has come, closed by Escape, by choosing or by going elsewhere
  const periods = () => document.getElementById("period-drop");
  const closePeriods = (back) => {
    if (!periods()?.firstElementChild) return;
    periods().replaceChildren();
    if (back) document.getElementById("period-open")?.focus();
  };
  document.addEventListener("htmx:afterSwap", (event) => {
    if (event.target.id === "period-drop") document.getElementById("period-typed")?.focus();
  });
  document.addEventListener("keydown", (event) => {
    if (event.key === "Escape" && event.target.closest?.(".period")) closePeriods(true);
  });
  document.addEventListener("click", (event) => {
    if (!event.target.closest?.(".period")) closePeriods(false);
  });
})();
