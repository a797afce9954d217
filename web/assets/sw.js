// Keeps the daily pages, the candling bench and the hatch watch, and what they are dressed in, for where
// there is no signal: the newest from the server if it answers, else as it was seen last by the person who
// is signed in, marked so. The page itself keeps it, under its person's name.
const kept = async () => {
  if (!(await caches.has("metrogon-who"))) return null;
  const marker = await (await caches.open("metrogon-who")).match("/who");
  return marker ? caches.open(`metrogon-bench ${await marker.text()}`) : null;
};
self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", e =>
  e.waitUntil(Promise.all([caches.delete("metrogon-bench"), self.clients.claim()])),
);
// marked is a kept page that says that it is one.
const marked = async old => {
  const text = (await old.text()).replace('data-as-of="', 'data-stale="yes" data-as-of="');
  return new Response(text, {status: 200, headers: old.headers});
};
self.addEventListener("fetch", e => {
  const {pathname, origin} = new URL(e.request.url);
  if (e.request.method !== "GET" || origin !== self.location.origin) return;
  if (shed.test(pathname)) {
    e.respondWith(
      fetch(e.request).catch(async gone => {
        const old = await (await kept())?.match(pathname);
        if (old) return marked(old);
        throw gone;
      }),
    );
  } else if (pathname.startsWith("/assets/")) {
    e.respondWith((async () => (await (await kept())?.match(e.request)) ?? fetch(e.request))());
  }
});

// What somebody is to be told while no page is open, and the page that it leads to.
self.addEventListener("push", e => {
  const told = e.data?.json() ?? {};
  e.waitUntil(
    self.registration.showNotification(told.title ?? "Metrogon", {
      body: told.body, data: told.path ?? "/", icon: "/assets/icon.svg", tag: told.tag || told.title,
    }),
  );
});
self.addEventListener("notificationclick", e => {
  e.notification.close();
  e.waitUntil(self.clients.openWindow(e.notification.data));
});

// The pages that are wanted where there is no signal.
const ofBatch = /^\/batches\/\d+(\/(candle|candle\/doubtful|move|opened))?$/;
const shed = {
  test: path =>
    ofBatch.test(path) || /^\/(|eggs|brooders|power|machines\/\d+(\/candle)?|watch\/\d+)$/.test(path),
};
