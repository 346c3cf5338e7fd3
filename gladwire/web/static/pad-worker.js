// Keeps stamp pads, checklists, swap tables and pages of cases, and what they are made of, for when there is no connection. With
// one they are always asked for anew; without, the page itself says that it is as it was.
"use strict";
// (cache, how many of the newest it keeps)
const PAGES = ["pads-1", 60], STILLS = ["stills-1", 150];
self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));
async function keep(kept, most, request, answer) {
  await kept.delete(request);  // so that the newest stand last
  await kept.put(request, answer);
  const held = await kept.keys();
  await Promise.all(held.slice(0, Math.max(0, held.length - most)).map((old) => kept.delete(old)));
}
self.addEventListener("fetch", (event) => {
  const request = event.request, path = new URL(request.url).pathname;
  const page = /^\/cases\/\d+(\/(pad|checklist|swaps))?$/.test(path), still = /^\/static\/v[0-9a-f]{10}\//.test(path);
  if (request.method !== "GET" || !(page || still)) return;
  event.respondWith((async () => {
    const [name, most] = still ? STILLS : PAGES;
    const kept = await caches.open(name), before = await kept.match(request);
    if (still && before) return before;  // its address changes with its content
    try {
      const answer = await fetch(request);
      if (answer.ok) await keep(kept, most, request, answer.clone());
      return answer;
    } catch (error) {
      if (before) return before;
      throw error;
    }
  })());
});
