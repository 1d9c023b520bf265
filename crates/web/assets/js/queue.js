// What was done without a connection: kept in the browser's database, sent in its order when the
// server is there again, whatever kind of change it is. All tabs share one queue a job; one of them
// sends at a time. What the server refused stays until a person decides.
import { get, update } from "../vendor/idb-keyval.js";

const LEASE_MS = 8000;
const RETRY_MS = 3000;
const tab = newUuid();
const tabs = typeof BroadcastChannel === "undefined" ? null : new BroadcastChannel("dot-reach-queue");
let hooks = { post: null, changed() {}, drained() {} };
let job = "";
let sending = false;
let shown = 0;
let retry = 0;

/** A random id; on a plain address in a house network the browser has no `randomUUID`. */
export function newUuid() {
  const bytes = crypto.getRandomValues(new Uint8Array(16));
  bytes[6] = (bytes[6] & 0x0f) | 0x40;
  bytes[8] = (bytes[8] & 0x3f) | 0x80;
  const hex = [...bytes].map((b) => b.toString(16).padStart(2, "0")).join("");
  return [hex.slice(0, 8), hex.slice(8, 12), hex.slice(12, 16), hex.slice(16, 20), hex.slice(20)].join("-");
}

const key = () => `waiting-${job}`;

/** All that is kept for this job, oldest first. */
export const kept = async () => (await get(key())) ?? [];

const waiting = (list) => list.filter((entry) => !entry.refused);

/** Whether something waits: what comes now waits behind it. */
export const isWaiting = async () => waiting(await kept()).length > 0;

async function change(alter) {
  await update(key(), (list) => alter(list ?? []));
  tabs?.postMessage(job);
  await tell();
}

async function tell() {
  const list = await kept();
  const now = waiting(list).length;
  const drained = shown > 0 && now === 0 && !sending;
  shown = now;
  hooks.changed(waiting(list), list.filter((entry) => entry.refused));
  // Another tab has sent what this one showed.
  if (drained) hooks.drained();
}

/** Keeps a change behind the others: an address, a body with its `edit_id`, and what it is in words. */
export async function keep(entry) {
  await change((list) => [...list, entry]);
  later();
}

/** A person's answer to a refusal: send it again over what others did, or let it go. */
export async function decide(id, again) {
  await change((list) =>
    again
      ? list.map((e) => (e.id === id ? { ...e, refused: null, body: { ...e.body, base: null, force: true } } : e))
      : list.filter((e) => e.id !== id),
  );
  send();
}

function later() {
  clearTimeout(retry);
  retry = setTimeout(send, RETRY_MS);
}

/** Whether this tab may send: the lease of another ends by itself. */
async function lease() {
  let mine = false;
  await update(`sender-${job}`, (held) => {
    mine = !held || held.tab === tab || held.until < Date.now();
    return mine ? { tab, until: Date.now() + LEASE_MS } : held;
  });
  return mine;
}

/** Sends what waits, in order, until it is empty or the connection is gone again. */
export async function send() {
  if (sending || !job) return;
  sending = true;
  let sent = 0;
  try {
    for (let next = waiting(await kept())[0]; next; next = waiting(await kept())[0]) {
      if (!(await lease())) return void later();
      try {
        await hooks.post(next.address, next.body);
        await change((list) => list.filter((e) => e.id !== next.id));
      } catch (refused) {
        if (refused.offline) return void later();
        const told = { message: refused.message, field: refused.field, conflict: refused.conflict };
        await change((list) => list.map((e) => (e.id === next.id ? { ...e, refused: told } : e)));
      }
      sent += 1;
    }
    // Another tab's lease is its own to end.
    await update(`sender-${job}`, (held) => (held?.tab === tab ? null : held));
  } finally {
    sending = false;
    if (sent > 0) hooks.drained();
  }
}

/** Opens the queue of a job; `given` sends, and hears what waits and what was refused. */
export async function openQueue(of, given) {
  job = of;
  hooks = { ...hooks, ...given };
  tabs?.addEventListener("message", ({ data }) => { if (data === job) tell(); });
  window.addEventListener("online", send);
  await tell();
  send();
}
