// Pages of a bench open again without a connection, as they were last seen. All else wants the network, and says so.
// What is kept is one account's: another one that is seen on the device, or a sign-out, throws it away.
const SHELL = "helvor-shell";
const PAGES = "helvor-pages";
const BENCH_PAGE = /^\/(benches|runs|plates)\/[0-9a-f-]{36}(\/(edit\/|photo$|history$|form$).*)?$/;
const PATIENCE = 6000;
const SEEN = "X-Helvor-Seen";
const MOST_PAGES = 120;

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

// The work of a page comes alone while it is being worked on: put into the page around it, both are as fresh.
const WORK = /<main id="main"[\s\S]*<\/main>/;
const isPart = (request) => request.headers.get("HX-Request") !== null;
const keyOf = (request, part) => {
  const url = new URL(request.url);
  url.hash = "";
  if (part) url.searchParams.set("kept-part", "1");
  return url.href;
};

async function accountOfPages() {
  const found = await (await caches.open(PAGES)).match("/kept-account");
  return found ? found.text() : "";
}

async function belongsTo(account) {
  if ((await accountOfPages()) === account) return;
  await caches.delete(PAGES);
  await (await caches.open(PAGES)).put("/kept-account", new Response(account));
}

async function around(cache, request) {
  const own = await cache.match(keyOf(request));
  if (own) return own;
  const { pathname } = new URL(request.url);
  const others = (await cache.keys()).filter((one) => new URL(one.url).pathname === pathname && !one.url.includes("kept-part"));
  return others.length ? cache.match(others.at(-1)) : undefined;
}

async function keepPage(request, response) {
  const cache = await caches.open(PAGES);
  const headers = new Headers({ "Content-Type": "text/html; charset=utf-8", [SEEN]: new Date().toISOString() });
  for (const name of ["Content-Security-Policy", "X-Helvor", "Referrer-Policy"]) {
    if (response.headers.get(name)) headers.set(name, response.headers.get(name));
  }
  let text = await response.text();
  let part = isPart(request);
  if (part && WORK.test(text)) {
    const whole = await around(cache, request);
    if (!whole) return;
    const work = text.match(WORK)[0];
    text = (await whole.text()).replace(WORK, () => work);
    part = false;
  }
  // Deleted first, so that what was used last stands last.
  await cache.delete(keyOf(request, part));
  await cache.put(keyOf(request, part), new Response(text, { status: 200, headers }));
  const keys = (await cache.keys()).filter((one) => !one.url.endsWith("/kept-account"));
  for (const old of keys.slice(0, Math.max(0, keys.length - MOST_PAGES))) await cache.delete(old);
}

// A page as it was last seen says so in its head, where the page's own script reads it.
async function asSeen(request, response) {
  const text = await response.text();
  if (isPart(request)) return new Response(text.match(WORK)?.[0] ?? text, { status: 200, headers: response.headers });
  const said = text.replace("<head>", `<head>\n  <meta name="helvor-seen" content="${response.headers.get(SEEN)}">`);
  return new Response(said, { status: 200, headers: response.headers });
}

async function keptOf(request) {
  const cache = await caches.open(PAGES);
  return (isPart(request) && (await cache.match(keyOf(request, true)))) || cache.match(keyOf(request));
}

function notKept() {
  const words = "There is no connection, and this page was never opened on this device. Go back: what you type there is kept.";
  return new Response(`<!DOCTYPE html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>No connection</title></head><body><main><h1>No connection</h1><p>${words}</p></main></body></html>`, {
    status: 503, headers: { "Content-Type": "text/html; charset=utf-8" },
  });
}

const within = (promise, time) => Promise.race([promise, new Promise((_, no) => setTimeout(() => no(new Error("slow")), time))]);

async function page(request) {
  const kept = await keptOf(request);
  try {
    // A page that is kept need not be waited for long.
    const response = await (kept ? within(fetch(request), PATIENCE) : fetch(request));
    // Sent elsewhere: the session is over, and nobody looks at what it saw.
    if (response.type === "opaqueredirect" || response.redirected) {
      await caches.delete(PAGES);
      return response;
    }
    const ours = response.headers.get("X-Helvor") !== null;
    if (ours && response.ok) await keepPage(request, response.clone());
    if ((ours && response.status < 502) || !kept) return response;
    return asSeen(request, kept);
  } catch {
    if (kept) return asSeen(request, kept);
    return request.mode === "navigate" ? notKept() : Response.error();
  }
}

async function shell(request) {
  const cache = await caches.open(SHELL);
  const kept = await cache.match(request);
  if (kept) return kept;
  const response = await fetch(request);
  if (response.ok && response.headers.get("X-Helvor") !== null) await cache.put(request, response.clone());
  return response;
}

// Modules that a script imports have no hash in their address: the network first, what is kept where there is none.
async function module(request) {
  const cache = await caches.open(SHELL);
  try {
    const response = await fetch(request);
    if (response.ok && response.headers.get("X-Helvor") !== null) await cache.put(request, response.clone());
    return response;
  } catch (trouble) {
    const kept = await cache.match(request);
    if (kept) return kept;
    throw trouble;
  }
}

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const url = new URL(request.url);
  if (url.origin !== location.origin) return;
  if (request.method === "POST" && url.pathname === "/sign-out") {
    event.waitUntil(caches.delete(PAGES));
    return;
  }
  if (request.method !== "GET") return;
  if (url.pathname.startsWith("/static/")) {
    const forGood = url.searchParams.has("v") || url.pathname.startsWith("/static/fonts");
    event.respondWith(forGood ? shell(request) : module(request));
  } else if (BENCH_PAGE.test(url.pathname)) event.respondWith(page(request));
  else if (request.mode === "navigate") event.respondWith(fetch(request).catch(notKept));
});

// The page says whose it is, and which of its views may be wanted without a connection.
self.addEventListener("message", (event) => {
  const { account, views = [] } = event.data ?? {};
  if (!account) return;
  event.waitUntil((async () => {
    await belongsTo(account);
    const cache = await caches.open(PAGES);
    for (const view of views) {
      const url = new URL(view, location.origin);
      if (!BENCH_PAGE.test(url.pathname)) continue;
      const request = new Request(url, { credentials: "same-origin" });
      const kept = await cache.match(keyOf(request));
      if (kept && Date.now() - Date.parse(kept.headers.get(SEEN)) < 120000) continue;
      try {
        const response = await fetch(request);
        if (response.ok && !response.redirected && response.headers.get("X-Helvor") !== null) await keepPage(request, response);
      } catch {
        return;
      }
    }
  })());
});
