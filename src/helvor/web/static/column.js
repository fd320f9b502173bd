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

export function watchColumn() {
  document.addEventListener("keydown", walk);
  document.addEventListener("pointerdown", (event) => {
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
