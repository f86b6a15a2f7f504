// Keeping what is written: one request at a time, the last state wins; a refusal says so and loses nothing.

export function keeperOf(place, given, written) {
  const state = document.getElementById("keep-state");
  const problem = document.getElementById("keep-problem");
  let version = given.version;
  let kept = true;
  let keeping = null;
  let timer = 0;

  const send = async () => {
    const document_ = written();
    const answer = await fetch(place.dataset.keep, {
      method: "POST",
      headers: {
        "Content-Type": "application/json",
        "X-CSRFToken": JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"],
      },
      body: JSON.stringify({ document: document_, version }),
    });
    const told = answer.headers.get("Content-Type")?.includes("json")
      ? await answer.json()
      : {
          problem: "It could not be kept.",
          hint: "Look whether you are still signed in, in another window; what you wrote is still here.",
        };
    if (!answer.ok) {
      problem.textContent = `${told.problem} ${told.hint || ""}`;
      problem.hidden = false;
      state.textContent = "Not kept.";
      return false;
    }
    problem.hidden = true;
    version = told.version;
    const seen = document.querySelector("#upload [name=seen]");
    if (seen) seen.value = version;
    kept = JSON.stringify(written()) === JSON.stringify(document_);
    state.textContent = kept
      ? `Kept at ${new Date().toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" })}: nobody else sees it until you release it.`
      : "Not kept yet …";
    if (!kept) timer = setTimeout(keep, 1000);
    return true;
  };
  const keep = async () => {
    clearTimeout(timer);
    if (keeping) await keeping;
    if (kept) return true;
    keeping = send().catch(() => {
      problem.textContent = "The server wasn't reached. What you wrote is still here; it is tried again.";
      problem.hidden = false;
      timer = setTimeout(keep, 5000);
      return false;
    });
    const done = await keeping;
    keeping = null;
    return done;
  };
  const changed = () => {
    kept = false;
    state.textContent = "Not kept yet …";
    clearTimeout(timer);
    timer = setTimeout(keep, 1500);
  };
  document.getElementById("keep-now")?.addEventListener("click", async () => {
    await keep();
    location.assign(place.dataset.saved);
  });
  document.querySelector("#steps")?.addEventListener("submit", async (event) => {
    if (!event.submitter?.hasAttribute("data-keeps") || kept) return;
    event.preventDefault();
    const by = event.submitter;
    if (await keep()) {
      document.querySelector("#steps [name=version]").value = "";
      by.form.requestSubmit(by);
    }
  });
  const versionOfSteps = document.querySelector("#steps [name=version]");
  if (versionOfSteps) versionOfSteps.value = "";
  addEventListener("beforeunload", (event) => {
    if (!kept) event.preventDefault();
  });
  return { keep, changed };
}
