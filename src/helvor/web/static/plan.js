// The builder under the finger: kinds are dragged in from the palette, steps are dragged to
// their new place, Alt with an arrow moves the one in focus. The change itself is made in Python.
import { watchWiring } from "./wiring.js";

let tools;
let dragged = null;

const list = () => document.getElementById("steps");
const rows = () => [...document.querySelectorAll("#steps [data-step]")];

function send(values) {
  const { procedure, open } = document.getElementById("main").dataset;
  return htmx.ajax("POST", `/procedures/${procedure}/edit`, {
    source: "#main",
    target: "#main",
    swap: "outerMorph",
    values: { entry: tools.newId(), open: open ?? "", ...values },
  });
}

// Where a drop would go: before the row whose middle is below the pointer.
function placeAt(y) {
  const index = rows().findIndex((row) => {
    const box = row.getBoundingClientRect();
    return y < box.top + box.height / 2;
  });
  return index < 0 ? rows().length : index;
}

function mark(place) {
  for (const row of rows()) row.classList.remove("drop-before", "drop-after");
  if (place === null) return;
  const at = rows()[place];
  if (at) at.classList.add("drop-before");
  else rows().at(-1)?.classList.add("drop-after");
}

function start(event) {
  const row = event.target.closest?.("[data-step][draggable], [data-kind][draggable]");
  if (!row) return;
  dragged = row.dataset.kind ? { op: "add", kind: row.dataset.kind } : { op: "move", step: row.dataset.step };
  event.dataTransfer.effectAllowed = "move";
  event.dataTransfer.setData("text/plain", row.dataset.kind ?? row.dataset.step);
}

function over(event) {
  if (!dragged || !list()?.contains(event.target)) return;
  event.preventDefault();
  mark(placeAt(event.clientY));
}

function drop(event) {
  if (!dragged || !list()?.contains(event.target)) return;
  event.preventDefault();
  let at = placeAt(event.clientY);
  if (dragged.op === "move") {
    const from = rows().findIndex((row) => row.dataset.step === dragged.step);
    if (from < at) at -= 1;
    if (from === at) return end();
  }
  send({ ...dragged, at });
  end();
}

function end() {
  dragged = null;
  mark(null);
}

function keydown(event) {
  if (!event.altKey || !["ArrowUp", "ArrowDown"].includes(event.key)) return;
  const row = event.target.closest?.("#steps [data-step]");
  if (!row) return;
  event.preventDefault();
  const from = rows().indexOf(row);
  const at = from + (event.key === "ArrowUp" ? -1 : 1);
  if (at < 0 || at >= rows().length) return;
  const { step } = row.dataset;
  send({ op: "move", step, at }).then(() => document.querySelector(`#steps [data-step="${step}"] a`)?.focus());
}

// What the shelf knows of a substance goes into the form; every field can still be changed.
function fill(event) {
  const button = event.target.closest?.("[data-fill]");
  const form = button?.closest("form");
  if (!form) return;
  for (const [name, value] of Object.entries(JSON.parse(button.dataset.fill))) {
    const field = form.elements[name];
    if (!field) continue;
    if (field.type === "checkbox") field.checked = value;
    else field.value = value;
  }
  form.elements.amount?.focus();
}

export function watchPlan(given) {
  tools = given;
  document.addEventListener("htmx:after:swap", () => document.querySelector(".step-open")?.scrollIntoView({ block: "nearest" }));
  document.addEventListener("dragstart", start);
  document.addEventListener("dragover", over);
  document.addEventListener("drop", drop);
  document.addEventListener("dragend", end);
  document.addEventListener("keydown", keydown);
  document.addEventListener("click", fill);
  watchWiring(send);
}
