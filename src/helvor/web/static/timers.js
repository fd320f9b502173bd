// What is due next, wherever one is: in the top bar, the title, the badge, and a soft sound that can be off.
const EVERY = 15000;
const OFF = "helvor-sound-off";
let alarms = [];
let title = "";
let rung = new Set();
let audio = null;

function soundOn() {
  return localStorage.getItem(OFF) !== "1";
}

// Two soft notes; browsers allow sound only after something was pressed on the page.
function ring() {
  if (!soundOn() || !audio || audio.state !== "running") return;
  for (const [start, pitch] of [[0, 660], [0.22, 880]]) {
    const tone = audio.createOscillator();
    const level = audio.createGain();
    const at = audio.currentTime + start;
    tone.frequency.value = pitch;
    level.gain.setValueAtTime(0, at);
    level.gain.linearRampToValueAtTime(0.06, at + 0.03);
    level.gain.exponentialRampToValueAtTime(0.0001, at + 0.5);
    tone.connect(level).connect(audio.destination);
    tone.start(at);
    tone.stop(at + 0.55);
  }
}

function show(shown) {
  const slot = document.getElementById("due");
  const now = Date.now();
  const due = alarms.filter((alarm) => Date.parse(alarm.due) <= now);
  const next = alarms.find((alarm) => Date.parse(alarm.due) > now) ?? due.at(-1);
  for (const alarm of due) {
    const name = `${alarm.address} ${alarm.label} ${alarm.due}`;
    if (rung.has(name)) continue;
    rung.add(name);
    if (now - Date.parse(alarm.due) < 60000) ring();
  }
  document.title = due.length ? `(${due.length} due) ${title}` : title;
  if (due.length) navigator.setAppBadge?.(due.length).catch(() => {});
  else navigator.clearAppBadge?.().catch(() => {});
  if (!slot) return;
  slot.hidden = !next;
  if (!next) return;
  slot.href = next.address;
  slot.querySelector("span").textContent = next.where === "All" ? next.label : next.where;
  const left = (Date.parse(next.due) - now) / 1000;
  slot.querySelector("b").textContent = shown(left);
  slot.classList.toggle("is-due", left <= 0);
  slot.title = next.label;
}

export function watchTimers(shown) {
  title = document.title;
  const slot = document.getElementById("due");
  if (!slot) return;
  const ask = async () => {
    try {
      const response = await fetch("/timers", { headers: { Accept: "application/json" } });
      if (response.ok) alarms = await response.json();
    } catch {
      // Without a connection the timers known so far go on counting.
    }
    show(shown);
  };
  const toggle = document.getElementById("sound");
  if (toggle) {
    toggle.checked = soundOn();
    toggle.addEventListener("change", () => localStorage.setItem(OFF, toggle.checked ? "0" : "1"));
  }
  addEventListener("pointerdown", () => {
    if (window.AudioContext) audio ??= new AudioContext();
  }, { once: true });
  document.addEventListener("helvor:written", () => setTimeout(ask, 200));
  document.addEventListener("visibilitychange", () => document.hidden || ask());
  setInterval(ask, EVERY);
  setInterval(() => show(shown), 1000);
  ask();
}
