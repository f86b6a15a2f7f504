// What the focus waits for, by the name of a state in focus.js. Whoever sends a request says so.
let state = "elsewhere";

export const expected = () => state;
export function expect(next) {
  state = next;
}
