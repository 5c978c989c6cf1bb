// When the program is out of reach, the page that works without it is shown, as it was last seen.
const NAME = "cool-sheen-__VERSION__";
const SHELL = __SHELL__;
const AWAY = "/away";

const lookAgain = async () => {
  const answer = await fetch(AWAY, { credentials: "same-origin" });
  if (answer.ok && !answer.redirected) await (await caches.open(NAME)).put(AWAY, answer);
};
self.addEventListener("install", (event) => {
  event.waitUntil(
    (async () => {
      await (await caches.open(NAME)).addAll(SHELL);
      await lookAgain();
      await self.skipWaiting();
    })(),
  );
});
self.addEventListener("activate", (event) => {
  event.waitUntil(
    (async () => {
      for (const name of await caches.keys()) if (name !== NAME) await caches.delete(name);
      await self.clients.claim();
    })(),
  );
});
self.addEventListener("message", (event) => event.waitUntil(lookAgain().catch(() => {})));
self.addEventListener("fetch", (event) => {
  const { request } = event;
  if (request.method !== "GET") return;
  if (request.mode === "navigate")
    event.respondWith(
      fetch(request).catch(async () => (await caches.match(AWAY)) || Response.error()),
    );
  else if (SHELL.includes(new URL(request.url).pathname))
    event.respondWith(caches.match(request).then((kept) => kept || fetch(request)));
});
