// Keeps the candling bench and the hatch watch, and what it is dressed in, for where there is no
// signal: the newest from the server if it answers, else as it was seen last by the
// person who is signed in. The page itself keeps it, under its person's name.
const kept = async () => {
  const marker = await (await caches.open("metrogon-who")).match("/who");
  return marker ? caches.open(`metrogon-bench ${await marker.text()}`) : null;
};
self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", e =>
  e.waitUntil(Promise.all([caches.delete("metrogon-bench"), self.clients.claim()])),
);
self.addEventListener("fetch", e => {
  const {pathname, origin} = new URL(e.request.url);
  if (e.request.method !== "GET" || origin !== self.location.origin) return;
  if (/^\/(batches\/\d+\/candle|watch\/\d+)$/.test(pathname)) {
    e.respondWith(
      fetch(e.request).catch(async gone => {
        const old = await (await kept())?.match(pathname);
        if (old) return old;
        throw gone;
      }),
    );
  } else if (pathname.startsWith("/assets/")) {
    e.respondWith((async () => (await (await kept())?.match(e.request)) ?? fetch(e.request))());
  }
});
