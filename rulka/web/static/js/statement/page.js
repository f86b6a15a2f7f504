// The parts of a statement's page that the other modules look for.

export const el = (id) => document.getElementById(id);
export const figures = () => el("figures");
export const rows = () => [...figures().querySelectorAll("tbody tr[data-row]")];
export const heads = () => [...figures().querySelectorAll("a.head-link")];

// the panel's address as its hidden form holds it
export const panelState = () => Object.fromEntries(new FormData(el("panel-state")));

// A short message that screen readers tell, too.
export function tell(words) {
  const said = document.createElement("p");
  said.className = "done";
  said.setAttribute("role", "status");
  said.textContent = words;
  el("alert").replaceChildren(said);
}
