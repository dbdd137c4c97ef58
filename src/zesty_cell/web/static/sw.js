// The phone's worker: the page and what it is made of come from here, whatever the line does; entries go out behind it.
// What it is, is written before this: EDITION and SHELL.
importScripts("/static/vendor/idb.js", "/static/pocket/queue.js");

const KEPT = `zesty-cell-${self.EDITION}`, TAKEN = "zesty-cell-taken";
const PAGE = "/pocket";
// A server that answers no sooner is no line.  What this page stands for does not wait long; others may take their time.
const PATIENCE_MS = 60_000, FIELD_PATIENCE_MS = 4000;

self.addEventListener("install", (event) => {
  event.waitUntil((async () => {
    const cache = await caches.open(KEPT);
    // All of it or none: a half edition is worse than the last whole one.
    await cache.addAll([...self.SHELL, PAGE].map((path) => new Request(path, { cache: "reload", credentials: "same-origin" })));
    await self.skipWaiting();
  })());
});

self.addEventListener("activate", (event) => {
  event.waitUntil((async () => {
    for (const name of await caches.keys()) {
      if (name.startsWith("zesty-cell-") && name !== KEPT && name !== TAKEN) await caches.delete(name);
    }
    await self.clients.claim();
  })());
});

async function fromLine(request, patience) {
  const stop = new AbortController(), timer = setTimeout(() => stop.abort(), patience);
  try {
    return await fetch(request, { signal: stop.signal });
  } finally {
    clearTimeout(timer);
  }
}

// The page: kept first, always.  Other pages need the line; a card that was taken along does not, and the field page
// without a line is this one.
async function opened(request, url) {
  const kept = await caches.open(KEPT);
  if (url.pathname === PAGE) return (await kept.match(PAGE)) ?? fetch(request);
  const taken = await (await caches.open(TAKEN)).match(request, { ignoreSearch: url.pathname.endsWith("/card") });
  try {
    return await fromLine(request, ["/", "/field"].includes(url.pathname) ? FIELD_PATIENCE_MS : PATIENCE_MS);
  } catch (error) {
    const found = taken ?? (await kept.match(PAGE));
    if (found) return found;
    throw error;
  }
}

async function asset(request, url) {
  const kept = await (await caches.open(KEPT)).match(url.pathname);
  if (kept) return kept;
  const taken = await (await caches.open(TAKEN)).match(request);
  return taken ?? fetch(request);
}

self.addEventListener("fetch", (event) => {
  const url = new URL(event.request.url);
  if (event.request.method !== "GET" || url.origin !== self.location.origin) return;
  if (event.request.mode === "navigate") event.respondWith(opened(event.request, url));
  else if (url.pathname.startsWith("/static/") || url.pathname === "/callouts/say.wav") event.respondWith(asset(event.request, url));
});

// Where the browser knows background sync, entries go out when a line is there, with the page closed too.
self.addEventListener("sync", (event) => {
  if (event.tag === "entries") event.waitUntil(self.zestyQueue.send().then((left) => {
    if (left.waiting) throw new Error("later");
  }));
});
