// Drills answered on the drawing: what is clicked presses its button, lines on a plate follow the finger and the ranges.
const form = document.getElementById("drill");
const plate = document.getElementById("drill-plate");

form?.addEventListener("click", (event) => {
  const pick = event.target.closest?.("[data-pick]")?.dataset.pick;
  if (pick) form.querySelector(`.drill-choices button[value="${CSS.escape(pick)}"]`)?.click();
});

// Steps take the next place as they are tapped; the lists beside them say the same for keys and readers.
form?.addEventListener("click", (event) => {
  const step = event.target.closest?.("[data-order]");
  if (!step || event.target.closest("select, label") && event.target.tagName === "SELECT") return;
  const mine = step.querySelector("select");
  if (mine.disabled || mine.value) return;
  event.preventDefault();
  const taken = new Set([...form.querySelectorAll("[data-order] select")].map((one) => one.value));
  mine.value = [...mine.options].map((one) => one.value).find((one) => one && !taken.has(one)) ?? "";
});

function show(name) {
  const range = form.elements[name];
  const line = plate.querySelector(`[data-mark="${name}"]`);
  line.querySelector("path").setAttribute("d", `M-2 ${100 - range.value}h56`);
  line.querySelector("text").setAttribute("y", 101.1 - range.value);
  form.querySelector(`output[for="${range.id}"]`).textContent = `${Number(range.value).toFixed(1)} mm`;
}

if (plate) {
  let held = "";
  const height = (event) => 100 - new DOMPoint(event.clientX, event.clientY).matrixTransform(plate.getScreenCTM().inverse()).y;
  const move = (event) => {
    form.elements[held].value = height(event);
    show(held);
  };
  for (const name of ["front", "spot"]) form.elements[name].addEventListener("input", () => show(name));
  plate.addEventListener("pointerdown", (event) => {
    if (form.elements.front.disabled) return;
    const at = height(event);
    held = Math.abs(form.elements.front.value - at) <= Math.abs(form.elements.spot.value - at) ? "front" : "spot";
    plate.setPointerCapture(event.pointerId);
    event.preventDefault();
    move(event);
  });
  plate.addEventListener("pointermove", (event) => { if (held) move(event); });
  for (const end of ["pointerup", "pointercancel"]) plate.addEventListener(end, () => { held = ""; });
}
