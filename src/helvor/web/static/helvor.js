// What every page does: keys, panels, the token on writes, readings kept while offline.
import { shown, watchBench } from "./bench.js";
import { watchBoard } from "./board.js";
import { watchColumn } from "./column.js";
import { watchDevices } from "./devices.js";
import { watchInk } from "./ink.js";
import { isOurs, keepIfLost, watchOutbox } from "./outbox.js";
import { watchPlan } from "./plan.js";
import { watchPhoto } from "./photo.js";
import { watchPlate } from "./plate.js";
import { watchScan } from "./scan.js";
import { watchTimers } from "./timers.js";
import { forgetTyped, watchTyping } from "./typing.js";

export function cookie(name) {
  const pair = document.cookie.split("; ").find((part) => part.startsWith(`${name}=`));
  return pair ? decodeURIComponent(pair.slice(name.length + 1)) : "";
}

// crypto.randomUUID is there only on secure addresses; a class tablet may come by plain http.
export function newId() {
  if (crypto.randomUUID) return crypto.randomUUID();
  const b = crypto.getRandomValues(new Uint8Array(16));
  b[6] = (b[6] & 0x0f) | 0x40;
  b[8] = (b[8] & 0x3f) | 0x80;
  const hex = [...b].map((x) => x.toString(16).padStart(2, "0")).join("");
  return hex.replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, "$1-$2-$3-$4-$5");
}

export function say(text) {
  const line = document.getElementById("said");
  if (line) line.textContent = text;
}

const panel = document.getElementById("panel");
const keys = document.getElementById("keys");

document.addEventListener("htmx:config:request", (event) => {
  const { request } = event.detail.ctx;
  if (request.method !== "GET") request.headers["X-CSRF-Token"] = cookie("helvor_csrf");
});

// What is not from us, or says that something broke, never takes the place of what somebody is typing into.
document.addEventListener("htmx:before:swap", (event) => {
  const { response, hx } = event.detail.ctx ?? {};
  if (response && (!isOurs(response) || (response.status >= 500 && !hx?.retarget))) event.preventDefault();
});

document.addEventListener("htmx:after:swap", (event) => {
  const target = event.detail.ctx?.target;
  // An answer that names its own target (a form with its troubles) leaves a selector here, not an element.
  const isPanel = target === "#panel-body" || target?.id === "panel-body";
  if (isPanel && document.getElementById("panel-body").firstElementChild && !panel.open) {
    panel.showModal();
    panel.querySelector("[aria-invalid] , input:not([type=hidden]), select")?.focus();
  }
});

// A written form gets a fresh id, so that the next reading from it is another entry.
function afterWriting(form) {
  if (form) forgetTyped(form);
  const id = form?.querySelector?.("input[name=entry]");
  if (id) id.value = newId();
}

// Kept on this device: the line is free for the next reading, which is another entry.
function keptOf(request) {
  if (!keepIfLost(request)) return false;
  afterWriting(request.form);
  const line = request.form?.querySelector("#read");
  if (line) line.value = "";
  return true;
}

document.addEventListener("helvor:written", () => {
  if (panel.open) panel.close();
  const said = (document.getElementById("answers") ?? document.getElementById("main"))?.dataset.said;
  if (said) setTimeout(() => say(said), 50);
});

// Drawings of the page at hand, each as a file of its own; small marks beside words are none.
document.addEventListener("toggle", (event) => {
  const menu = event.target;
  if (!(menu instanceof HTMLDetailsElement) || !menu.open || !menu.hasAttribute("data-drawings")) return;
  const list = menu.querySelector(".person-menu");
  list.querySelectorAll(".drawing-link").forEach((link) => link.remove());
  const seen = new Set(["kind"]);
  for (const drawing of document.querySelectorAll("main svg[class]")) {
    const name = drawing.classList[0];
    if (seen.has(name) || drawing.getBoundingClientRect().width < 120) continue;
    seen.add(name);
    const address = new URL(document.getElementById("main").dataset.reload ?? location.href, location.href);
    address.searchParams.set("svg", name);
    const link = document.createElement("a");
    link.className = "button drawing-link";
    link.href = address;
    link.download = `${name}.svg`;
    link.textContent = `${(drawing.getAttribute("aria-label") ?? name).split(/[.,:;]/)[0]}, SVG`;
    list.append(link);
  }
}, true);

