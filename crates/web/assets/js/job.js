// Edits, undo and redo, the saved state, news of others' edits, the live channel.
import { fetchPage, holdsTyped, swapParts } from "./parts.js";
import { forget, ground, isWaiting, keep, keepFlying, kept, newUuid, openQueue, send } from "./queue.js";
import { button, drawWaiting } from "./waiting.js";

// A window keeps its name over a reload: what it did itself is no news to it.
export const client = (sessionStorage["client"] ??= newUuid());
let socket = null;
const hearers = new Map();

export const job = () => document.body.dataset.job;
const shownOf = () => document.querySelector("[data-revision]");
/** The revision that this page shows: the base of what is changed on it. */
export const revision = () => Number(shownOf().dataset.revision);
/** What waits for the connection, oldest first. */
export const waitingEdits = () => kept();
export const newId = (stem) => `${stem}-${newUuid().slice(0, 8)}`;
export { newUuid };

/** A refusal: `message`, the `field` it belongs to, whether another changed the same meanwhile, or
 * whether there was no connection, so that nothing was refused at all. */
export class Refused extends Error {
  constructor({ message, field, conflict, offline }) {
    super(message ?? "the server did not take it");
    this.field = field ?? "";
    this.conflict = Boolean(conflict);
    this.offline = Boolean(offline);
  }
}

/** Sends a value as JSON, or a form as it is; with a photo, both as one form. */
export function post(address, value, photo = null, limit = 0) {
  if (photo) {
    const form = new FormData();
    form.append("edit", JSON.stringify(value));
    form.append("image", photo, "photo.jpg");
    return post(address, form, null, limit);
  }
  if (value instanceof FormData) return fetched(address, { method: "POST", body: value }, limit);
  const body = JSON.stringify(value);
  // A change outlives the page that made it: browsers let 64 kB go on so.
  const sent = { method: "POST", headers: { "content-type": "application/json" }, body, keepalive: body.length < 30_000 };
  return fetched(address, sent, limit);
}

/** How long a change from the outbox waits for its answer before it is sent again. */
const ANSWER_MS = 15_000;
/** What is sent again later, as if there were no line: the server is not well, is busy, or wants somebody known. */
const isLater = (status) => status >= 500 || status === 401 || status === 408 || status === 429;

export async function fetched(address, request = {}, limit = 0) {
  let answer;
  const signal = limit > 0 ? AbortSignal.timeout(limit) : undefined;
  try {
    answer = await fetch(address, { ...request, headers: { ...request.headers, "x-page": "1" }, signal });
  } catch {
    throw new Refused({ message: "there is no connection; try again when it is back", offline: true });
  }
  if (limit > 0 && answer.status === 401) {
    signedOut();
    throw new Refused({ message: "you are signed out: it is kept, and sent once you are in again", offline: true });
  }
  if (limit > 0 && isLater(answer.status)) {
    throw new Refused({ message: "the server cannot take it now; it is sent again", offline: true });
  }
  meetBuild(answer.headers.get("x-build"));
  const told = await answer.json().catch(() => ({}));
  if (!answer.ok || answer.headers.has("x-refused")) throw new Refused(told);
  return told;
}

let metSignOut = false;
/** A session that ran out meanwhile: nothing is lost by it, and one press leads to signing in and back here. */
function signedOut() {
  if (metSignOut) return;
  metSignOut = true;
  const then = encodeURIComponent(location.pathname + location.search);
  notice("You are signed out. What you do here is kept on this machine, and sent once you are in again.", [
    ["Sign in", () => location.assign(`/sign-in?then=${then}`)],
  ]);
}

let metOther = false;
/** A page that is older than the server says so, once; what waits is kept and goes on being sent. */
function meetBuild(build) {
  const own = document.querySelector('meta[name="build"]')?.content;
  if (metOther || !build || !own || build === own) return;
  metOther = true;
  const words = "The program was renewed since this page was loaded. What waits here is kept and sent; "
    + "load the page again when nothing is half typed.";
  notice(words, [["Load it again", () => location.reload()]]);
}

function say(text) {
  const saved = document.querySelector("[data-saved]");
  if (saved) saved.textContent = text;
}

/** Shows a message, with buttons `[words, act]`, until something else is done. */
export function notice(text, buttons = []) {
  const box = document.querySelector("[data-notice]");
  box.replaceChildren(document.createTextNode(text));
  for (const [words, act] of [...buttons, ["Close", () => {}]]) {
    box.append(button(words, () => { box.hidden = true; act(); }));
  }
  box.hidden = false;
}

