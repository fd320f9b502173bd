// Lets a virtual plate run: asks for it again, a little later each time. Without scripts the minutes stand in the address.
const STEP = 0.25; // minutes a frame
const EVERY = 220; // milliseconds

let running = 0;

const plate = () => document.getElementById("virtual");

async function show(minutes) {
  const at = plate().dataset.at;
  const answer = await fetch(`${at}&minutes=${minutes.toFixed(2)}`, { headers: { "HX-Request": "true" } });
  if (!answer.ok) return false;
  const fresh = new DOMParser().parseFromString(await answer.text(), "text/html").getElementById("virtual");
  const focus = document.activeElement?.dataset?.run !== undefined ? "[data-run]" : document.activeElement?.dataset?.step ? "[data-step]" : "";
  // What is being typed in the form stays as it is.
  const form = document.getElementById("practice-form");
  fresh.querySelector("#practice-form").replaceWith(form);
  plate().replaceWith(fresh);
  if (focus) plate().querySelector(focus)?.focus();
  return true;
}

function stop() {
  clearTimeout(running);
  running = 0;
  const button = plate()?.querySelector("[data-run]");
  if (button) button.textContent = "Let it run";
}

async function run() {
  const minutes = Number(plate().dataset.minutes) + STEP * (matchMedia("(prefers-reduced-motion: reduce)").matches ? 4 : 1);
  if (!(await show(minutes)) || minutes >= 60) { stop(); return; }
  if (!running) return;
  plate().querySelector("[data-run]").textContent = "Pause";
  running = setTimeout(run, EVERY);
}

document.addEventListener("click", (event) => {
  if (event.target.closest?.("[data-run]")) {
    if (running) { stop(); return; }
    running = setTimeout(run, 0);
  }
  const step = event.target.closest?.("[data-step]")?.dataset.step;
  if (step) { stop(); show(Number(plate().dataset.minutes) + Number(step)); }
});
