// The wiring of a procedure under the finger: the dot of a step is dragged onto another portion's line, or led there
// with the arrow keys. Which portions there are, and the change itself, is Python's.
let send;

const says = (words) => {
  const line = document.getElementById("wire-says");
  if (line) line.textContent = words;
};

const others = (end) => end.dataset.others.split("|").filter(Boolean);

function rewire(end, portion) {
  const { step, portion: old } = end.dataset;
  return send({ op: "rewire", step, old, new: portion }).then(() => {
    document.getElementById("wiring")?.setAttribute("open", "");
    document.querySelector(`.wire-end[data-step="${step}"]`)?.focus();
    says(`Step now works on ${portion}.`);
  });
}

// Where the pointer is, in the drawing's own units.
function at(svg, event) {
  return new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
}

function under(svg, point, allowed) {
  let best = null;
  for (const from of svg.querySelectorAll(".wire-from")) {
    if (!allowed.includes(from.dataset.lane)) continue;
    const [x, y] = [from.cx.baseVal.value, from.cy.baseVal.value];
    // The lane itself counts as well as the dot that it starts from.
    const far = Math.abs(point.x - x) + Math.max(0, y - point.y) + Math.max(0, point.y - y) / 8;
    if (!best || far < best.far) best = { from, far };
  }
  return best && best.far < 60 ? best.from : null;
}

function press(event) {
  const end = event.target.closest?.(".wire-end");
  if (!end || !others(end).length || event.button) return;
  event.preventDefault();
  end.focus();
  const svg = end.closest("svg");
  const dot = end.querySelector(".wire-dot");
  const line = document.createElementNS("http://www.w3.org/2000/svg", "line");
  line.setAttribute("class", "wire-drag");
  line.setAttribute("x1", dot.cx.baseVal.value);
  line.setAttribute("y1", dot.cy.baseVal.value);
  let target = null;
  const move = (moved) => {
    const point = at(svg, moved);
    line.setAttribute("x2", point.x);
    line.setAttribute("y2", point.y);
    if (!line.parentNode) svg.append(line);
    target?.classList.remove("is-under");
    target = under(svg, point, others(end));
    target?.classList.add("is-under");
    says(target ? `Let go to work on ${target.dataset.lane}.` : "Drag onto another portion’s line.");
  };
  const stop = () => {
    window.removeEventListener("pointermove", move);
    line.remove();
    target?.classList.remove("is-under");
  };
  window.addEventListener("pointermove", move);
  window.addEventListener("pointercancel", stop, { once: true });
  window.addEventListener(
    "pointerup",
    () => {
      stop();
      if (target) rewire(end, target.dataset.lane);
    },
    { once: true },
  );
}

function key(event) {
  const end = event.target.closest?.(".wire-end");
  if (!end) return;
  const list = [end.dataset.portion, ...others(end)];
  const now = list.indexOf(end.dataset.chosen ?? end.dataset.portion);
  if (event.key === "ArrowDown" || event.key === "ArrowUp") {
    event.preventDefault();
    end.dataset.chosen = list[(now + (event.key === "ArrowDown" ? 1 : list.length - 1)) % list.length];
    for (const from of document.querySelectorAll(".wire-from")) from.classList.toggle("is-under", from.dataset.lane === end.dataset.chosen);
    says(end.dataset.chosen === end.dataset.portion ? `Works on ${end.dataset.portion}.` : `Enter: work on ${end.dataset.chosen}.`);
  } else if (event.key === "Escape") {
    delete end.dataset.chosen;
    says(`Works on ${end.dataset.portion}.`);
  } else if (event.key === "Enter" && end.dataset.chosen && end.dataset.chosen !== end.dataset.portion) {
    event.preventDefault();
    rewire(end, end.dataset.chosen);
  }
}

export function watchWiring(given) {
  send = given;
  document.addEventListener("pointerdown", press);
  document.addEventListener("keydown", key);
}
