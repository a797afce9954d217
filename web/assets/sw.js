// Keeps the candling bench, and what it is dressed in, for where there is no
// signal: the newest from the server if it answers, else as it was seen last.
const shelf = "metrogon-bench";
self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (e) => e.waitUntil(self.clients.claim()));
self.addEventListener("fetch", (e) => {
  const { pathname, origin } = new URL(e.request.url);
  if (e.request.method !== "GET" || origin !== self.location.origin) return;
  if (/^\/batches\/\d+\/candle$/.test(pathname)) {
    e.respondWith(
      (async () => {
        const kept = await caches.open(shelf);
        try {
          const fresh = await fetch(e.request);
          if (fresh.ok && !fresh.redirected) await kept.put(pathname, fresh.clone());
          return fresh;
        } catch (gone) {
          const old = await kept.match(pathname);
          if (old) return old;
          throw gone;
        }
      })(),
    );
  } else if (pathname.startsWith("/assets/")) {
    e.respondWith(
      (async () => {
        const kept = await caches.open(shelf);
        const old = await kept.match(e.request);
        if (old) return old;
        const fresh = await fetch(e.request);
        if (fresh.ok) await kept.put(e.request, fresh.clone());
        return fresh;
      })(),
    );
  }
});
