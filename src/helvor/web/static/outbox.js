// What could not be written stays on this device until the server says that it is in ink, or somebody discards it.
// Each reading carries its entry id, so sending it again never writes it twice; it is sent only for who typed it.
import { dropFile, getFile, putFile } from "./kept_files.js";
import { forgetTyped } from "./typing.js";

const SHELF = "helvor-outbox";
const SENDER = "helvor-outbox-sender";
const FIRST_PAUSE = 3000;
const LONGEST_PAUSE = 300000;
const LEASE = 20000;
// What these say is about the reading itself: it waits for somebody to look at it, not for a better moment.
const ABOUT_THE_READING = [400, 404, 409, 410, 413, 415, 422];
const NOT_A_VALUE = ["csrf", "entry", "kind", "step", "view", "text", "portion", "strikes", "reason", "back"];

const tab = Math.random().toString(36).slice(2);
let readCookie = () => "";
let freshId = () => "";
let timer = 0;
let busy = false;
let refusedBefore = 0;

const mine = () => document.body.dataset.account ?? "";
// What its owner handed over is whoever's signs in next, and is written in their name.
const HANDED_OVER = "handed over";
const isMine = (item) => item.account === mine() || (item.account === HANDED_OVER && mine() !== "");

function kept() {
  try {
    // Kept by an older version: without an account it is whoever's the device is now.
    return JSON.parse(localStorage.getItem(SHELF) ?? "[]").map((item) => ({
      account: mine(), typed: item.at ?? Date.now(), tries: 0, next: 0, state: "waiting", said: "", page: "",
      id: new URLSearchParams(item.body).get("entry"), ...item,
    }));
  } catch {
    return [];
  }
}

function keep(items) {
  try {
    localStorage.setItem(SHELF, JSON.stringify(items));
  } catch {
    // The device is full: what was kept before stays, and the page says that this one is not.
    const line = document.getElementById("said");
    if (line) line.textContent = "This device’s storage is full. What you typed is still here: do not leave this page.";
    return false;
  }
  show();
  return true;
}

const change = (id, more) => keep(kept().map((item) => (item.id === id ? { ...item, ...more } : item)));
function drop(id) {
  if (kept().find((item) => item.id === id)?.file) dropFile(id).catch(() => {});
  return keep(kept().filter((item) => item.id !== id));
}

export function keepIfLost(request) {
  if (request.method !== "POST" || !(request.body instanceof URLSearchParams) || !request.body.get("entry")) return false;
  const id = request.body.get("entry");
  const item = {
    id, url: request.action, body: request.body.toString(), account: mine(), typed: Date.now(), tries: 0,
    next: Date.now() + FIRST_PAUSE, state: "waiting", said: "", page: document.getElementById("main")?.dataset.reload ?? location.pathname,
  };
  if (!keep([...kept().filter((other) => other.id !== id), item])) return false;
  schedule();
  return true;
}

// A form with a file: sent from here, so that what does not get through is kept with its file.
async function sendForm(form) {
  const body = new FormData(form);
  const id = body.get("entry");
  const [field, file] = [...body].find(([, value]) => value instanceof File && value.size) ?? [];
  let response = null;
  try {
    response = await fetch(form.action, { method: "POST", body, headers: { "X-CSRF-Token": readCookie("helvor_csrf") } });
  } catch {
    // No connection: kept below.
  }
  if (response && isOurs(response) && response.status < 500 && response.status !== 429) {
    if (response.ok) {
      forgetTyped(form);
      location.assign(response.url);
    } else {
      // What is wrong with it the server says on a page of its own; the entry's id makes the second sending harmless.
      form.dataset.plain = "yes";
      form.submit();
    }
    return;
  }
  const words = new URLSearchParams([...body].filter(([, value]) => !(value instanceof File)));
  const item = {
    id, url: form.action, body: words.toString(), account: mine(), typed: Date.now(), tries: 0, next: Date.now() + FIRST_PAUSE,
    state: "waiting", said: "", page: location.pathname + location.search, file: file?.name ?? "",
  };
  try {
    if (file) await putFile(id, field, file);
    if (!keep([...kept().filter((other) => other.id !== id), item])) throw new Error("full");
  } catch {
    const line = document.getElementById("said");
    if (line) line.textContent = "There is no connection, and this device’s storage is full. The file is still chosen: do not leave this page.";
    return;
  }
  forgetTyped(form);
  form.reset();
  const fresh = form.querySelector("input[name=entry]");
  if (fresh) fresh.value = freshId();
  schedule();
}

export const isOurs = (response) => response?.headers?.get?.("X-Helvor") !== null;

