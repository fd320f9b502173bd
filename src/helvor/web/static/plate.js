// The plate under the finger. The browser moves and shows millimetres; what a position
// means is worked out on the server when it is dropped.
const SNAP = 0.5;
const SETTLE = 700;
let tools;
let drag = null;
let nudged = null;

const main = () => document.getElementById("main");
const drawing = () => document.getElementById("tlc");
const snap = (mm) => Math.round(mm / SNAP) * SNAP;

function toDrawing(event) {
  const matrix = drawing().getScreenCTM().inverse();
  return new DOMPoint(event.clientX, event.clientY).matrixTransform(matrix);
}

// How far up something may go: a line to the plate's top, a spot too (past the front is said, not hidden).
function limits(handle) {
  const { height, origin } = drawing().dataset;
  return handle.dataset.drop === "origin" ? [0, Number(height) - SNAP] : [handle.dataset.drop === "front" ? SNAP : 0, Number(origin)];
}

function place(handle, mm) {
  handle.setAttribute("transform", `translate(0 ${Number(handle.dataset.mm) - mm})`);
  handle.setAttribute("aria-valuenow", mm);
  handle.setAttribute("aria-valuetext", `${mm.toFixed(1)} mm`);
  handle.classList.add("is-dragged");
  readout(mm.toFixed(1), handle);
}

function readout(text, handle) {
  const svg = drawing();
  const live = document.getElementById("live-mm");
  if (live && handle.classList.contains("chosen")) live.textContent = text;
  document.getElementById("measure")?.setAttribute("visibility", "hidden");
  let label = document.getElementById("drag-mm");
  if (!label) {
    label = document.createElementNS("http://www.w3.org/2000/svg", "text");
    label.id = "drag-mm";
    label.setAttribute("class", "n b");
    label.setAttribute("aria-hidden", "true");
    svg.append(label);
  }
  const px = Number(svg.dataset.px);
  label.setAttribute("font-size", 17 * px);
  const box = svg.viewBox.baseVal;
  label.setAttribute("x", box.x + box.width - 88 * px);
  label.setAttribute("y", Number(handle.dataset.y) + Number(handle.dataset.mm) - Number(text) + 6 * px);
  label.textContent = `${text}`;
}

function putBack(handle) {
  handle.removeAttribute("transform");
  handle.classList.remove("is-dragged");
  handle.setAttribute("aria-valuenow", handle.dataset.mm);
  document.getElementById("drag-mm")?.remove();
  document.getElementById("measure")?.removeAttribute("visibility");
  const live = document.getElementById("live-mm");
  if (live && handle.classList.contains("chosen")) live.textContent = Number(handle.dataset.mm).toFixed(1);
}

function send(values) {
  const { plate, view, spot } = main().dataset;
  const all = { entry: tools.newId(), view, spot, ...values };
  return htmx.ajax("POST", `/plates/${plate}/drop`, { source: "#main", target: "#main", swap: "outerMorph", values: all });
}

function drop(handle, mm, by) {
  const { drop: what, key } = handle.dataset;
  send({ what, ...(key && { key }), distance: mm.toFixed(1), by });
}

function choose(key) {
  const { plate, view } = main().dataset;
  htmx.ajax("GET", `/plates/${plate}?view=${view}&spot=${key}`, { source: "#main", target: "#main", swap: "outerMorph" });
}

function openPanel(kind, query) {
  const { plate, view, spot } = main().dataset;
  htmx.ajax("GET", `/plates/${plate}/edit/${kind}?${query}&view=${view}&spot=${spot}`, { target: "#panel-body", swap: "innerHTML" });
}

function down(event) {
  const handle = event.target.closest?.("#tlc .handle");
  if (!handle || event.button > 0) return;
  commitNudge();
  drag = { handle, from: toDrawing(event).y, mm: Number(handle.dataset.mm), moved: false, pointer: event.pointerId };
  handle.setPointerCapture(event.pointerId);
}

function move(event) {
  if (!drag || event.pointerId !== drag.pointer) return;
  const [low, high] = limits(drag.handle);
  const up = drag.from - toDrawing(event).y;
  const px = Number(drawing().dataset.px);
  if (!drag.moved && Math.abs(up) < 3 * px) return;
  drag.moved = true;
  drag.mm = Math.min(high, Math.max(low, snap(Number(drag.handle.dataset.mm) + up)));
  place(drag.handle, drag.mm);
}

function release(event) {
  if (!drag || event.pointerId !== drag.pointer) return;
  const { handle, moved, mm } = drag;
  drag = null;
  if (!moved) {
    if (handle.dataset.drop === "spot") choose(handle.dataset.key);
  } else if (mm === Number(handle.dataset.mm)) putBack(handle);
  else drop(handle, mm, "drawing");
}

function cancel() {
  if (drag) putBack(drag.handle);
  drag = null;
}

function nudge(handle, by) {
  if (nudged && nudged.handle !== handle) commitNudge();
  const [low, high] = limits(handle);
  const from = nudged ? nudged.mm : Number(handle.dataset.mm);
  const mm = Math.min(high, Math.max(low, snap(from + by)));
  clearTimeout(nudged?.timer);
  nudged = { handle, mm, timer: setTimeout(commitNudge, SETTLE) };
  place(handle, mm);
}

function commitNudge() {
  if (!nudged) return;
  const { handle, mm, timer } = nudged;
  clearTimeout(timer);
  nudged = null;
  if (mm !== Number(handle.dataset.mm)) drop(handle, mm, "keys");
  else putBack(handle);
}

function keydown(event) {
  if (event.key === "Escape") {
    if (drag) cancel();
    if (nudged) {
      clearTimeout(nudged.timer);
      putBack(nudged.handle);
      nudged = null;
    }
    return;
  }
  const lane = event.target.closest?.("#tlc .lane-hit");
  if (lane && (event.key === "Enter" || event.key === " ")) {
    event.preventDefault();
    openPanel("spot", `lane=${lane.dataset.lane}`);
    return;
  }
  const handle = event.target.closest?.("#tlc .handle");
  if (!handle) return;
  const step = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key];
  if (step) {
    event.preventDefault();
    nudge(handle, step * (event.shiftKey ? 5 : SNAP));
  } else if (handle.dataset.drop === "spot" && event.key === "Enter") {
    event.preventDefault();
    openPanel("spot", `key=${handle.dataset.key}`);
  } else if (handle.dataset.drop === "spot" && (event.key === "Delete" || event.key === "Backspace")) {
    event.preventDefault();
    openPanel("struck", `key=${handle.dataset.key}`);
  }
}

function click(event) {
  const button = event.target.closest?.("[data-nudge]");
  if (button) {
    const chosen = drawing()?.querySelector(".handle.chosen");
    if (chosen) nudge(chosen, Number(button.dataset.nudge));
    return;
  }
  const lane = event.target.closest?.("#tlc .lane-hit");
  if (!lane) return;
  const mm = snap(Number(drawing().dataset.origin) - toDrawing(event).y);
  send({ what: "new-spot", key: lane.dataset.lane, distance: Math.max(0, mm).toFixed(1) });
}

export function watchPlate(given) {
  tools = given;
  document.addEventListener("pointerdown", down);
  document.addEventListener("pointermove", move);
  document.addEventListener("pointerup", release);
  document.addEventListener("pointercancel", cancel);
  document.addEventListener("keydown", keydown);
  document.addEventListener("click", click);
  document.addEventListener("focusout", (event) => { if (nudged && event.target === nudged.handle) commitNudge(); });
  // Leaving the page with a nudge under way writes it.
  addEventListener("pagehide", commitNudge);
}
