// The balance follows what is typed; timers count, also past their time.
export const shown = (seconds) => {
  const all = Math.abs(Math.round(seconds));
  const hours = Math.floor(all / 3600);
  const rest = `${String(Math.floor(all / 60) % 60).padStart(hours ? 2 : 1, "0")}:${String(all % 60).padStart(2, "0")}`;
  return `${seconds < 0 ? "+" : ""}${hours ? `${hours}:` : ""}${rest}`;
};

function tick() {
  for (const time of document.querySelectorAll("time[data-due]")) {
    const left = (Date.parse(time.dataset.due) - Date.now()) / 1000;
    time.textContent = shown(left);
    time.closest(".timer")?.classList.toggle("is-due", left < 0);
  }
  for (const word of document.querySelectorAll("[data-due-svg]")) {
    word.textContent = shown((Date.parse(word.dataset.dueSvg) - Date.now()) / 1000);
  }
  for (const clock of document.querySelectorAll("[data-clock]")) {
    clock.textContent = new Date().toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit", timeZone: clock.dataset.clock });
  }
}

function mirror(field) {
  const display = document.getElementById("pan-shows");
  if (display) display.textContent = `${field.value.trim() || "0.000"} g`;
}

// Counts the swirls before a vent: flashes and shakes when it is time, so it works with the sound off.
let swirling = 0;
function countSwirls() {
  const button = document.querySelector("button[data-swirls]");
  const field = button?.closest("form")?.querySelector("[name=entry]")?.value;
  if (!button || button.dataset.counting === field || !document.querySelector("[data-count-swirls]:checked")) return;
  button.dataset.counting = field;
  clearInterval(swirling);
  let left = Number(button.dataset.swirls);
  const show = () => { button.querySelector(".swirl-count").textContent = left > 0 ? left : ""; };
  show();
  swirling = setInterval(() => {
    left -= 1;
    if (!button.isConnected || left < 0) { clearInterval(swirling); return; }
    show();
    if (left === 0) {
      button.classList.add("is-venting");
      navigator.vibrate?.([120, 80, 120]);
    }
  }, 1000);
}

export function watchBench() {
  document.addEventListener("input", (event) => {
    if (event.target.id === "w-mass") mirror(event.target);
  });
  document.addEventListener("click", (event) => {
    const key = event.target.closest?.("[data-key]")?.dataset.key;
    const field = key && document.getElementById("w-mass");
    if (!field) return;
    field.value = key === "back" ? field.value.slice(0, -1) : field.value + key;
    field.dispatchEvent(new Event("input", { bubbles: true }));
  });
  document.addEventListener("change", (event) => {
    if (event.target.matches?.("[data-count-swirls]")) {
      localStorage.setItem("count-swirls", event.target.checked ? "yes" : "");
      countSwirls();
    }
  });
  const countHere = () => {
    const box = document.querySelector("[data-count-swirls]");
    if (box) box.checked = localStorage.getItem("count-swirls") === "yes";
    countSwirls();
  };
  document.addEventListener("htmx:after:swap", countHere);
  countHere();
  setInterval(tick, 1000);
  tick();
}
