// The service worker without a browser: what it keeps, what it answers without a line, and what it never does.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import test from "node:test";
import vm from "node:vm";

const ORIGIN = "http://house.test";
const source = readFileSync(new URL("../../assets/js/worker.js", import.meta.url), "utf8");
const whole = (address) => new URL(typeof address === "string" ? address : address.url, ORIGIN).href;

class Store {
  constructor() { this.all = new Map(); }
  async put(address, answer) { this.all.set(whole(address), answer); }
  async delete(address) { return this.all.delete(whole(address)); }
  async keys() { return [...this.all.keys()].map((url) => ({ url })); }
  async addAll(list) { for (const address of list) this.all.set(whole(address), new Response(address)); }
  async match(address, { ignoreSearch = false } = {}) {
    const wanted = whole(address);
    const bare = (url) => url.split("?")[0];
    const found = [...this.all].find(([url]) => (ignoreSearch ? bare(url) === bare(wanted) : url === wanted));
    return found?.[1].clone();
  }
}

/** A worker of a build, with what the browser keeps for it and a server that answers `pages`. */
function worker(build, stores = new Map()) {
  const heard = {};
  const server = { pages: {}, asked: [], down: false };
  const caches = {
    async open(name) {
      if (!stores.has(name)) stores.set(name, new Store());
      return stores.get(name);
    },
    async keys() { return [...stores.keys()]; },
    async delete(name) { return stores.delete(name); },
    async match(address, { cacheName, ...how }) { return (await this.open(cacheName)).match(address, how); },
  };
  const fetch = async (request) => {
    const { pathname, search } = new URL(whole(request));
    server.asked.push(pathname + search);
    if (server.down) throw new TypeError("no line");
    const page = server.pages[pathname + search];
    if (page === undefined) return new Response("nothing here", { status: 404 });
    return typeof page === "string" ? new Response(page) : Response.json(page);
  };
  const self = { addEventListener: (kind, act) => { heard[kind] = act; }, skipWaiting() {}, clients: { claim() {} } };
  const given = { self, caches, fetch, location: { origin: ORIGIN }, URL, URLSearchParams, Response, Headers, AbortController, setTimeout, clearTimeout };
  vm.runInNewContext(`const BUILD = ${JSON.stringify(build)}; const FILES = ["/assets/app.css"];${source}`, given);
  const waited = async (kind, event = {}) => {
    let work;
    heard[kind]({ ...event, waitUntil: (promise) => { work = promise; } });
    return work;
  };
  return {
    stores, server,
    install: () => waited("install"),
    activate: () => waited("activate"),
    /** What it answers; nothing where it leaves a request to the browser. */
    async get(address, { method = "GET", accept = "text/html", origin = ORIGIN, anew = false } = {}) {
      let answer;
      const headers = new Headers({ accept, ...(anew ? { "x-anew": "1" } : {}) });
      const request = { url: origin + address, method, headers };
      heard.fetch({ request, respondWith: (promise) => { answer = promise; } });
      return (await answer)?.text();
    },
    async tell(data) {
      let told;
      await waited("message", { data, ports: [{ postMessage: (value) => { told = value; } }] });
      if (told.error) throw new Error(told.error);
      return told.value;
    },
  };
}

/** Gives a server a job with a day of one page, at a revision. */
function serves(server, id, revision = 1) {
  const page = `/jobs/${id}/install/work?of=7`;
  server.pages[`/jobs/${id}/offline.json`] = { name: id, revision, bundle: `/jobs/${id}/day.json`, pages: [`/jobs/${id}/survey`] };
  server.pages[`/jobs/${id}/day.json`] = { pages: { [page]: `the day of ${id} at ${revision}` } };
  server.pages[`/jobs/${id}/survey`] = `the survey of ${id}`;
  return page;
}

test("without a line a kept job answers as it was kept, and no other page stands in for one that was not", async () => {
  const one = worker("a");
  await one.install();
  const day = serves(one.server, "mill");
  await one.tell({ keep: "mill" });
  one.server.down = true;
  assert.equal(await one.get(day), "the day of mill at 1");
  assert.equal(await one.get("/jobs/mill/survey"), "the survey of mill");
  // Another stretch of the same day, or another point: not that of a neighbour.
  for (const other of ["/jobs/mill/install/work?of=9", "/jobs/mill/survey?point=hall", "/jobs/quay/survey"]) {
    assert.equal(await one.get(other), "/unreachable", other);
  }
});

test("what a page asks anew is never answered by an older copy, and is kept once it came", async () => {
  const one = worker("a");
  await one.install();
  const day = serves(one.server, "mill");
  await one.tell({ keep: "mill" });
  one.server.down = true;
  assert.equal(await one.get(day), "the day of mill at 1");
  await assert.rejects(async () => {
    const answer = await one.get(day, { anew: true });
    // A network error, as a browser gives it: no page at all.
    if (answer === "") throw new TypeError("no line");
  });
  one.server.down = false;
  one.server.pages[day] = "the day of mill, ticked";
  assert.equal(await one.get(day, { anew: true }), "the day of mill, ticked");
  one.server.down = true;
  assert.equal(await one.get(day), "the day of mill, ticked");
});

test("the guide begins anew at its first question where a later one was not kept", async () => {
  const one = worker("a");
  await one.install();
  serves(one.server, "mill");
  one.server.pages["/jobs/mill/install/fault"] = "which device?";
  await one.tell({ keep: "mill" });
  assert.equal(await one.get("/jobs/mill/install/fault"), "which device?");
  one.server.down = true;
  assert.equal(await one.get("/jobs/mill/install/fault?device=d1"), "which device?");
});

