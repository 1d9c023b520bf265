// What was done without a connection: kept in the browser's database, sent in its order when the
// server is there again, whatever kind of change it is. All tabs share one queue a job; one of them
// sends at a time. What the server refused stays until a person decides.
import { del, get, set, update } from "../vendor/idb-keyval.js";

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

/** Keeps a change behind the others: an address, a body with its `edit_id`, what it is in words, and a
 * photo that goes with it. Fails where this browser has no room, or keeps nothing. */
export async function keep({ photo, ...entry }) {
  if (photo) await set(`photo-${entry.id}`, photo);
  await change((list) => [...list, photo ? { ...entry, photo: true } : entry]);
  later();
}

/** The photo that goes with a change. */
const photoOf = (entry) => (entry.photo ? get(`photo-${entry.id}`) : Promise.resolve(null));

/** A change that is through, or let go. */
async function forget(entry) {
  await change((list) => list.filter((e) => e.id !== entry.id));
  if (entry.photo) await del(`photo-${entry.id}`);
}

/** A person's answer to a refusal: send it again over what others did, or let it go. */
export async function decide(id, again) {
  const entry = (await kept()).find((e) => e.id === id);
  if (!entry) return;
  if (again) {
    const anew = { ...entry, refused: null, body: { ...entry.body, base: null, force: true } };
    await change((list) => list.map((e) => (e.id === id ? anew : e)));
  } else {
    await forget(entry);
  }
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

/** What could not be read of lines that were sent as text: it stays, with its reasons. */
function unread(entry, told) {
  if (!told?.findings?.length) return null;
  const lines = (entry.body.csv ?? "").split("\n");
  const line = ({ place, reason }) => `${place}: ${lines[Number(place.replace("line ", "")) - 1] ?? ""} ${reason}`;
  return { message: told.findings.map(line).join("; "), field: "", conflict: false };
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
        const told = await hooks.post(next.address, next.body, await photoOf(next));
        const left = unread(next, told);
        if (left) await change((list) => list.map((e) => (e.id === next.id ? { ...e, refused: left } : e)));
        else await forget(next);
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
