// Keeps what the bench needs for when the workshop's server cannot be reached: its pages and drawings as they were
// seen last, and files that never change under their name. Everything else goes by it.
const KEPT = "ember-bench-1";
const BENCH = /^\/picture\/[0-9a-f-]{36}\/bench\/(|app\.webmanifest|more\.json|pedal\/)$/;
const PATIENCE_MS = 4000;

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

// what the page says it is made of
self.addEventListener("message", (event) => {
  const { keep } = event.data ?? {};
  if (!Array.isArray(keep)) return;
  const reply = event.ports[0];
  event.waitUntil(
    caches.open(KEPT).then(async (cache) => {
      await dropOlder(cache, keep);
      for (const url of keep) {
        const path = new URL(url, self.location.origin);
        if (path.origin !== self.location.origin) continue;
        if (!BENCH.test(path.pathname) && (await cache.match(url))) continue;
        try {
          const answer = await fetch(url, { credentials: "same-origin" });
          if (answer.ok && !answer.redirected) await cache.put(plain(url), answer);
        } catch {
          // it is fetched when the server is back
        }
      }
      reply?.postMessage("kept");
    }),
  );
});

// drawings of the work as it was before it changed
async function dropOlder(cache, keep) {
  const wanted = new Set(keep.map((url) => new URL(url, self.location.origin).href));
  const works = new Set([...wanted].map((url) => new URL(url).pathname).filter((path) => path.endsWith("/more.json")));
  for (const request of await cache.keys())
    if (works.has(new URL(request.url).pathname) && !wanted.has(request.url)) await cache.delete(request);
}

// one page for a bench, whichever card it was asked for
function plain(url) {
  const path = new URL(url, self.location.origin);
  return path.pathname.endsWith("/bench/") ? path.pathname : path.href;
}

self.addEventListener("fetch", (event) => {
  const { request } = event,
    path = new URL(request.url);
  if (request.method !== "GET" || path.origin !== self.location.origin) return;
  if (BENCH.test(path.pathname)) event.respondWith(freshOrKept(request));
  else if (/^\/(static|shop)\//.test(path.pathname)) event.respondWith(keptOrFresh(request));
});

async function freshOrKept(request) {
  const cache = await caches.open(KEPT),
    name = plain(request.url);
  const kept = await cache.match(name);
  const asked = fetch(request).then((answer) => {
    if (answer.ok && !answer.redirected) cache.put(name, answer.clone());
    return answer;
  });
  if (!kept) return asked;
  const late = new Promise((done) => setTimeout(() => done(kept), PATIENCE_MS));
  return Promise.race([asked.catch(() => kept), late]);
}

async function keptOrFresh(request) {
  const kept = await (await caches.open(KEPT)).match(request.url);
  return kept ?? fetch(request);
}