/** Says that all is saved, unless something waits or was refused. */
export const saved = () => {
  if (!document.querySelector("[data-waiting]").hidden || queued.size > 0) return;
  // A field that was refused is not saved, whatever else is.
  say(document.querySelector(".field-error[data-shown]") ? "Not all saved" : "Saved");
};

// What one page sends goes out one after the other: a step must not overtake the tick that it rests on.
let before = Promise.resolve();
const queued = new Set();
function inTurn(work) {
  const turn = before.then(work);
  before = turn.catch(() => {});
  return turn;
}
// A page that is left sends the rest at once; it is kept as well, and taken once.
window.addEventListener("pagehide", () => {
  for (const { address, body, photo } of queued) if (!photo) post(address, body).catch(() => {});
});

/** Sends a change: it is kept in the outbox first, and goes out of it when the server has answered. Gives the
 * answer, or nothing where it waits. */
function sendOrKeep(address, sent, words, photo = null, more = {}) {
  const entry = { id: sent.edit_id, address, body: sent, words, at: new Date().toISOString(), photo, ...more };
  queued.add(entry);
  // It is kept at once, whosever turn it is.
  const keeping = isWaiting().catch(() => false).then(async (waits) => {
    if (waits) await keepOrSay(entry);
    return { waits, isKept: waits || await keepFlying(entry).then(() => true, () => false) };
  });
  keeping.catch(() => {});
  return inTurn(async () => {
    const { waits, isKept } = await keeping.finally(() => queued.delete(entry));
    return sendKept(entry, isKept, waits);
  });
}

/** Sends what is kept, once it is its turn; behind what found no line it waits. */
async function sendKept(entry, isKept, waits) {
  const { address, body: sent, photo } = entry;
  if (waits || await isWaiting().catch(() => false)) {
    if (!isKept) await keepOrSay(entry);
    else if (!waits) await ground(entry.id);
    send();
    return null;
  }
  try {
    const told = await post(address, sent, photo, ANSWER_MS);
    if (isKept) await forget(entry);
    return told;
  } catch (refused) {
    if (!refused.offline) {
      if (isKept) await forget(entry);
      throw refused;
    }
    if (isKept) await ground(entry.id);
    else await keepOrSay(entry);
    return null;
  }
}

/** Keeps a change; where this browser cannot, it says so at once, and nothing is shown as done. */
async function keepOrSay(entry) {
  try {
    await keep(entry);
  } catch {
    const message = `There is no connection, and this browser has no room to keep “${entry.words}”. `
      + "It is not recorded: write it down, or make room and do it again";
    notice(message);
    throw new Refused({ message });
  }
}

/** Makes an edit or a gesture. It is refused at once with the server's words, or stands, or is kept
 * until there is a connection. `look` asks for the parts of the page along with the answer. */
export async function edit(change, options = {}) {
  const sent = {
    edit: change,
    edit_id: newUuid(),
    client,
    base: options.force ? null : revision(),
    ...(options.look ? { look: options.look } : {}),
    ...(options.how ? { how: options.how } : {}),
  };
  say("Saving…");
  try {
    const address = `/jobs/${job()}/${options.photo ? "photo-edits" : "edits"}`;
    const more = { deed: options.deed, comes: options.comes, ...(options.box ? { box: options.box } : {}) };
    const told = await sendOrKeep(address, sent, options.words ?? words(change), options.photo, more);
    options.taken?.(told);
    if (!told) return null;
    taken = Math.max(taken, told.revision ?? 0);
    saved();
    if (told.html) show(told);
    else if (!options.quiet) await refresh(options.keep).catch(afterSaving);
    return told;
  } catch (refused) {
    say("Not saved");
    if (refused.conflict) {
      notice(refused.message, [
        ["Keep mine", () => edit(change, { ...options, force: true }).catch((e) => notice(e.message))],
        ["Take theirs", () => refresh().then(saved)],
      ]);
    }
    throw refused;
  }
}

/** Records something that is no edit by itself, such as lines of readings; gives the answer, or nothing where
 * it is kept until there is a connection. */
export const record = (place, value, words) =>
  sendOrKeep(`/jobs/${job()}/${place}`, { ...value, client, edit_id: newUuid() }, words);

const NAMES = { floor: "storey", job: "brief", slab: "floor slab", emitter: "source on the air", "wiring-record": "wiring" };

/** What a change does, for the list of what waits. */
function words(change) {
  const what = NAMES[change.kind] ?? change.kind;
  switch (change.do) {
    case "put": return `${what} ${change.value.name ?? ""}`.trim();
    case "set": return `${what}: ${change.field.replaceAll(/[_.]/g, " ")}`;
    case "remove": return `remove a ${what}`;
    case "batch": return change.edits.length === 0 ? "nothing" : words(change.edits[0]);
    default: return change.do.replaceAll("-", " ");
  }
}