document.addEventListener("htmx:after:request", (event) => {
  const { ctx } = event.detail;
  if (ctx.request.method !== "POST" || ctx.response.status >= 300) return;
  // A page of somebody else's, such as a network that asks for a sign-in of its own, has written nothing.
  if (!isOurs(ctx.response)) {
    keptOf(ctx.request);
    return;
  }
  say("");
  afterWriting(ctx.request.form);
  const line = ctx.request.form?.querySelector("#read");
  if (line) {
    line.value = "";
    setTimeout(() => document.getElementById("read")?.focus(), 30);
  }
});

document.addEventListener("htmx:error", (event) => {
  const { ctx } = event.detail;
  if (!ctx?.request || ctx.response) return;
  if (keptOf(ctx.request) && panel.open) panel.close();
});

document.addEventListener("htmx:response:error", (event) => {
  const { ctx } = event.detail;
  const { status } = ctx.response;
  if ((status >= 500 || status === 429) && keptOf(ctx.request)) return;
  // The form's id was used before for other words: sent again, these are another entry.
  if (status === 409 && ctx.request.form?.querySelector("input[name=entry]")) ctx.request.form.querySelector("input[name=entry]").value = newId();
  if (status >= 500) {
    const line = document.getElementById("said");
    line.innerHTML = '<span class="is-stop said-trouble"></span>';
    line.firstChild.textContent = ctx.request.method === "POST"
      ? "Something went wrong on the server and nothing was saved. What you typed is still here; try again."
      : "Something went wrong on the server. Your record is safe; reload the page.";
  }
});

panel?.addEventListener("close", () => document.getElementById("panel-body").replaceChildren());

document.addEventListener("click", (event) => {
  if (event.target.closest("[data-closes]")) event.target.closest("dialog")?.close();
  if (event.target.closest("[data-prints]")) window.print();
  const opener = event.target.closest("[data-opens]");
  if (opener) document.getElementById(opener.dataset.opens).showModal();
  const word = event.target.closest("[data-complete]");
  if (word) complete(word.dataset.complete);
  if (event.target.closest("[data-takes-back]")) takeBack();
  // Menus close when something else is pressed.
  for (const menu of document.querySelectorAll("details.person[open], details.menu[open]")) {
    if (!menu.contains(event.target)) menu.open = false;
  }
});

function complete(text) {
  const line = document.getElementById("read");
  if (!line) return;
  line.value = text;
  line.focus();
  line.dispatchEvent(new Event("input", { bubbles: true }));
}

// The last thing written is taken back; after a minute the line asks why.
function takeBack() {
  const line = document.getElementById("read");
  if (line.value.trim()) return line.focus();
  line.value = "undo";
  line.form.requestSubmit();
}

function typing(element) {
  return element.closest("input:not([type=checkbox]):not([type=radio]), textarea, select, [contenteditable]");
}

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.target.id === "read" && event.key === "Tab" && !event.shiftKey) {
    const first = document.querySelector("#understood [data-complete]");
    if (first && event.target.value.trim()) {
      event.preventDefault();
      complete(first.dataset.complete);
    }
    return;
  }
  if (typing(event.target) || document.querySelector("dialog[open]")) return;
  const focus = { "/": "find", r: "read", a: "palette-first" }[event.key];
  if (focus && document.getElementById(focus)) {
    event.preventDefault();
    document.getElementById(focus).focus();
  } else if (event.key === "u" && document.getElementById("read")) {
    event.preventDefault();
    takeBack();
  } else if (event.key === "?" && keys) {
    event.preventDefault();
    keys.showModal();
  }
});

watchBench();
watchColumn();
watchDevices();
watchInk({ say, newId });
watchBoard();
watchTimers(shown);
watchPlan({ newId });
watchPlate({ newId, panel });
watchPhoto();
watchScan({ complete, say });
// A slider moves the number beside it; the form listens to the number.
document.addEventListener("input", (event) => {
  const number = document.getElementById(event.target.dataset?.slides ?? "");
  if (!number) return;
  event.stopPropagation();
  number.value = event.target.value;
  number.dispatchEvent(new Event("input", { bubbles: true }));
}, { capture: true });
watchOutbox({ cookie, newId });
watchTyping();

// A bench's pages open again without a connection, as they were last seen; only where the address is a secure one.
if (navigator.serviceWorker && document.body.dataset.account) {
  const views = () => [location.href, ...[...document.querySelectorAll('#main a[href^="/runs/"][href*="step="], #main a[href^="/runs/"][href*="view="], #main a[href^="/plates/"][href*="view="]')].map((link) => link.href)];
  const tell = () => navigator.serviceWorker.ready.then((worker) => worker.active?.postMessage({ account: document.body.dataset.account, views: [...new Set(views())].slice(0, 40) }));
  navigator.serviceWorker.register("/worker.js").then(() => setTimeout(tell, 1500)).catch(() => {});
}
