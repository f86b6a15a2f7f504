// Pictures and drawings on the sheet, resized by their corner.
import { send } from "./edits.js";

// a picture that was brought has a number, one that is drawn a name
export const pictured = (name) =>
  /^[0-9]+$/.test(name) ? { do: "picture", picture: Number(name) } : { do: "drawing", picture: name };
// a picture is resized by its corner
document.addEventListener(
  "pointerdown",
  (event) => {
    const grip = event.target.closest?.("[data-grip]");
    if (!grip) return;
    event.preventDefault();
    event.stopPropagation();
    const image = grip.previousElementSibling,
      { width, height } = image,
      { clientX, clientY } = event;
    const size = (moved) => [
      Math.max(16, Math.round(width + moved.clientX - clientX)),
      Math.max(16, Math.round(height + moved.clientY - clientY)),
    ];
    const move = (moved) => {
      [image.width, image.height] = size(moved);
    };
    const end = (moved) => {
      document.removeEventListener("pointermove", move, true);
      const [wide, high] = size(moved);
      send({ ...pictured(grip.dataset.grip), how: "size", width: Math.min(wide, 2000), height: Math.min(high, 2000) });
    };
    document.addEventListener("pointermove", move, true);
    document.addEventListener("pointerup", end, { once: true, capture: true });
  },
  true,
);
