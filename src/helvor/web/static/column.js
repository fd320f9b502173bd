// A rack is pointed at: drag across tubes, or walk them with the arrow keys, and the forms take their numbers.
let start = null;

// What is pointed at goes into every form about tubes that are there; the next one to fill has its own number.
const forms = () => [...document.querySelectorAll(".column-instrument form")].filter(
  (one) => one.elements.first?.type !== "hidden" && one.elements.last && one.elements.kind.value !== "tubes-filled",
);

const tubeAt = (event) => document.elementFromPoint(event.clientX, event.clientY)?.closest?.("[data-tube]");

function take(from, to) {
  const [first, last] = from <= to ? [from, to] : [to, from];
  for (const form of forms()) {
    form.elements.first.value = first;
    form.elements.last.value = last;
  }
  for (const tube of document.querySelectorAll("[data-tube]")) {
    tube.classList.toggle("chosen", Number(tube.dataset.tube) >= first && Number(tube.dataset.tube) <= last);
  }
}

function walk(event) {
  const tube = event.target.closest?.("[data-tube]");
  if (!tube) return;
  const tubes = [...document.querySelectorAll("[data-tube]")];
  const step = { ArrowLeft: -1, ArrowRight: 1, Home: -tubes.length, End: tubes.length }[event.key];
  const here = tubes.indexOf(tube);
  if (step) {
    event.preventDefault();
    const next = tubes[Math.max(0, Math.min(tubes.length - 1, here + step))];
    tube.tabIndex = -1;
    next.tabIndex = 0;
    next.focus();
    if (event.shiftKey) take(start ??= Number(tube.dataset.tube), Number(next.dataset.tube));
    else start = null;
  } else if (event.key === "Enter" || event.key === " ") {
    event.preventDefault();
    start = Number(tube.dataset.tube);
    take(start, start);
  }
}

// The ends of a bracket are moved to another tube; what is proposed stays what it was until the form is sent.
let grip = null;

function ends(bracket) {
  const [first, last] = bracket.querySelectorAll(".pool-end");
  return { first, last, from: Number(first.getAttribute("aria-valuenow")), to: Number(last.getAttribute("aria-valuenow")) };
}

function moveEnd(end, wanted) {
  const bracket = end.closest(".pool-bracket");
  const rack = end.closest("svg").dataset;
  const is = ends(bracket);
  const least = end === is.first ? 1 : is.from;
  const most = end === is.first ? is.to : Number(rack.count);
  const tube = Math.max(least, Math.min(most, wanted));
  end.setAttribute("aria-valuenow", tube);
  end.setAttribute("aria-valuetext", `tube ${tube}`);
  const { from, to } = ends(bracket);
  const edge = Number(rack.pitch) / 2 - 2;
  const x = (n, side) => Number(rack.firstX) + (n - 1) * Number(rack.pitch) + side * edge;
  const [x1, x2] = [x(from, -1), x(to, 1)];
  bracket.querySelector("path").setAttribute("d", `M${x1} 196v8H${x2}v-8`);
  bracket.querySelector("text").setAttribute("x", (x1 + x2) / 2);
  for (const [one, at] of [[is.first, x1], [is.last, x2]]) {
    one.querySelector("rect").setAttribute("x", at - 8);
    one.querySelector("circle").setAttribute("cx", at);
  }
  const form = document.getElementById(bracket.dataset.form);
  form.elements.first.value = from;
  form.elements.last.value = to;
  if (form.elements.proposed) form.elements.proposed.value = "";
  if (bracket.dataset.name) form.elements.portion.value = bracket.dataset.name;
  const words = document.querySelector(`[data-words="${bracket.dataset.form}"]`);
  if (words) words.textContent = from === to ? `${from}` : `${from}–${to}`;
}

function nudge(event) {
  const end = event.target.closest?.(".pool-end");
  const step = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
  if (!end || !step) return;
  event.preventDefault();
  moveEnd(end, Number(end.getAttribute("aria-valuenow")) + step);
}

function dragEnd(event) {
  if (!grip || !event.buttons) return;
  const svg = grip.closest("svg");
  const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  moveEnd(grip, Math.round((at.x - Number(svg.dataset.firstX)) / Number(svg.dataset.pitch)) + 1);
}

export function watchColumn() {
  document.addEventListener("keydown", walk);
  document.addEventListener("keydown", nudge);
  document.addEventListener("pointermove", dragEnd);
  document.addEventListener("pointerup", () => { grip = null; });
  document.addEventListener("pointerdown", (event) => {
    grip = event.target.closest?.(".pool-end") ?? null;
    if (grip) return;
    const tube = event.target.closest?.("[data-tube]");
    if (!tube) return;
    event.target.releasePointerCapture?.(event.pointerId);
    start = Number(tube.dataset.tube);
    take(start, start);
  });
  document.addEventListener("pointermove", (event) => {
    if (start === null || !event.buttons) return;
    const tube = tubeAt(event);
    if (tube) take(start, Number(tube.dataset.tube));
  });
  document.addEventListener("pointerup", () => { start = null; });
}
