// Edits, undo and redo, the saved state, news of others' edits, the live channel.
import { fetchPage, swapParts } from "./parts.js";

export const client = crypto.randomUUID();
const body = document.body;
const waiting = [];
let sending = false;
let socket = null;
const hearers = new Map();

export const job = () => body.dataset.job;
export const newId = (stem) => `${stem}-${crypto.randomUUID().slice(0, 8)}`;

/** A refusal of the server: `message`, the `field` it belongs to, whether it is a conflict. */
export class Refused extends Error {
  constructor({ message, field, conflict }) {
    super(message ?? "the server did not take it");
    this.field = field ?? "";
    this.conflict = Boolean(conflict);
  }
}

export async function post(address, value) {
  const isForm = value instanceof FormData;
  let answer;
  try {
    answer = await fetch(address, {
      method: "POST",
      headers: isForm ? {} : { "content-type": "application/json" },
      body: isForm ? value : JSON.stringify(value),
    });
  } catch {
    throw new Refused({ message: "no connection; it is kept here and sent again" , field: "offline" });
  }
  const told = await answer.json().catch(() => ({}));
  if (!answer.ok) throw new Refused(told);
  return told;
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
    const button = document.createElement("button");
    button.type = "button";
    button.textContent = words;
    button.addEventListener("click", () => { box.hidden = true; act(); });
    box.append(button);
  }
  box.hidden = false;
}

/** Makes an edit. It is refused at once with the server's words, or stands. */
export async function edit(change, options = {}) {
  const sent = {
    edit: change,
    edit_id: options.editId ?? crypto.randomUUID(),
    client,
    base: options.force ? null : Number(body.dataset.revision),
  };
  say("Saving…");
  try {
    const told = await post(`/jobs/${job()}/edits`, sent);
    body.dataset.revision = told.revision;
    say("Saved");
    if (!options.quiet) await refresh(options.keep);
    return told;
  } catch (refused) {
    say("Not saved");
    if (refused.conflict) {
      notice(refused.message, [
        ["Keep mine", () => edit(change, { ...options, force: true })],
        ["Take theirs", () => refresh()],
      ]);
    }
    throw refused;
  }
}

/** Makes an edit that must not be lost: without a connection it waits here and is sent later. */
export function editLater(change) {
  waiting.push({ change, editId: crypto.randomUUID() });
  localStorage.setItem(`waiting-${job()}`, JSON.stringify(waiting));
  return sendWaiting();
}

async function sendWaiting() {
  if (sending || waiting.length === 0) return;
  sending = true;
  try {
    while (waiting.length > 0) {
      const { change, editId } = waiting[0];
      try {
        await edit(change, { editId, force: true, quiet: true });
      } catch (refused) {
        if (refused.field === "offline") {
          say(`${waiting.length} waiting`);
          setTimeout(sendWaiting, 3000);
          return;
        }
        notice(refused.message);
      }
      waiting.shift();
      localStorage.setItem(`waiting-${job()}`, JSON.stringify(waiting));
    }
    await refresh();
  } finally {
    sending = false;
  }
}

export async function step(act) {
  try {
    const told = await post(`/jobs/${job()}/${act}`, { client, edit_id: crypto.randomUUID() });
    body.dataset.revision = told.revision;
    say(act === "undo" ? "Undone" : "Redone");
    await refresh();
  } catch (refused) {
    notice(refused.message);
  }
}

/** Brings every part of the page up to date. */
export async function refresh(keep = []) {
  const fresh = swapParts(await fetchPage(location.href), keep);
  const revision = fresh.querySelector("[data-revision]")?.dataset.revision;
  if (revision) body.dataset.revision = revision;
  document.dispatchEvent(new CustomEvent("refreshed"));
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

function connect() {
  socket = new WebSocket(`ws://${location.host}/jobs/${job()}/live`);
  socket.addEventListener("message", ({ data }) => {
    const told = JSON.parse(data);
    hearers.get(told.tell)?.(told);
  });
  socket.addEventListener("open", () => {
    document.documentElement.dataset.live = "true";
    sendWaiting();
  });
  socket.addEventListener("close", () => {
    delete document.documentElement.dataset.live;
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

export function startJob() {
  if (!job()) return;
  waiting.push(...JSON.parse(localStorage.getItem(`waiting-${job()}`) ?? "[]"));
  hear("revision", (told) => {
    if (told.client === client) return;
    refresh();
    if (told.who) say(`${told.who} changed it`);
  });
  hear("error", (told) => notice(told.message));
  connect();
  window.addEventListener("online", sendWaiting);
  document.addEventListener("keydown", keys);
  document.addEventListener("click", (event) => {
    const button = event.target.closest("[data-act]");
    if (button) step(button.dataset.act);
    if (event.target.closest("[data-print]")) window.print();
  });
  const command = document.querySelector("[data-command]");
  command?.addEventListener("change", () => goTo(command));
  document.addEventListener("change", (event) => {
    const tick = event.target.closest("[data-tick]");
    if (!tick) return;
    editLater({ do: "tick", device: tick.dataset.tick, step: tick.dataset.step, done: tick.checked });
  });
}