// One timer: for the next of mine that waits for a better moment.
function schedule() {
  clearTimeout(timer);
  const next = kept().filter((item) => isMine(item) && item.state === "waiting").map((item) => item.next);
  if (next.length) timer = setTimeout(flush, Math.max(250, Math.min(...next) - Date.now()));
}

// Two tabs do not send the same readings at once; where there are no locks, over plain http, a lease stands for one.
async function alone(work) {
  if (navigator.locks) return navigator.locks.request(SHELF, { ifAvailable: true }, (lock) => lock && work());
  const [holder, until] = (localStorage.getItem(SENDER) ?? "").split(" ");
  if (holder && holder !== tab && Number(until) > Date.now()) return undefined;
  localStorage.setItem(SENDER, `${tab} ${Date.now() + LEASE}`);
  try {
    return await work();
  } finally {
    localStorage.removeItem(SENDER);
  }
}

async function bodyOf(item) {
  const fields = new URLSearchParams(item.body);
  if (!item.file) return fields;
  const held = await getFile(item.id);
  const body = new FormData();
  for (const [name, value] of fields) body.append(name, value);
  if (held) body.append(held.field, held.file);
  return body;
}

async function send(item) {
  let response;
  try {
    response = await fetch(item.url, {
      method: "POST",
      body: await bodyOf(item),
      headers: {
        ...(item.file ? {} : { "HX-Request": "true" }), "X-CSRF-Token": readCookie("helvor_csrf"),
        // By this device's clock, which may be wrong: the server takes from it only how long the reading waited.
        "X-Typed-At": String(item.typed), "X-Device-Time": String(Date.now()),
      },
    });
  } catch {
    return later(item, "");
  }
  if (response.ok && isOurs(response) && !new URL(response.url, location.href).pathname.startsWith("/sign-in")) {
    drop(item.id);
    return true;
  }
  const words = new DOMParser().parseFromString(await response.text(), "text/html");
  const sentence = isOurs(response) ? words.querySelector(".trouble, .said-trouble, main p, p, span")?.textContent.trim() ?? "" : "";
  if (isOurs(response) && ABOUT_THE_READING.includes(response.status)) {
    // Its id was used for other words, which are in ink: to be written as well it needs one of its own.
    const taken = response.status === 409 && sentence.startsWith("This was sent before");
    change(item.id, { state: "refused", taken, said: sentence.replace(" Send it again to save this one too.", "") || `The server answered ${response.status}.` });
    return false;
  }
  return later(item, sentence || `Another server answered instead of Helvor (${response.status}).`, Number(response.headers.get("Retry-After")) || 0);
}

function later(item, said, seconds = 0) {
  const pause = Math.max(1000 * seconds, Math.min(LONGEST_PAUSE, FIRST_PAUSE * 2 ** item.tries));
  change(item.id, { tries: item.tries + 1, next: Date.now() + pause, said });
  return false;
}

async function flush({ all = false } = {}) {
  if (busy) return;
  busy = true;
  let written = false;
  try {
    await alone(async () => {
      for (const { id } of kept()) {
        const item = kept().find((one) => one.id === id);
        if (!item || !isMine(item) || item.state !== "waiting" || (!all && item.next > Date.now() + 300)) continue;
        written = (await send(item)) || written;
      }
    });
  } finally {
    busy = false;
  }
  const main = document.getElementById("main");
  if (written && main?.dataset.reload && window.htmx) htmx.ajax("GET", main.dataset.reload, { target: "#main", swap: "outerMorph" });
  show();
  schedule();
}

function made(tag, text, more = {}) {
  const element = document.createElement(tag);
  element.textContent = text;
  return Object.assign(element, more);
}

function typedWords(item) {
  const fields = new URLSearchParams(item.body);
  if (item.file) return `${item.file}${fields.get("words") ? `, ${fields.get("words")}` : ""}`;
  if (fields.get("text")) return fields.get("text");
  const values = [...fields].filter(([name, value]) => value && !NOT_A_VALUE.includes(name)).map(([name, value]) => `${name} ${value}`);
  return [fields.get("kind") ?? "", ...values].join(" ").slice(0, 120);
}

