// Moves things on screen on the page of an overview: keys, tiles one stands on, full screen. No figure is computed here.
(() => {
  const tiles = () => [...document.querySelectorAll(".tile[tabindex]")];
  const switchTo = (place) => document.querySelectorAll(".switch a")[place]?.click();
  const onTile = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 };
  document.addEventListener("keydown", (event) => {
    if (event.defaultPrevented || rulka.inField(event.target) || event.ctrlKey || event.metaKey) return;
    const tile = event.target.matches?.(".tile") ? event.target : null;
    if (tile && event.key in onTile) {
      event.preventDefault();
      if (event.altKey) {
        tile.querySelector(`.tools [value=${onTile[event.key] > 0 ? "on" : "back"}]`)?.click();
        return;
      }
      const every = tiles();
      every[every.indexOf(tile) + onTile[event.key]]?.focus();
      return;
    }
    if (event.altKey) return;
    const tool =
      tile &&
      {
        "+": "[value=wider]",
        "-": "[value=narrower]",
        Delete: "[value=remove]",
        e: "[data-do=open]",
        Enter: "[data-do=open]",
      }[event.key];
    if (tool) {
      event.preventDefault();
      tile.querySelector(`.tools ${tool}`)?.click();
      return;
    }
    if (rulka.keysOff()) return;
    const place = { m: 0, y: 1, l: 2, b: 3 }[event.key];
    if (place !== undefined) switchTo(place);
    if (event.key === "a") document.getElementById("arrange")?.click();
    if (event.key === "n") document.getElementById("new-kind")?.focus();
    if (event.key === "w") document.getElementById("whole-screen")?.click();
  });
  document.addEventListener("click", (event) => {
    if (event.target.closest?.("#whole-screen"))
      document.fullscreenElement ? document.exitFullscreen() : document.getElementById("main")?.requestFullscreen();
  });
  // the tile that was moved keeps the focus
  let stood = "";
  document.addEventListener("htmx:beforeRequest", () => {
    stood = document.activeElement?.closest?.(".tile")?.id || "";
  });
  document.addEventListener("htmx:afterSettle", () => {
    if (stood) document.getElementById(stood)?.focus({ preventScroll: false });
    stood = "";
  });
})();