// Answers can come in another order than they were asked for: what was asked before what is shown is not shown after it.
let asks = 0;
let shownUpTo = 0;
// The revision that this window's last change made.
let taken = 0;

/** Shows parts that came with an answer, and which revision they are of. */
function show({ html, shown, revision }) {
  asks += 1;
  shownUpTo = asks;
  swapParts(html);
  shownOf().dataset.revision = shown ?? revision;
  document.dispatchEvent(new CustomEvent("refreshed"));
}

function showWaiting(waiting, refused, flying) {
  document.dispatchEvent(new CustomEvent("queue"));
  const box = document.querySelector("[data-waiting]");
  drawWaiting(box, waiting, refused);
  // Until the outbox was read nobody knows whether all is saved, and nothing says so.
  if (box.hidden && !box.hasAttribute("data-read")) {
    if (flying > 0) say("Saving…");
    else saved();
  }
  box.dataset.read = "";
  if (waiting.length > 0) say(`${waiting.length} waiting`);
  else if (refused.length > 0) say(`${refused.length} not taken`);
}

/** What of a list could not be taken, each with its place. */
export function listFindings(list, findings) {
  list.hidden = findings.length === 0;
  list.replaceChildren(...findings.map(({ place, reason }) => {
    const item = document.createElement("li");
    item.textContent = place ? `${place}: ${reason}` : reason;
    return item;
  }));
}

// One after the other, however quickly they are pressed.
let steps = Promise.resolve();

/** Takes back or makes again one's own last change, or takes back that of the revision `of`. */
export function step(act, force = false, of = null) {
  steps = steps.then(() => oneStep(act, force, of));
  return steps;
}

async function oneStep(act, force, of) {
  const sent = { client, edit_id: newUuid(), ...(force ? { force: true } : {}), ...(of === null ? {} : { of }) };
  try {
    const told = await sendOrKeep(`/jobs/${job()}/${act}`, sent, act);
    if (!told) return;
    say(act === "undo" ? "Undone" : "Redone");
    await refresh();
  } catch (refused) {
    const insist = [[act === "undo" ? "Undo it all the same" : "Redo it all the same", () => step(act, true, of)]];
    notice(refused.message, refused.conflict ? insist : []);
  }
}

/** Brings every part of the page up to date. */
export async function refresh(keepParts = []) {
  asks += 1;
  const asked = asks;
  const html = await fetchPage(location.href).catch(goOnElsewhere);
  if (html === null) return;
  if (asked < shownUpTo || isOlder(html)) return;
  shownUpTo = asked;
  swapParts(html, keepParts);
  document.dispatchEvent(new CustomEvent("refreshed"));
}

/** Whether a page was made before this window's last change was taken: it would show that undone. */
const isOlder = (html) => Number(/ data-revision="(\d+)"/.exec(html)?.[1] ?? Infinity) < taken;

/** Where a page is over, it goes on elsewhere; not under what is being typed. */
function goOnElsewhere(gone) {
  if (!gone.elsewhere) throw gone;
  const goOn = () => location.assign(gone.elsewhere);
  if (holdsTyped()) notice("This part is planned otherwise by now. What you typed stands here until you go on.", [["Go on", goOn]]);
  else goOn();
  return null;
}

/** As `refresh`, where nobody waits for it: without a connection the page stays as it is. */
const refreshQuietly = () => refresh().catch(() => {});

const AGAIN_MS = 3000;
let askAgain = 0;
/** What was saved stands, even where the page that shows it did not come: that is asked for again, or told of. */
function afterSaving(failed) {
  clearTimeout(askAgain);
  if (failed.offline) askAgain = setTimeout(() => refresh().catch(afterSaving), AGAIN_MS);
  else notice(`It is saved. This page could not be worked out anew: ${failed.message}.`);
}

/** Sends a question over the live channel; false when there is none. */
export function ask(question) {
  if (socket?.readyState !== WebSocket.OPEN) return false;
  socket.send(JSON.stringify(question));
  return true;
}

/** Calls `act` with each answer of a kind. */
export function hear(kind, act) {
  hearers.set(kind, act);
}

