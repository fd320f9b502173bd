// Words typed and not sent, and files chosen and not sent, are there again after a reload. Only forms that write an
// entry are watched; what was sent, or kept for sending, is forgotten here.
import { dropFile, getFile, putFile } from "./kept_files.js";

const SHELF = "helvor-typing";
const DAY = 86400000;

const mine = () => document.body.dataset.account ?? "";
const writes = (form) => form instanceof HTMLFormElement && form.method === "post" && form.querySelector("input[name=entry]");
const field = (form, name) => form.querySelector(`input[type=hidden][name=${name}]`)?.value ?? "";
const keyOf = (form) => [mine(), new URL(form.action).pathname, field(form, "kind"), field(form, "step"), field(form, "strikes")].join(" ");

function shelf() {
  try {
    const all = JSON.parse(localStorage.getItem(SHELF) ?? "{}");
    return Object.fromEntries(Object.entries(all).filter(([, held]) => Date.now() - held.at < DAY));
  } catch {
    return {};
  }
}

function put(all) {
  try {
    localStorage.setItem(SHELF, JSON.stringify(all));
  } catch {
    // A device that is full keeps what was sent; what is being typed is on the screen still.
  }
}

const typedIn = (form) => [...form.elements].filter((one) => one.name && one.type !== "hidden" && one.type !== "file" && one.type !== "submit" && one.tagName !== "BUTTON");

function changed(one) {
  if (one.type === "checkbox" || one.type === "radio") return one.checked !== one.defaultChecked;
  if (one.tagName === "SELECT") return ![...one.options].every((option) => option.selected === option.defaultSelected) && one.value !== "";
  return one.value !== one.defaultValue;
}

const valueOf = (one) => (one.type === "checkbox" || one.type === "radio" ? one.checked : one.value);

function note(form) {
  const all = shelf();
  const key = keyOf(form);
  const fields = typedIn(form).filter(changed).map((one) => [one.name, one.type === "radio" || one.type === "checkbox" ? one.value : "", valueOf(one)]);
  const panel = form.closest("#panel") ? form.dataset.panel ?? lastPanel : "";
  if (fields.length) all[key] = { at: Date.now(), fields, panel, page: location.pathname + location.search };
  else delete all[key];
  put(all);
}

export function forgetTyped(form) {
  if (!writes(form)) return;
  const all = shelf();
  delete all[keyOf(form)];
  put(all);
  if (form.querySelector("input[type=file]")) dropFile(`typing ${keyOf(form)}`).catch(() => {});
}

let lastPanel = "";

async function fill(form) {
  if (form.dataset.filled) return;
  form.dataset.filled = "yes";
  const held = shelf()[keyOf(form)];
  let any = false;
  for (const [name, choice, value] of held?.fields ?? []) {
    const one = typedIn(form).find((other) => other.name === name && (choice === "" || other.value === choice));
    if (!one || changed(one)) continue;
    if (typeof value === "boolean") one.checked = value;
    else one.value = value;
    // Whoever is in the field already goes on typing: that takes the place of what comes back.
    if (one === document.activeElement && one.select) one.select();
    any = true;
    one.dispatchEvent(new Event("input", { bubbles: true }));
  }
  const input = form.querySelector("input[type=file]");
  if (input && !input.files.length) {
    const kept = await getFile(`typing ${keyOf(form)}`).catch(() => null);
    if (kept) {
      const transfer = new DataTransfer();
      transfer.items.add(kept.file);
      input.files = transfer.files;
      any = true;
    }
  }
  if (any) form.classList.add("was-typed");
}

function fillAll(root = document) {
  for (const form of root.querySelectorAll("form")) if (writes(form)) fill(form);
}

// A panel that was open when the page went away is offered again.
function offer() {
  const left = Object.values(shelf()).filter((held) => held.panel && held.page.split("?")[0] === location.pathname);
  const line = document.getElementById("typed-left");
  if (!line || !left.length || !window.htmx) return;
  const button = document.createElement("button");
  button.type = "button";
  button.className = "button";
  button.textContent = "Reopen the form";
  button.addEventListener("click", () => {
    line.hidden = true;
    htmx.ajax("GET", left[0].panel, { target: "#panel-body", swap: "innerHTML" });
  });
  line.replaceChildren(Object.assign(document.createElement("span"), { textContent: "You have an unsent form on this page. " }), button);
  line.hidden = false;
}

export function watchTyping() {
  if (!mine()) return;
  document.addEventListener("input", (event) => {
    const { form } = event.target;
    if (event.isTrusted && writes(form) && event.target.type !== "file") note(form);
  });
  document.addEventListener("change", async (event) => {
    const { form, type, files } = event.target;
    if (type !== "file" || !writes(form) || !event.isTrusted) return;
    const key = `typing ${keyOf(form)}`;
    try {
      if (files[0]) await putFile(key, event.target.name, files[0]);
      else await dropFile(key);
    } catch {
      // Too large for this device: it stays chosen for as long as the page is open.
    }
  });
  document.addEventListener("htmx:before:request", ({ detail: { ctx } }) => {
    const target = ctx.target === "#panel-body" || ctx.target?.id === "panel-body";
    if (target && ctx.request.method === "GET") lastPanel = ctx.request.action;
  });
  document.addEventListener("htmx:after:swap", () => fillAll());
  document.getElementById("panel")?.addEventListener("close", () => {
    // Closed by hand it is not wanted any more.
    put(Object.fromEntries(Object.entries(shelf()).filter(([, held]) => !held.panel || held.page.split("?")[0] !== location.pathname)));
  });
  fillAll();
  offer();
}
