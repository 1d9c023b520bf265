// Keeps the program and the jobs that a person opened for where there is no signal. BUILD and FILES come
// before this text, from the server. Pages come from the server where it answers, else as they were kept;
// nothing that changes a job goes through here.
const SHELL = `shell-${BUILD}`;
const PAGES = "pages";
const MOST_JOBS = 5;
/** What is older is no longer shown: a plan of last month is another one. */
const MOST_DAYS = 14;
const PATIENCE_MS = 6000;

self.addEventListener("install", (event) => {
  event.waitUntil(
    caches.open(SHELL).then((cache) => cache.addAll([...FILES, "/unreachable", "/manifest.webmanifest"])).then(() => self.skipWaiting()),
  );
});

self.addEventListener("activate", (event) => {
  const old = (names) => names.filter((name) => name.startsWith("shell-") && name !== SHELL);
  event.waitUntil(
    caches.keys().then((names) => Promise.all(old(names).map((name) => caches.delete(name)))).then(() => self.clients.claim()),
  );
});

const isPage = (request) => (request.headers.get("accept") ?? "").includes("text/html");

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const { origin, pathname } = new URL(request.url);
  if (request.method !== "GET" || origin !== location.origin) return;
  if (pathname.startsWith("/assets/")) event.respondWith(fresh(request, SHELL));
  else if (pathname.startsWith("/images/")) event.respondWith(image(request));
  else if (pathname.endsWith("/install/guide.json")) event.respondWith(page(request));
  else if (isPage(request) && (pathname === "/" || pathname.startsWith("/jobs/"))) event.respondWith(page(request));
});

/** From the server, in time; nothing where it does not answer. */
async function fromServer(request) {
  const stop = new AbortController();
  const late = setTimeout(() => stop.abort(), PATIENCE_MS);
  try {
    return await fetch(request, { signal: stop.signal });
  } finally {
    clearTimeout(late);
  }
}

async function fresh(request, name) {
  try {
    return await fromServer(request);
  } catch {
    return (await caches.match(request, { cacheName: name })) ?? Response.error();
  }
}

async function image(request) {
  const kept = await caches.match(request, { cacheName: PAGES });
  return kept ?? fetch(request);
}

/** The page that makes itself what was asked for: of the walk test that of the storey, where it was kept. */
async function nearest(cache, { pathname, searchParams }) {
  if (!/\/(install\/fault|walk)$/.test(pathname)) return undefined;
  const floor = searchParams.get("floor");
  const storey = floor ? await cache.match(`${pathname}?${new URLSearchParams({ floor })}`) : undefined;
  return storey ?? cache.match(pathname, { ignoreSearch: true });
}

async function page(request) {
  const cache = await caches.open(PAGES);
  // A page that brings itself up to date would take back by an older copy what was just done: it waits, or hears that there
  // is no line.
  const isAnew = request.headers.has("x-anew");
  let answer;
  try {
    // A page that is computed may take long; where there is no copy, it is waited for.
    const kept = isAnew ? null : await cache.match(request.url);
    answer = kept ? await fromServer(request) : await fetch(request);
  } catch {
    if (isAnew) return Response.error();
    return (
      (await cache.match(request.url)) ??
      // The guide and the walk test make themselves what was asked for; any other page would be another one under this address.
      (await nearest(cache, new URL(request.url))) ??
      (await caches.match("/unreachable", { cacheName: SHELL })) ??
      Response.error()
    );
  }
  if (answer.ok && !answer.redirected && (await isKept(new URL(request.url).pathname))) {
    cache.put(request.url, answer.clone()).catch(() => {});
  }
  return answer;
}

/** Jobs that are kept: each with its id, name, when, and whether it is pinned. */
async function jobs() {
  const found = await caches.match("/kept-jobs", { cacheName: PAGES });
  return found ? found.json() : [];
}

/** Whose the kept pages are. Where somebody else is signed in now, all of them go; and of the same person's those that are too old. */
async function ownedBy(owner) {
  const found = await caches.match("/kept-owner", { cacheName: PAGES });
  const before = found ? await found.text() : "";
  if (before !== owner) await caches.delete(PAGES);
  const cache = await caches.open(PAGES);
  await cache.put("/kept-owner", new Response(owner));
  const old = (await jobs()).filter((job) => Date.now() - Date.parse(job.at) > MOST_DAYS * 86_400_000);
  if (old.length > 0) await letGo(cache, new Set(old.map((job) => job.id)));
}

async function letGo(cache, gone) {
  const list = (await jobs()).filter((job) => !gone.has(job.id));
  await note(list);
  const images = new Set(list.flatMap((job) => job.images ?? []));
  for (const request of await cache.keys()) {
    const { pathname } = new URL(request.url);
    const isGone = pathname.startsWith("/images/") ? !images.has(pathname) : gone.has(pathname.split("/")[2]);
    if (isGone) await cache.delete(request);
  }
}

async function isKept(pathname) {
  const [, , job] = pathname.split("/");
  return pathname === "/" || (await jobs()).some((kept) => kept.id === job);
}

async function note(list) {
  const cache = await caches.open(PAGES);
  await cache.put("/kept-jobs", new Response(JSON.stringify(list), { headers: { "content-type": "application/json" } }));
}

/** Keeps a job: of those that were only opened, the oldest goes. */
async function keep(id, pinned) {
  const told = await fetch(`/jobs/${id}/offline.json`).then((answer) => answer.json());
  const cache = await caches.open(PAGES);
  const known = (await jobs()).find((job) => job.id === id);
  // What is kept of this revision, by this build, is not fetched again.
  if (known?.revision === told.revision && known.build === BUILD && pinned === undefined) return known;
  // The day comes whole; its pages hold to the policy that it came with.
  const answer = await fetch(told.bundle);
  const headers = new Headers(answer.headers);
  headers.set("content-type", "text/html; charset=utf-8");
  for (const name of ["content-encoding", "content-length"]) headers.delete(name);
  const { pages } = await answer.json();
  for (const [address, page] of Object.entries(pages)) await cache.put(address, new Response(page, { headers }));
  for (const address of told.pages) {
    const answer = await fetch(address, { headers: { accept: "text/html" } });
    if (answer.ok) await cache.put(address, answer);
  }
  for (const address of told.images ?? []) {
    if (await cache.match(address)) continue;
    const answer = await fetch(address);
    if (answer.ok) await cache.put(address, answer);
  }
  const now = new Date().toISOString();
  const before = (await jobs()).filter((job) => job.id !== id);
  const was = (await jobs()).find((job) => job.id === id);
  const entry = { id, images: told.images ?? [], name: told.name, at: now, build: BUILD, revision: told.revision, pinned: pinned ?? was?.pinned ?? false };
  const list = [entry, ...before];
  const opened = list.filter((job) => !job.pinned);
  const gone = new Set(opened.slice(MOST_JOBS).map((job) => job.id));
  await note(list);
  await letGo(cache, gone);
  return entry;
}

self.addEventListener("message", (event) => {
  const { keep: id, pin, list, owner, clear } = event.data;
  const port = event.ports[0];
  const asked = () => {
    if (clear) return caches.delete(PAGES);
    if (owner !== undefined) return ownedBy(owner);
    if (id) return keep(id, pin);
    return list ? jobs() : Promise.resolve(null);
  };
  const answer = asked();
  event.waitUntil(answer.then((value) => port.postMessage({ value }), (error) => port.postMessage({ error: String(error.message ?? error) })));
});