let isSentAway = false;
function connect() {
  // Whoever has some pages of a job alone has no channel to it; and whoever was signed out comes back by signing in.
  if (isSentAway || "alone" in document.body.dataset) return;
  const scheme = location.protocol === "https:" ? "wss" : "ws";
  const at = document.querySelector(".stages [aria-current]")?.textContent.trim() ?? "";
  socket = new WebSocket(`${scheme}://${location.host}/jobs/${job()}/live?${new URLSearchParams({ client, at })}`);
  socket.addEventListener("message", ({ data }) => {
    const told = JSON.parse(data);
    hearers.get(told.tell)?.(told);
  });
  socket.addEventListener("open", () => {
    document.documentElement.dataset.live = "true";
    document.dispatchEvent(new CustomEvent("line"));
    delete document.documentElement.dataset.line;
    // What was missed meanwhile is asked for, and what was asked meanwhile is asked again: a page may have come as it was kept.
    ask({ ask: "revision" });
    document.dispatchEvent(new CustomEvent("live"));
    send();
  });
  socket.addEventListener("close", () => {
    document.documentElement.dataset.line = "lost";
    delete document.documentElement.dataset.live;
    document.dispatchEvent(new CustomEvent("line"));
    // Who is there is not known any longer.
    showHere({ others: [] });
    document.dispatchEvent(new CustomEvent("live-lost"));
    setTimeout(connect, 1500);
  });
}

function isTyping(target) {
  return target instanceof HTMLElement && target.matches("input, textarea, select");
}

function keys(event) {
  const key = event.key.toLowerCase();
  if ((event.ctrlKey || event.metaKey) && (key === "z" || key === "y")) {
    if (isTyping(event.target)) return;
    event.preventDefault();
    step(key === "y" || event.shiftKey ? "redo" : "undo");
  } else if (key === "/" && !isTyping(event.target)) {
    event.preventDefault();
    document.querySelector("[data-command]")?.focus();
  }
}

function goTo(input) {
  const wanted = input.value.trim().toLowerCase();
  const options = [...document.querySelectorAll("#commands option")];
  const found =
    options.find((o) => o.value.toLowerCase() === wanted) ??
    options.find((o) => wanted && o.value.toLowerCase().includes(wanted));
  if (found) location.assign(found.dataset.href);
}

/** Who else has a page of this job open, and which. */
function showHere({ others }) {
  const place = document.querySelector("[data-here]");
  if (!place) return;
  const named = others.map(({ who, at }) => [who || "Somebody", at].filter(Boolean).join(", "));
  place.hidden = named.length === 0;
  const also = Object.assign(document.createElement("span"), { className: "also", textContent: "Also here: " });
  place.replaceChildren(...(named.length === 1 ? [also, named[0]] : [`${named.length} others here`]));
  place.title = named.join("\n");
}

// Long work: the page says what it waits for; how far it is, and that it is done, comes by the channel.
function startWork() {
  const place = () => document.querySelector("[data-long]");
  const begin = () => { if (place()) ask(JSON.parse(place().dataset.long)); };
  document.addEventListener("live", begin);
  // What an edit brought may be under way again.
  document.addEventListener("refreshed", begin);
  hear("working", ({ done, of }) => {
    const line = place();
    if (line) line.textContent = line.dataset.says.replace("{done}", done).replace("{of}", of);
    document.dispatchEvent(new CustomEvent("working", { detail: { done, of } }));
  });
  hear("worked", ({ found }) => {
    document.dispatchEvent(new CustomEvent("worked", { detail: { found } }));
    if (place() && !found) place().textContent = "That was broken off. Load the page again to begin anew.";
    else refreshQuietly();
  });
}

export function startJob() {
  if (!job()) return;
  const again = (address, body, photo) => post(address, body, photo, ANSWER_MS);
  const hooks = { post: again, changed: showWaiting, drained: () => { saved(); refreshQuietly(); } };
  openQueue(job(), hooks, document.body.dataset.person ?? "")
    .catch(() => notice("This browser keeps nothing: without a connection, write down what you do."));
  hear("revision", (told) => {
    if (told.client === client || told.revision <= revision()) return;
    refreshQuietly();
    if (told.who) say(`${told.who} changed it`);
  });
  hear("error", (told) => notice(told.message));
  hear("here", showHere);
  hear("sent-away", () => {
    isSentAway = true;
    signedOut();
  });
  startWork();
  connect();
  document.addEventListener("keydown", keys);
  document.addEventListener("click", (event) => {
    const pressed = event.target.closest("[data-act]");
    if (pressed) step(pressed.dataset.act);
    if (event.target.closest("[data-print]")) window.print();
    const back = event.target.closest("[data-put-back]");
    if (back) step("undo", false, Number(back.dataset.putBack));
  });
  const command = document.querySelector("[data-command]");
  command?.addEventListener("change", () => goTo(command));
}

/** The rows of jobs whose standing nobody has worked out yet, one after the other. */
export async function startStandings() {
  for (let row = document.querySelector("[data-standing]"); row; row = document.querySelector("[data-standing]")) {
    const id = row.dataset.standing;
    delete row.dataset.standing;
    await fetchPage(`/jobs/${id}/standing`).then(swapParts, () => {});
  }
}
