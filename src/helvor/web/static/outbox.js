// Readings that could not be sent are kept on this device and sent once the server answers.
// Every one carries its entry id, so sending it again never writes it twice.
const SHELF = "helvor-outbox";
let readCookie = () => "";
let refused = "";

function kept() {
  try {
    return JSON.parse(localStorage.getItem(SHELF) ?? "[]");
  } catch {
    return [];
  }
}

function keep(items) {
  localStorage.setItem(SHELF, JSON.stringify(items));
  show();
}

export function keepIfLost(request) {
  if (request.method !== "POST" || !(request.body instanceof URLSearchParams) || !request.body.get("entry")) return false;
  const item = { url: request.action, body: request.body.toString(), at: Date.now() };
  keep([...kept(), item]);
  setTimeout(flush, 3000);
  return true;
}

function show() {
  const banner = document.getElementById("offline");
  if (!banner) return;
  const waiting = kept().length;
  banner.hidden = waiting === 0 && navigator.onLine && !refused;
  if (waiting) banner.textContent = `No connection. ${waiting} ${waiting === 1 ? "reading is" : "readings are"} kept on this device and will be sent, once.`;
  else if (refused) banner.textContent = refused;
  else banner.textContent = "No connection. What you write is kept on this device and sent when it is back.";
}

async function flush() {
  if (!kept().length) return show();
  const run = async () => {
    for (let item = kept()[0]; item; item = kept()[0]) {
      let response;
      try {
        response = await fetch(item.url, {
          method: "POST",
          body: new URLSearchParams(item.body),
          headers: { "HX-Request": "true", "X-CSRF-Token": readCookie("helvor_csrf") },
        });
      } catch {
        return setTimeout(flush, 5000);
      }
      if ([401, 403, 502, 503, 504].includes(response.status)) {
        if (response.status < 500) document.getElementById("said").innerHTML = await response.text();
        return setTimeout(flush, 5000);
      }
      if (!response.ok) {
        const fields = new URLSearchParams(item.body);
        const words = new DOMParser().parseFromString(await response.text(), "text/html");
        const why = words.querySelector(".trouble, .said-trouble, p")?.textContent.trim() ?? "";
        refused = `Not written: “${fields.get("text") ?? fields.get("distance") ?? fields.get("kind")}”. ${why}`;
      }
      keep(kept().filter((other) => other.body !== item.body));
    }
    const main = document.getElementById("main");
    if (main?.dataset.reload && window.htmx) htmx.ajax("GET", main.dataset.reload, { target: "#main", swap: "outerMorph" });
  };
  // Two tabs do not send the same readings at once.
  if (navigator.locks) await navigator.locks.request(SHELF, { ifAvailable: true }, (lock) => lock && run());
  else await run();
  show();
}

export function watchOutbox({ cookie }) {
  readCookie = cookie;
  addEventListener("online", () => { show(); flush(); });
  addEventListener("offline", show);
  flush();
}
