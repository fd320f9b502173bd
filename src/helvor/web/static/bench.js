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
  setInterval(tick, 1000);
  tick();
}
