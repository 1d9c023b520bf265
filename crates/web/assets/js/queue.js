// The outbox: whatever changes a job is kept in the browser's database before it is sent, and goes out of it when
// the server has answered. What finds no line, no answer in time or a server that is not well is sent again, in
// its order; what the server refused stays until a person decides. All tabs share one outbox a job; one of them
// sends at a time.
import { del, get, keys, set, update } from "../vendor/idb-keyval.js";

const LEASE_MS = 20_000;
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

/** What waits is of a person: nobody else's sign-in sends it, or sees it. Where nobody signs in, it is of whoever is here. */
let person = "";
const key = () => (person ? `waiting-${person}-${job}` : `waiting-${job}`);

/** How much waits of a person, in all jobs. */
export async function waitingOf(whose) {
  const own = (await keys()).filter((k) => typeof k === "string" && k.startsWith(`waiting-${whose}-`));
  const lists = await Promise.all(own.map((k) => get(k)));
  return lists.flatMap((list) => list ?? []).length;
}

/** All that is kept for this job, oldest first. */
export const kept = async () => (await get(key())) ?? [];

const waiting = (list) => list.filter((entry) => !entry.refused);

/** How long a change that is being sent by its own page is left to that page. */
const FLIGHT_MS = 20_000;
const inFlight = (entry) => (entry.flying ?? 0) > Date.now();
/** What people are told of: what is on its way at this moment is no news. */
const grounded = (list) => waiting(list).filter((entry) => !inFlight(entry));

/** Whether something waits: what comes now waits behind it. */
export const isWaiting = async () => grounded(await kept()).length > 0;

async function change(alter) {
  await update(key(), (list) => alter(list ?? []));
  tabs?.postMessage(job);
  await tell();
}

async function tell() {
  const list = await kept();
  const now = grounded(list).length;
  const drained = shown > 0 && now === 0 && !sending;
  shown = now;
  hooks.changed(grounded(list), list.filter((entry) => entry.refused), waiting(list).length - now);
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

/** Keeps a change that is sent right away: others leave it alone for a while. */
export const keepFlying = (entry) => keep({ ...entry, flying: Date.now() + FLIGHT_MS });

/** A change whose sending found no answer: it waits with the others. */
export async function ground(id) {
  await change((list) => list.map((e) => (e.id === id ? { ...e, flying: 0 } : e)));
  later();
}

/** The photo that goes with a change. */
const photoOf = (entry) => (entry.photo ? get(`photo-${entry.id}`) : Promise.resolve(null));

/** A change that is through, or let go. */
export async function forget(entry) {
  await change((list) => list.filter((e) => e.id !== entry.id));
  if (entry.photo) await del(`photo-${entry.id}`);
}

/** A person's answer to a refusal: send it again over what others did, or let it go. */
export async function decide(id, again) {
  const entry = (await kept()).find((e) => e.id === id);
  if (!entry) return;
  if (again) {
    // Over what others did only where that was the refusal, and a person said so.
    const over = entry.refused?.conflict ? { base: null, force: true } : {};
    const anew = { ...entry, refused: null, body: { ...entry.body, ...over } };
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
  await update(`sender-${key()}`, (held) => {
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
      if (inFlight(next) || !(await lease())) return void later();
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
    await update(`sender-${key()}`, (held) => (held?.tab === tab ? null : held));
  } finally {
    sending = false;
    if (sent > 0) hooks.drained();
  }
}

/** Opens the queue of a job for a person; `given` sends, and hears what waits and what was refused. */
export async function openQueue(of, given, whose = "") {
  [job, person] = [of, whose];
  hooks = { ...hooks, ...given };
  tabs?.addEventListener("message", ({ data }) => { if (data === job) tell(); });
  window.addEventListener("online", send);
  await tell();
  send();
}
