// The outbox of a phone: what is done is kept before it is sent, and goes out once and in its order, whatever
// happens on the way: a server that is not well, no answer, a page that is loaded again, no room, two tabs.
import assert from "node:assert/strict";
import test, { beforeEach, mock } from "node:test";

/** As much of a browser's database as the outbox uses: one store, one transaction after the other, no room on wish. */
const disk = { held: new Map(), isFull: false };
const queue = [];
const noRoom = () => new DOMException("no room", "QuotaExceededError");

/** Goes on with the transaction that is in front: its requests in order, then its end. */
function go() {
  const [first] = queue;
  if (!first || first.isBusy) return;
  first.isBusy = true;
  queueMicrotask(() => {
    first.isBusy = false;
    const asked = first.requests.shift();
    if (asked) {
      asked.act();
      asked.made.onsuccess?.call(asked.made);
    } else {
      queue.shift();
      if (first.error) first.onabort?.();
      else first.oncomplete?.();
    }
    go();
  });
}

function transaction() {
  const made = { requests: [], isBusy: false };
  queue.push(made);
  const ask = (act) => {
    const request = {};
    made.requests.push({ made: request, act: () => { request.result = act(); } });
    go();
    return request;
  };
  const size = (value) => JSON.stringify(value ?? "").length;
  const store = {
    transaction: made,
    get: (key) => ask(() => structuredClone(disk.held.get(key))),
    put: (value, key) => ask(() => {
      if (disk.isFull && size(value) > size(disk.held.get(key))) made.error = noRoom();
      else disk.held.set(key, structuredClone(value));
    }),
    delete: (key) => ask(() => void disk.held.delete(key)),
  };
  return { objectStore: () => store };
}

function opened() {
  const request = { result: { createObjectStore() {}, transaction } };
  queueMicrotask(() => request.onsuccess?.call(request));
  return request;
}

Object.assign(globalThis, {
  indexedDB: { open: opened },
  BroadcastChannel: undefined,
  window: { addEventListener() {} },
});

let tabs = 0;
/** A page that is loaded: a module of its own over the same database. */
async function loaded(post) {
  tabs += 1;
  const page = await import(`../../assets/js/queue.js?tab=${tabs}`);
  const seen = { waiting: [], refused: [], flying: null, drained: 0 };
  const changed = (waiting, refused, flying) => Object.assign(seen, { waiting, refused, flying });
  await page.openQueue("mill", { post, changed, drained: () => { seen.drained += 1; } });
  return { ...page, seen };
}

const entry = (id) => ({ id, address: "/jobs/mill/edits", body: { edit_id: id, base: 3 }, words: `change ${id}` });
const offline = () => Promise.reject(Object.assign(new Error("not now"), { offline: true }));
const settle = async () => { for (let n = 0; n < 3000; n += 1) await Promise.resolve(); };
const wait = async (ms) => { mock.timers.tick(ms); await settle(); };

beforeEach(() => {
  mock.timers.reset();
  mock.timers.enable({ apis: ["setTimeout", "Date"], now: 1_000_000 });
  disk.held.clear();
  disk.isFull = false;
});

test("what meets a server that is not well is sent again, in its order and once", async () => {
  const got = [];
  let isWell = false;
  const page = await loaded((_, body) => (isWell ? (got.push(body.edit_id), Promise.resolve({})) : offline()));
  for (const id of ["a", "b", "c"]) await page.keep(entry(id));
  await wait(3100);
  assert.deepEqual(got, []);
  assert.equal(page.seen.waiting.length, 3);
  isWell = true;
  await wait(3100);
  assert.deepEqual(got, ["a", "b", "c"]);
  assert.deepEqual(await page.kept(), []);
});

test("what was on its way when the page was loaded again goes out by the next page", async () => {
  const first = await loaded(() => new Promise(() => {}));
  // Kept before it is sent; no answer ever comes.
  await first.keepFlying(entry("a"));
  assert.equal(await first.isWaiting(), false, "what is on its way at this moment is no news");
  const got = [];
  const second = await loaded((_, body) => { got.push(body.edit_id); return Promise.resolve({}); });
  assert.deepEqual([second.seen.waiting.length, second.seen.flying], [0, 1], "and a page never calls that saved");
  await wait(3100);
  assert.deepEqual(got, [], "the page that sends it may still be there");
  await wait(21_000);
  await wait(3100);
  assert.deepEqual(got, ["a"]);
  assert.deepEqual(await second.kept(), []);
});

test("a browser without room says so, and keeps what it has", async () => {
  const page = await loaded(offline);
  await page.keep(entry("a"));
  disk.isFull = true;
  await assert.rejects(page.keep(entry("b")));
  assert.deepEqual((await page.kept()).map((e) => e.id), ["a"]);
});

test("what was refused stays until a person decides, and goes over others' work only where that was the matter", async () => {
  const bodies = [];
  let refusal = { message: "too high", field: "height_m", conflict: false };
  const page = await loaded((_, body) => {
    bodies.push(body);
    return refusal ? Promise.reject(Object.assign(new Error(refusal.message), refusal)) : Promise.resolve({});
  });
  await page.keep(entry("a"));
  await wait(3100);
  assert.equal(page.seen.refused.length, 1);
  assert.equal(page.seen.refused[0].refused.message, "too high");
  await page.decide("a", true);
  await settle();
  assert.equal(bodies.at(-1).force, undefined);
  refusal = { message: "Bo changed it", field: "name", conflict: true };
  await page.decide("a", true);
  await settle();
  refusal = null;
  await page.decide("a", true);
  await settle();
  assert.deepEqual([bodies.at(-1).force, bodies.at(-1).base], [true, null]);
  assert.deepEqual(await page.kept(), []);
  await page.keep(entry("b"));
  await page.decide("b", false);
  assert.deepEqual(await page.kept(), []);
});

test("two tabs over one outbox send each change once", async () => {
  const got = [];
  const post = async (_, body) => {
    for (let n = 0; n < 20; n += 1) await Promise.resolve();
    got.push(body.edit_id);
    return {};
  };
  const [one, other] = [await loaded(post), await loaded(post)];
  for (const id of ["a", "b", "c", "d"]) await (id < "c" ? one : other).keep(entry(id));
  one.send();
  other.send();
  await settle();
  await wait(3100);
  await wait(21_000);
  await wait(3100);
  assert.deepEqual(got, ["a", "b", "c", "d"]);
});

test("of pasted lines those that could not be read stay with their reasons", async () => {
  const findings = [{ place: "line 2", reason: "“soon” is no time" }];
  const page = await loaded(() => Promise.resolve({ taken: 1, findings }));
  await page.keep({ ...entry("a"), body: { edit_id: "a", csv: "one,1\nsoon,2" } });
  await wait(3100);
  assert.match(page.seen.refused[0].refused.message, /line 2: soon,2 “soon” is no time/);
});
