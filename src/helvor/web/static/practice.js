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

// The eluent's bar follows the finger; the number beside it is what is sent.
let dragged = null;
function pull(event) {
  const bar = dragged;
  const acid = Number(document.getElementById("p-acid").value) || 0;
  const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(bar.getScreenCTM().inverse()).x;
  const weak = Math.min(Math.max(Math.round((at - 1) / 3.38), 0), 99 - acid);
  const strong = 100 - acid - weak;
  document.getElementById("p-strong").value = strong;
  const [a, b, c] = bar.querySelectorAll("rect");
  a.setAttribute("width", 3.38 * weak);
  b.setAttribute("x", 1 + 3.38 * weak);
  b.setAttribute("width", 3.38 * strong);
  c.setAttribute("x", 1 + 3.38 * (weak + strong));
  bar.querySelector(".eluent-handle").setAttribute("d", `M${3.38 * weak - 6} 0h14v38h-14zm5 12v14m4 -14v14`);
}
document.addEventListener("pointerdown", (event) => {
  dragged = event.target.closest?.(".eluent-bar");
  if (!dragged) return;
  event.preventDefault();
  pull(event);
});
document.addEventListener("pointermove", (event) => { if (dragged) pull(event); });
for (const end of ["pointerup", "pointercancel"]) document.addEventListener(end, () => { dragged = null; });