function row(item) {
  const li = document.createElement("li");
  const time = new Date(item.typed).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  li.append(made("b", `“${typedWords(item)}”`), made("span", ` typed ${time}, `));
  if (item.page) li.append(made("a", "open its page", { href: item.page, className: "link" }));
  li.append(made("span", item.said ? `. ${item.state === "refused" ? "Not saved" : "Not saved yet"}: ${item.said}` : ". Not saved yet."));
  const actions = made("span", "", { className: "kept-actions" });
  const button = (words, act) => actions.append(made("button", words, { type: "button", className: "button", onclick: act }));
  const fields = new URLSearchParams(item.body);
  if (item.taken) {
    button("Save it too", () => {
      const id = freshId();
      fields.set("entry", id);
      change(item.id, { id, body: fields.toString(), state: "waiting", taken: false, next: 0, said: "" });
      flush({ all: true });
    });
  } else {
    button("Send again", () => { change(item.id, { state: "waiting", next: 0 }); flush({ all: true }); });
  }
  if (fields.get("text")) {
    button("Change", () => {
      const input = made("input", "", { value: fields.get("text"), className: "kept-change" });
      input.setAttribute("aria-label", "What was typed");
      const go = made("button", "Send changed", { type: "button", className: "button main", onclick: () => {
        fields.set("text", input.value);
        actions.replaceChildren();
        change(item.id, { body: fields.toString(), state: "waiting", next: 0, said: "" });
        flush({ all: true });
      } });
      actions.replaceChildren(input, go);
      input.focus();
    });
  }
  if (item.account !== HANDED_OVER) {
    button("Hand over", () => {
      if (confirm(`Hand “${typedWords(item)}” over to the next person who signs in on this device? It will be saved in their name.`)) change(item.id, { account: HANDED_OVER, state: "refused", said: "Handed over: send it in your name, or discard it." });
    });
  }
  button("Discard", () => { if (confirm(`Discard “${typedWords(item)}”? It is not saved anywhere else.`)) drop(item.id); });
  li.append(actions);
  return li;
}

function show() {
  const banner = document.getElementById("offline");
  if (!banner) return;
  const items = kept();
  const own = items.filter(isMine);
  const waiting = own.filter((item) => item.state === "waiting").length;
  const refused = own.length - waiting;
  const others = items.length - own.length;
  const seen = document.querySelector('meta[name="helvor-seen"]')?.content;
  banner.hidden = items.length === 0 && navigator.onLine && !seen;
  const said = [];
  if (!navigator.onLine || seen) said.push("No connection.");
  if (seen) said.push(`This page shows the state at ${new Date(seen).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" })}.`);
  if (waiting) said.push(`${waiting} ${waiting === 1 ? "reading is" : "readings are"} waiting on this device and will be sent once.`);
  if (refused) said.push(`${refused} ${refused === 1 ? "reading was" : "readings were"} not accepted and ${refused === 1 ? "is" : "are"} kept here: check ${refused === 1 ? "it" : "them"}.`);
  if (others) said.push(`${others} of another person ${others === 1 ? "waits" : "wait"} here until they sign in.`);
  if (!own.length && (!navigator.onLine || seen)) said.push("What you enter is kept on this device and sent when the connection is back.");
  const list = banner.querySelector("details");
  // While somebody changes one, the list under their hands stays.
  if (list?.querySelector(".kept-change")) {
    banner.querySelector(".kept-said").textContent = said.join(" ");
    return;
  }
  banner.replaceChildren(made("span", said.join(" "), { className: "kept-said", role: "status" }));
  if (own.length) {
    const details = document.createElement("details");
    // It opens by itself when one more was refused; else it stays as somebody left it.
    details.open = (list?.open ?? false) || refused > refusedBefore;
    refusedBefore = refused;
    details.append(made("summary", `${own.length} on this device`));
    const rows = made("ul", "", { className: "kept-list" });
    rows.append(...own.map(row));
    details.append(rows);
    banner.append(details);
  }
}

export function watchOutbox({ cookie, newId }) {
  readCookie = cookie;
  freshId = newId;
  addEventListener("online", () => { show(); flush({ all: true }); });
  addEventListener("offline", show);
  addEventListener("storage", (event) => { if (event.key === SHELF) { show(); schedule(); } });
  document.addEventListener("submit", (event) => {
    const form = event.target;
    if (form.enctype === "multipart/form-data" && form.matches("#main form") && form.querySelector("input[name=entry]") && form.querySelector("input[type=file]")?.files.length && !form.dataset.plain && /^\/(runs|plates)\//.test(new URL(form.action).pathname)) {
      event.preventDefault();
      sendForm(form);
      return;
    }
    const leaving = event.target.getAttribute?.("action") === "/sign-out" && kept().some(isMine);
    if (leaving && !confirm("Some of your readings on this device are not saved yet. They wait here until you sign in again. Sign out?")) event.preventDefault();
  });
  show();
  flush({ all: true });
}