test("the walk test of any device is the page of its storey; what the guide weighs is kept along", async () => {
  const one = worker("a");
  await one.install();
  serves(one.server, "mill");
  const walks = { "": "ground", "?floor=g": "ground", "?floor=u": "upstairs" };
  for (const [of, page] of Object.entries(walks)) one.server.pages[`/jobs/mill/walk${of}`] = page;
  one.server.pages["/jobs/mill/install/guide.json"] = { sure: 0.8 };
  one.server.pages["/jobs/mill/offline.json"].pages = [...Object.keys(walks).map((of) => `/jobs/mill/walk${of}`), "/jobs/mill/install/guide.json"];
  await one.tell({ keep: "mill" });
  one.server.down = true;
  assert.equal(await one.get("/jobs/mill/walk?device=r2&floor=u"), "upstairs");
  assert.equal(await one.get("/jobs/mill/walk?device=r2"), "ground");
  assert.equal(await one.get("/jobs/mill/install/guide.json", { accept: "*/*" }), '{"sure":0.8}');
});

test("what changes a job, what is another's and what is no page is left to the browser", async () => {
  const one = worker("a");
  for (const [address, how] of [
    ["/jobs/mill/edits", { method: "POST" }],
    ["/jobs/mill/survey", { origin: "http://elsewhere.test" }],
    ["/jobs/mill/record.json", { accept: "application/json" }],
    ["/healthz", {}],
  ]) {
    assert.equal(await one.get(address, how), undefined, address);
  }
  assert.deepEqual(one.server.asked, []);
});

test("a page of a job that nobody keeps is shown and not kept; a page that was refused neither", async () => {
  const one = worker("a");
  one.server.pages["/jobs/quay/survey"] = "seen once";
  assert.equal(await one.get("/jobs/quay/survey"), "seen once");
  assert.equal(await one.get("/jobs/quay/reach"), "nothing here");
  assert.deepEqual(await one.stores.get("pages").keys(), []);
});

test("the same revision by the same build is fetched once; a new revision, a new build or a pin brings all again", async () => {
  const one = worker("a");
  const day = serves(one.server, "mill");
  const days = (of) => of.server.asked.filter((address) => address === "/jobs/mill/day.json").length;
  await one.tell({ keep: "mill" });
  await one.tell({ keep: "mill" });
  assert.equal(days(one), 1);
  serves(one.server, "mill", 2);
  await one.tell({ keep: "mill" });
  assert.equal(days(one), 2);
  assert.equal((await one.tell({ keep: "mill", pin: true })).pinned, true);
  const next = worker("b", one.stores);
  serves(next.server, "mill", 2);
  assert.equal((await next.tell({ keep: "mill" })).pinned, true, "what was pinned stays so");
  assert.equal(days(next), 1);
  next.server.down = true;
  assert.equal(await next.get(day), "the day of mill at 2");
});

test("five opened jobs are kept, the oldest goes with all of its pages, and what is pinned stays", async () => {
  const one = worker("a");
  const ids = ["a", "b", "c", "d", "e", "f", "g"];
  for (const id of ids) serves(one.server, id);
  await one.tell({ keep: "a", pin: true });
  for (const id of ids.slice(1)) await one.tell({ keep: id });
  const kept = (await one.tell({ list: true })).map((job) => job.id);
  assert.deepEqual([...kept].sort(), ["a", "c", "d", "e", "f", "g"]);
  const addresses = (await one.stores.get("pages").keys()).map(({ url }) => url);
  assert.ok(!addresses.some((url) => url.includes("/jobs/b/")), addresses.join(" "));
  assert.ok(addresses.some((url) => url.includes("/jobs/a/")));
});

test("a new build throws away the shell of the old one and nothing that a person kept", async () => {
  const old = worker("a");
  await old.install();
  serves(old.server, "mill");
  await old.tell({ keep: "mill" });
  const next = worker("b", old.stores);
  await next.install();
  await next.activate();
  assert.deepEqual([...old.stores.keys()].sort(), ["pages", "shell-b"]);
  next.server.down = true;
  assert.equal(await next.get("/jobs/mill/survey"), "the survey of mill");
  assert.equal(await next.get("/assets/app.css", { accept: "text/css" }), "/assets/app.css");
});

test("a job that does not come is said so, and what was kept before stays", async () => {
  const one = worker("a");
  const day = serves(one.server, "mill");
  await one.tell({ keep: "mill" });
  one.server.down = true;
  await assert.rejects(one.tell({ keep: "mill" }), /no line/);
  assert.equal(await one.get(day), "the day of mill at 1");
});

test("pages of a maker's sheet are read without a line, and go with the last job that has them", async () => {
  const one = worker("a");
  const ids = ["a", "b", "c", "d", "e", "f"];
  for (const id of ids) serves(one.server, id);
  one.server.pages["/images/sheet"] = "the maker's sheet";
  one.server.pages["/images/own"] = "a page of one job";
  one.server.pages["/jobs/a/offline.json"].images = ["/images/sheet", "/images/own"];
  one.server.pages["/jobs/b/offline.json"].images = ["/images/sheet"];
  await one.tell({ keep: "a" });
  one.server.down = true;
  assert.equal(await one.get("/images/sheet"), "the maker's sheet");
  one.server.down = false;
  for (const id of ids.slice(1)) await one.tell({ keep: id });
  // The first job is gone: what it alone had is gone with it, what another has stays.
  const kept = (await one.stores.get("pages").keys()).map(({ url }) => new URL(url).pathname);
  assert.deepEqual(kept.filter((path) => path.startsWith("/images/")), ["/images/sheet"]);
});
