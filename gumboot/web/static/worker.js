// Keeps the field pages of opened jobs, and all that ships, for where there is no signal. A page comes from the network if it answers in time.
const SHIPPED = "gumboot-VERSION", PAGES = "gumboot-pages";
const FIELD = /^\/jobs\/\d+\/(land|link|link\/ct|wake|set\/key|prove\/walk|photographs|after\/visit|wall\/drill)$/;
const WAIT_MS = 5000;

self.addEventListener("install", (e) => e.waitUntil((async () => {
  const c = await caches.open(SHIPPED);
  await Promise.allSettled(["SHIPPED", "/offline"].map((u) => c.add(u))); // what fails now is kept when it is first used
  await self.skipWaiting();
})()));
self.addEventListener("activate", (e) => e.waitUntil((async () => {
  for (const name of await caches.keys()) if (name.startsWith("gumboot-") && name !== SHIPPED && name !== PAGES) await caches.delete(name);
  await self.clients.claim();
  for (const kept of await (await caches.open(PAGES)).keys()) await keepPage(kept.url).catch(() => null); // pages of an older version
})()));

// One kept page for a job's walk and one for each wall: where on the walk one stands does not matter.
function place(url) { const u = new URL(url); u.hash = ""; for (const k of ["at", "was", "kept"]) u.searchParams.delete(k); return u.href; }

// The whole page is here before the one kept is let go: a signal that is lost half-way takes neither.
async function putAway(url, answer) {
  const whole = await answer.blob();
  await (await caches.open(PAGES)).put(place(url), new Response(whole, { headers: answer.headers }));
}
async function keepPage(url) {
  const answer = await fetch(url, { credentials: "same-origin" });
  if (answer.ok && !answer.redirected) await putAway(url, answer);
}
async function fieldPage(request) {
  const kept = () => caches.open(PAGES).then((c) => c.match(place(request.url)));
  try {
    const fresh = fetch(request).then(async (answer) => { if (answer.ok && !answer.redirected && answer.type !== "opaqueredirect") await putAway(request.url, answer.clone()); return answer; });
    const late = new Promise((yes) => setTimeout(yes, WAIT_MS));
    const first = await Promise.race([fresh, late]);
    return first || await kept() || await fresh;
  } catch { return await kept() || caches.match("/offline"); }
}
async function shipped(request) {
  const c = await caches.open(SHIPPED), kept = await c.match(request, { ignoreSearch: true });
  if (kept) return kept;
  const answer = await fetch(request);
  if (answer.ok) await c.put(new URL(request.url).pathname, answer.clone());
  return answer;
}

// Signing out forgets what this device knows of jobs; what waits to be sent stays, for whoever made it.
function forget() {
  return new Promise((yes) => {
    const request = indexedDB.open("gumboot");
    request.onerror = yes;
    request.onupgradeneeded = () => request.transaction.abort(); // there is none: none is made
    request.onsuccess = () => {
      const deal = request.result.transaction("known", "readwrite");
      deal.objectStore("known").clear();
      deal.oncomplete = deal.onerror = () => { request.result.close(); yes(); };
    };
  });
}

self.addEventListener("fetch", (e) => {
  const url = new URL(e.request.url);
  if (url.origin !== location.origin) return;
  if (e.request.method === "POST" && url.pathname === "/sign-out") { e.waitUntil(Promise.all([caches.delete(PAGES), forget()])); return; }
  if (e.request.method !== "GET") return;
  if (url.pathname.startsWith("/static/")) {
    const ours = url.search === "" || url.search === "?v=VERSION";
    e.respondWith(ours ? shipped(e.request) : fetch(e.request).catch(() => caches.match(e.request, { ignoreSearch: true })));
  } else if (e.request.mode === "navigate") {
    e.respondWith(FIELD.test(url.pathname) ? fieldPage(e.request) : fetch(e.request).catch(() => caches.match("/offline")));
  }
});
self.addEventListener("message", (e) => { if (e.data?.keep) e.waitUntil(Promise.all(e.data.keep.map((u) => keepPage(new URL(u, location.origin).href).catch(() => null)))); });
