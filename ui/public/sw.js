// At the rack the network is what is being changed. A phone on which somebody opened an
// order at the rack keeps the pages, that office and its order, and shows them while the
// server is not heard. Nothing is kept before that, and all of it goes when he signs out.
const kept = "klammer-kept";
const patience = 10000;

self.addEventListener("install", (e) => e.waitUntil(self.skipWaiting()));
self.addEventListener("activate", (e) => e.waitUntil(self.clients.claim()));

self.addEventListener("message", (e) => {
  if (e.data.forget) e.waitUntil(caches.delete(kept));
  if (e.data.keep) e.waitUntil(keep(e.data.keep));
});

async function keep(urls) {
  const cache = await caches.open(kept);
  await Promise.allSettled(
    urls.map(async (url) => {
      const answer = await fetch(url, { credentials: "same-origin" });
      if (answer.ok) await cache.put(url, answer);
    }),
  );
}

/** What of the interface a phone at the rack needs. */
const needed = /^\/api\/(me|offices|offices\/\d+|offices\/\d+\/(history|orders|found|readings))$/;

self.addEventListener("fetch", (e) => {
  const url = new URL(e.request.url);
  if (url.origin !== self.location.origin) return;
  const orders = /^(\/api\/offices\/\d+\/orders)(\/ticks)?$/.exec(url.pathname);
  if (orders && ["PUT", "POST"].includes(e.request.method)) e.respondWith(answered(e.request, orders[1]));
  if (e.request.method !== "GET") return;
  if (e.request.mode === "navigate") e.respondWith(heard(e.request, "/"));
  else if (url.pathname.startsWith("/api/")) {
    if (needed.test(url.pathname) && !url.search) e.respondWith(heard(e.request, url.pathname));
  } else e.respondWith(caches.match(url.pathname).then((there) => there ?? fetch(e.request)));
});

/** What the server answers to a tick is the order as it is then. */
async function answered(request, key) {
  const answer = await fetch(request);
  if (answer.ok && (await caches.has(kept))) await (await caches.open(kept)).put(key, answer.clone());
  return answer;
}

/** The server's answer, or what is kept of it where the server is not heard in time. */
async function heard(request, key) {
  const asked = fetch(request).then(async (answer) => {
    if (answer.ok && (await caches.has(kept))) await (await caches.open(kept)).put(key, answer.clone());
    return answer;
  });
  try {
    return await Promise.race([asked, new Promise((_, no) => setTimeout(() => no(new Error("not heard")), patience))]);
  } catch {
    const there = (await caches.has(kept)) ? await (await caches.open(kept)).match(key) : undefined;
    return there ?? asked; // a server that is slow is waited for
  }
}
