// Keeps stamp pads, checklists, swap tables and pages of cases, and what they are made of, for when there is no connection. With
// one they are always asked for anew; without, the page itself says that it is as it was.
"use strict";
const KEPT = "pads-1";
self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));
self.addEventListener("fetch", (event) => {
  const request = event.request, path = new URL(request.url).pathname;
  const pad = /^\/cases\/\d+(\/(pad|checklist|swaps))?$/.test(path), still = /^\/static\/v[0-9a-f]{10}\//.test(path);
  if (request.method !== "GET" || !(pad || still)) return;
  event.respondWith((async () => {
    const kept = await caches.open(KEPT);
    const before = await kept.match(request);
    if (still && before) return before;  // its address changes with its content
    try {
      const answer = await fetch(request);
      if (answer.ok) await kept.put(request, answer.clone());
      return answer;
    } catch (error) {
      if (before) return before;
      throw error;
    }
  })());
});
