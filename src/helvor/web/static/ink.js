// A reading is in ink first; the page with what follows from it is fetched right after. Readings
// that come faster than pages are followed by one page, the newest.
let wanted = null;
let following = false;
let sending = 0;
const sent = new WeakMap();

// While something is on its way the page says so, to programs that read it aloud or drive it.
function mark() {
  const main = document.getElementById("main");
  if (sending > 0 || following) main?.setAttribute("aria-busy", "true");
  else main?.removeAttribute("aria-busy");
}

async function follow(address) {
  wanted = address;
  if (following) return;
  following = true;
  try {
    while (wanted) {
      const now = wanted;
      wanted = null;
      await window.htmx.ajax("GET", now, { target: "#main", swap: "outerMorph" });
    }
  } finally {
    following = false;
    mark();
  }
  clearWritten();
  // What was typed while the page came is still there, and is looked at again.
  const line = document.getElementById("read");
  if (line?.value) line.dispatchEvent(new Event("input", { bubbles: true }));
}

const typedWords = (form) => JSON.stringify([...form.elements].filter((one) => one.name && one.type !== "hidden").map((one) => [one.name, one.value, one.checked]));

// The page that came keeps what is in a field that has the focus. What is in ink is taken out of it, so that Enter
// does not write it a second time; what was typed since then stays.
function clearWritten() {
  for (const form of document.forms) {
    const written = sent.get(form)?.written;
    if (written && written === typedWords(form)) form.reset();
    if (written) sent.delete(form);
  }
}

// A form that still stands as it was sent: pressed twice it is the same entry, filled anew it is another.
// The reading line empties itself when its words are in ink, so there only what is under way counts.
function nameEntry({ request }, newId) {
  const { form, body } = request;
  if (request.method === "GET" || !form || !body.get("entry")) return;
  const says = JSON.stringify([...body].filter(([name]) => name !== "entry" && name !== "csrf").map(String));
  const before = sent.get(form);
  if (before && (sending > 0 || (following && !form.matches(".reading-line")))) {
    body.set("entry", before.says === says ? before.entry : newId());
  }
  sent.set(form, { says, entry: body.get("entry"), typed: typedWords(form) });
}

export function watchInk({ say, newId }) {
  document.addEventListener("htmx:config:request", ({ detail }) => nameEntry(detail.ctx, newId));
  const count = (by) => ({ detail }) => {
    if (detail.ctx.request.method === "GET") return;
    sending = Math.max(0, sending + by);
    mark();
  };
  document.addEventListener("htmx:after:request", ({ detail: { ctx } }) => {
    if (ctx.request.method === "GET" || ctx.response.status >= 300 || !ctx.request.form) return;
    // Sent before this script was listening (a slow line): it is known from its answer.
    if (!sent.has(ctx.request.form)) nameEntry(ctx, newId);
    const last = sent.get(ctx.request.form);
    if (last) last.written = last.typed;
  });
  document.addEventListener("htmx:before:request", count(1));
  document.addEventListener("htmx:finally:request", count(-1));
  document.addEventListener("htmx:after:swap", mark);
  document.addEventListener("helvor:inked", ({ detail }) => {
    setTimeout(() => say(detail.said), 50);
    follow(detail.address);
  });
}
