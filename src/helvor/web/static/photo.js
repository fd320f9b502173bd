// A photograph of a plate: corners under the finger, spots moved and added on the straightened plate.
// What a place means is worked out on the server; here only millimetres are shown.
const STEP = 0.004;
let drag = null;

const photo = () => document.getElementById("photo");
const flat = () => document.getElementById("flat");

function place(svg, event) {
  return new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
}

function setCorner(corner, x, y) {
  const { wide, high } = photo().dataset;
  corner.dataset.x = Math.min(wide, Math.max(0, x));
  corner.dataset.y = Math.min(high, Math.max(0, y));
  corner.setAttribute("transform", `translate(${corner.dataset.x} ${corner.dataset.y})`);
  const corners = [...photo().querySelectorAll(".corner")].map((c) => [Number(c.dataset.x), Number(c.dataset.y)]);
  for (const line of photo().querySelectorAll(".outline")) line.setAttribute("points", corners.map((c) => c.join(",")).join(" "));
  document.getElementById("corners").value = corners.map(([a, b]) => `${(a / wide).toFixed(5)} ${(b / high).toFixed(5)}`).join(" ");
}

function setSpot(group, mm) {
  const index = group.dataset.index;
  const { origin, height } = flat().dataset;
  const up = Math.max(0, Math.min(Number(height), mm));
  group.setAttribute("transform", `translate(0 ${Number(origin) - up - Number(group.dataset.y)})`);
  const row = document.querySelector(`[data-row="${index}"]`);
  row.querySelector(".mm").value = up.toFixed(1);
  row.querySelector("[name=keep]").checked = true;
  // Its Rf is worked out on the server, at its own place between origin and front, when it is kept.
  row.querySelector(".rf").textContent = "moved";
}

function down(event) {
  if (event.button > 0) return;
  const corner = event.target.closest?.("#photo .corner");
  const spot = event.target.closest?.("#flat .proposed");
  if (!corner && !spot) return;
  const target = corner ?? spot;
  target.setPointerCapture(event.pointerId);
  drag = { corner, spot, pointer: event.pointerId, moved: false, from: { x: event.clientX, y: event.clientY } };
}

function move(event) {
  if (!drag || event.pointerId !== drag.pointer) return;
  if (!drag.moved && Math.hypot(event.clientX - drag.from.x, event.clientY - drag.from.y) < 3) return;
  drag.moved = true;
  if (drag.corner) {
    const at = place(photo(), event);
    setCorner(drag.corner, at.x, at.y);
  } else setSpot(drag.spot, Number(flat().dataset.origin) - place(flat(), event).y);
}

function release(event) {
  if (!drag || event.pointerId !== drag.pointer) return;
  const { corner, moved } = drag;
  drag = null;
  // The whole reading hangs on the corners, so it is done anew.
  if (corner && moved) document.getElementById("corners-form").requestSubmit();
}

function keydown(event) {
  const corner = event.target.closest?.("#photo .corner");
  if (!corner) return;
  const step = { ArrowUp: [0, -1], ArrowDown: [0, 1], ArrowLeft: [-1, 0], ArrowRight: [1, 0] }[event.key];
  if (step) {
    event.preventDefault();
    const by = Number(photo().dataset.wide) * STEP * (event.shiftKey ? 5 : 1);
    setCorner(corner, Number(corner.dataset.x) + step[0] * by, Number(corner.dataset.y) + step[1] * by);
  } else if (event.key === "Enter") document.getElementById("corners-form").requestSubmit();
}

function click(event) {
  const tab = event.target.closest?.("[data-profile]");
  if (tab) return showLane(tab.dataset.profile);
  const lane = event.target.closest?.("#flat .lane-add");
  if (!lane) return;
  const adding = [...document.querySelectorAll(".proposals .adding")];
  let row = adding.find((r) => !r.querySelector(".mm").value);
  if (!row) {
    row = adding[0].cloneNode(true);
    adding.at(-1).after(row);
  }
  const up = Math.max(0, Number(flat().dataset.origin) - place(flat(), event).y);
  row.querySelector("select").value = lane.dataset.lane;
  row.querySelector(".mm").value = up.toFixed(1);
  mark(Number(lane.getAttribute("x")) + 4, Number(flat().dataset.origin) - up);
}

function mark(x, y) {
  const ring = document.createElementNS("http://www.w3.org/2000/svg", "ellipse");
  for (const [name, value] of Object.entries({ class: "ring added", cx: x, cy: y, rx: 2.4, ry: 2 })) ring.setAttribute(name, value);
  flat().append(ring);
}

function showLane(index) {
  for (const tab of document.querySelectorAll("[data-profile]")) tab.setAttribute("aria-pressed", String(tab.dataset.profile === index));
  for (const figure of document.querySelectorAll("[data-lane-profile]")) figure.hidden = figure.dataset.laneProfile !== index;
}

function typed(event) {
  const row = event.target.closest?.("[data-row]");
  if (!row || !event.target.classList.contains("mm")) return;
  const mm = Number(event.target.value.replace(",", "."));
  const group = flat().querySelector(`[data-index="${row.dataset.row}"]`);
  if (group && Number.isFinite(mm)) group.setAttribute("transform", `translate(0 ${Number(flat().dataset.origin) - mm - Number(group.dataset.y)})`);
}

export function watchPhoto() {
  document.addEventListener("pointerdown", down);
  document.addEventListener("pointermove", move);
  document.addEventListener("pointerup", release);
  document.addEventListener("pointercancel", () => { drag = null; });
  document.addEventListener("keydown", keydown);
  document.addEventListener("click", click);
  document.addEventListener("change", typed);
}
