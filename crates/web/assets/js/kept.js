// What this phone keeps for where there is no signal, and whether it can keep anything at all.
import { job, notice } from "./job.js";
import { ownScript } from "./workers.js";

let worker = null;

/** Asks the worker; an error where there is none. */
function ask(message) {
  return new Promise((resolve, reject) => {
    const target = navigator.serviceWorker?.controller ?? worker?.active;
    if (!target) return void reject(new Error("this browser keeps no pages"));
    const channel = new MessageChannel();
    channel.port1.onmessage = ({ data }) => (data.error ? reject(new Error(data.error)) : resolve(data.value));
    target.postMessage(message, [channel.port2]);
  });
}

const clock = (at) => new Date(at).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", hourCycle: "h23" });

function line(text, ...more) {
  for (const place of document.querySelectorAll("[data-kept-line]")) place.replaceChildren(text, " ", ...more);
}

function pinButton(entry) {
  const button = document.createElement("button");
  button.type = "button";
  button.className = "small";
  button.textContent = entry.pinned ? "Kept on this phone" : "Keep on this phone";
  button.setAttribute("aria-pressed", String(entry.pinned));
  button.addEventListener("click", () => ask({ keep: entry.id, pin: !entry.pinned }).then(told, failed));
  return button;
}

function told(entry) {
  document.documentElement.dataset.kept = String(entry.revision);
  line(`Kept on this phone for no signal, as of ${clock(entry.at)}.`, pinButton(entry));
}

function failed(error) {
  line(`Not kept on this phone: ${error.message}.`);
}

/** Takes every page from this phone that it keeps. */
export const forgetKept = () => ask({ clear: true });

const FRESH_MS = 10 * 60_000;
const isDay = () => document.querySelector("[data-kept-line], [data-day]") !== null;

/** Keeps the job that is open, and says so where there is a place for it. On the pages of the day it is
 * brought up to date each time; elsewhere, on a phone, where the copy has grown old. */
async function keepJob() {
  if (!document.querySelector("[data-kept-line]")) {
    const list = await ask({ list: true }).catch(() => []);
    const known = list.find((entry) => entry.id === job());
    const isFresh = known && Date.now() - Date.parse(known.at) < FRESH_MS;
    if (isFresh) return;
  }
  try {
    told(await ask({ keep: job() }));
  } catch (error) {
    const known = await ask({ list: true }).then((list) => list.find((entry) => entry.id === job()), () => null);
    if (known) told(known);
    else failed(error);
  }
}

/** Says before anything is lost that this browser has no room, or keeps nothing. */
async function checkRoom() {
  try {
    const { usage = 0, quota = 0 } = (await navigator.storage?.estimate?.()) ?? {};
    if (quota > 0 && usage > 0.9 * quota) {
      notice("This phone has little room left: what is recorded without a signal may not be kept. Make room, or stay where there is a signal.");
    }
    await navigator.storage?.persist?.();
  } catch {
    // A browser that does not tell is found out by the first change that has to wait.
  }
}

async function listJobs() {
  const list = document.querySelector("[data-kept-jobs]");
  if (!list) return;
  const kept = await ask({ list: true }).catch(() => []);
  list.replaceChildren(...kept.map((entry) => {
    const item = document.createElement("li");
    const link = Object.assign(document.createElement("a"), { href: `/jobs/${entry.id}/install`, textContent: entry.name });
    item.append(link);
    return item;
  }));
}

// Where nobody works without a signal, the page comes first.
const LATER_MS = 4000;

export async function startKept() {
  await listJobs();
  if (!isDay()) {
    // At a desk nothing is kept but by the pages of the day.
    if (!matchMedia("(pointer: coarse)").matches) return;
    await new Promise((resolve) => { setTimeout(resolve, LATER_MS); });
  }
  if (!("serviceWorker" in navigator)) return void failed(new Error("this browser cannot; use it over HTTPS or on this machine"));
  try {
    worker = await navigator.serviceWorker.register(ownScript("/sw.js"));
    await navigator.serviceWorker.ready;
  } catch (error) {
    // Without a line to the server the worker that is there goes on.
    if (!navigator.serviceWorker.controller) return void failed(error);
  }
  await ask({ owner: document.body.dataset.person ?? "" }).catch(() => {});
  if (!job()) return;
  await keepJob();
  await checkRoom();
}
