// Live places chosen from what there is, and typed numbers made live.
import { nodes } from "./schema.js";

// gives what opens the choice
export function placesOf(place, view, put) {
  const dialog = document.getElementById("places");
  const body = document.getElementById("places-body");
  const openPlaces = async (address) => {
    body.innerHTML = await (await fetch(address, { headers: { "HX-Request": "true" } })).text();
    if (!dialog.open) dialog.showModal();
    body.querySelector("select")?.focus();
  };
  body.addEventListener("change", (event) => {
    if (!["kind", "of"].includes(event.target.name)) return;
    const form = new FormData(body.querySelector("form"));
    openPlaces(
      `${place.dataset.places}&kind=${encodeURIComponent(form.get("kind"))}${event.target.name === "of" ? `&of=${encodeURIComponent(form.get("of"))}` : ""}`,
    );
  });
  body.addEventListener("click", (event) => {
    const button = event.target.closest("button");
    if (!button) return;
    const form = new FormData(body.querySelector("form"));
    const chosen = (name) => [...(body.querySelector(`[name=${name}]`)?.selectedOptions || [])].map((one) => one.value);
    if (button.id === "places-close") {
      dialog.close();
      view.focus();
      return;
    }
    if (button.id === "put-figure") {
      const source = [button.dataset.of, ...chosen("row"), ...chosen("column")].join("|");
      dialog.close();
      put(
        nodes.figure.create({
          source,
          unit: form.get("unit") || "",
          decimals: form.get("decimals") || "",
          unsigned: Boolean(form.get("unsigned")),
        }),
      );
    }
    if (button.dataset.put) {
      dialog.close();
      put(nodes.live_table.create({ source: button.dataset.put }));
    }
    if (button.id === "put-lines") {
      dialog.close();
      put(
        nodes.live_table.create({
          source: [button.dataset.of, chosen("row").join(","), chosen("column").join(",")].join("|"),
        }),
      );
    }
    if (button.id === "put-part" && form.get("cells")) {
      const source = `${button.dataset.of}|${form.get("cells").trim()}`;
      dialog.close();
      put(
        /[:]|![A-Za-z]{4,}/.test(form.get("cells"))
          ? nodes.live_table.create({ source })
          : nodes.figure.create({ source }),
      );
    }
  });
  body.addEventListener("submit", (event) => event.preventDefault());
  return () => openPlaces(`${place.dataset.places}`);
}

export function makesLive(place, view, keep) {
  document.getElementById("panel")?.addEventListener("click", async (event) => {
    const button = event.target.closest("[data-live]");
    if (!button) return;
    const typed = button.dataset.typed.replace(/\s*(%|thousand|million)s?$/i, "");
    let at = -1;
    view.state.doc.descendants((node, start) => {
      if (at < 0 && node.isText && node.text.includes(typed)) at = start + node.text.indexOf(typed);
    });
    if (at < 0) return;
    const node = nodes.figure.create({
      source: button.dataset.live,
      unit: /thousand/i.test(button.dataset.typed)
        ? "thousands"
        : /million/i.test(button.dataset.typed)
          ? "millions"
          : "",
    });
    const length = /%/.test(button.dataset.typed) ? button.dataset.typed.length : typed.length;
    view.dispatch(view.state.tr.replaceWith(at, at + length, node));
    await keep();
    location.assign(place.dataset.saved);
  });
}
