// Take reading: beside every field that takes grams or degrees, the instruments that give them. Only what a display
// shows at rest fills a field; of anything else the page says what happened, and the field stays as it was.
let known; // the instruments, asked for once

async function instruments() {
  known ??= fetch("/api/devices").then((answer) => (answer.ok ? answer.json() : []), () => []);
  return known;
}

const usual = (unit) => localStorage.getItem(`instrument ${unit}`) ?? "";

async function offer() {
  const fields = [...document.querySelectorAll("input[data-takes]:not([data-offered])")];
  if (!fields.length) return;
  for (const field of fields) field.dataset.offered = "";
  const found = await instruments();
  for (const field of fields) {
    const unit = field.dataset.takes;
    const fit = found.filter((one) => one.unit === unit && one.kind !== "oven");
    if (!fit.length || !field.isConnected) continue;
    const line = document.createElement("div");
    line.className = "take";
    const select = document.createElement("select");
    select.className = "select";
    select.setAttribute("aria-label", "Instrument");
    for (const one of fit) select.append(new Option(one.called, one.name, false, one.name === usual(unit)));
    const button = document.createElement("button");
    button.type = "button";
    button.className = "button";
    button.textContent = "Take reading";
    const says = document.createElement("p");
    says.className = "take-says";
    says.setAttribute("role", "status");
    line.append(select, button, says);
    (field.closest(".weigh-row") ?? field.closest(".field") ?? field).after(line);
    button.addEventListener("click", () => take(field, unit, select, button, says));
  }
}

async function take(field, unit, select, button, says) {
  localStorage.setItem(`instrument ${unit}`, select.value);
  const name = select.selectedOptions[0].textContent;
  button.disabled = true;
  says.className = "take-says";
  says.textContent = `${name}: waiting for a stable value …`;
  let taken = { shown: "", doubt: `The connection is lost. Nothing was saved; type what ${name} shows.` };
  try {
    const answer = await fetch(`/api/devices/${select.value}/reading?unit=${encodeURIComponent(unit)}`);
    if (answer.ok) taken = await answer.json();
  } catch { /* said above */ }
  button.disabled = false;
  if (taken.doubt || !taken.shown) {
    says.className = "take-says is-doubt";
    says.textContent = taken.doubt;
    return;
  }
  says.textContent = `${name}: ${taken.shown}, stable.`;
  field.value = taken.shown;
  field.dispatchEvent(new Event("input", { bubbles: true }));
  const balance = unit === "g" && field.form?.elements.balance;
  if (balance && !balance.value) balance.value = name;
}

export function watchDevices() {
  document.addEventListener("htmx:after:swap", offer);
  offer();
}
