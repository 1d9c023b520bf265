// The day on a phone: one move at a time. What may be done when comes from the server, as lists of what each
// move waits for; here they are only held against what is ticked and what waits for the connection.
import { edit, job, newId, notice, waitingEdits } from "./job.js";
import { keepPhoto, small } from "./photos.js";
import { number } from "./things.js";

const page = () => document.querySelector("[data-day]");
const moves = () => [...document.querySelectorAll("[data-move]")];
const remembered = () => `move-${job()}-${page().dataset.day}`;
let current = "";
/** Keys and ticks that wait for the connection. */
let pending = { done: new Map(), checks: new Map() };

/** What a change that waits comes to on this page: the key that it does, or the check that it ticks. */
function readWaiting(entries) {
  const found = { done: new Map(), checks: new Map() };
  for (const entry of entries) {
    const act = entry.body?.edit;
    if (!act || entry.refused) continue;
    const step = act.device && { join: "joined", "keep-code": "code", tie: "tied" }[act.do];
    switch (act.do) {
      case "check": found.checks.set(`${act.device}.${act.step}.${act.check}`, act.on); break;
      case "take-step": found.done.set(`${act.device}.${act.step}`, true); break;
      case "take-back": found.done.set(`${act.device}.${act.step}`, false); break;
      case "isolate": found.done.set("isolate", act.id); break;
      case "prove-tester": found.done.set("prove", true); break;
      case "energise": found.done.set("energise", true); break;
      case "open-network": found.done.set(`open-${act.network}`, act.id); break;
      case "close-network": found.done.set(`close-${act.id}`, true); break;
      case "rebuild-routes": found.done.set(`rebuild-${act.id}`, true); break;
      default: if (step) found.done.set(`${act.device}.${step}`, true);
    }
  }
  return found;
}

function isDone(key) {
  const waits = pending.done.get(key);
  if (waits !== undefined) return Boolean(waits);
  const move = moves().find((m) => m.dataset.move === key);
  return move ? "done" in move.dataset : null;
}

/** Whether one of the alternatives of a need holds; what is not on this page is as the server said. */
function isMet(need, shown) {
  if (need === "") return false;
  const told = need.split("|").map((key) => (key.startsWith("!") ? [key.slice(1), false] : [key, true]));
  const known = told.map(([key, wanted]) => [isDone(key), wanted]).filter(([is]) => is !== null);
  return known.length === 0 ? !shown : known.some(([is, wanted]) => is === wanted);
}

/** Brings the cards to what is known here. */
function settle() {
  const all = moves();
  for (const move of all) {
    const { move: key, device } = move.dataset;
    const waits = pending.done.get(key) || pending.done.get(waitingKey(move));
    move.toggleAttribute("data-waits", Boolean(waits));
    for (const box of move.querySelectorAll("[data-check]")) {
      const ticked = pending.checks.get(`${device}.${key.slice(device.length + 1)}.${box.dataset.check}`);
      if (ticked !== undefined) box.checked = ticked;
    }
    const lacks = [...move.querySelectorAll("[data-need]")];
    if ("done" in move.dataset || waits) {
      for (const need of lacks) need.hidden = true;
    } else {
      for (const need of lacks) {
        need.dataset.told ??= String(!need.hidden);
        need.hidden = isMet(need.dataset.need, need.dataset.told === "true");
      }
    }
    const left = lacks.filter((need) => !need.hidden);
    const hard = left.some((need) => !("yields" in need.dataset));
    const unticked = [...move.querySelectorAll("[data-check]")].some((box) => !box.checked);
    const why = move.querySelector(".why");
    if (why) why.hidden = left.length === 0 || hard;
    const button = move.querySelector("[data-done]:not(section)");
    if (button) {
      button.disabled = Boolean(waits) || hard || unticked;
      button.dataset.words ??= button.textContent;
      button.textContent = waits ? "Waits for the connection" : button.dataset.words;
    }
  }
  show();
}

/** A move that is known by the record it makes, once that waits: a network that is closed or rebuilt. */
function waitingKey(move) {
  const { id } = actOf(move);
  const [word] = move.dataset.move.split("-");
  return id ? `${word}-${id}` : "";
}

const isOver = (move) => "done" in move.dataset || "waits" in move.dataset;

function show() {
  const all = moves();
  if (all.length === 0) return;
  if (!all.some((m) => m.dataset.move === current)) {
    const kept = sessionStorage.getItem(remembered());
    current = (all.find((m) => m.dataset.move === kept) ?? all.find((m) => !isOver(m)) ?? all[all.length - 1]).dataset.move;
  }
  for (const move of all) move.toggleAttribute("data-current", move.dataset.move === current);
  const place = all.findIndex((m) => m.dataset.move === current);
  document.querySelector('[data-step="-1"]').disabled = place === 0;
  document.querySelector('[data-step="1"]').disabled = place === all.length - 1;
  sessionStorage.setItem(remembered(), current);
  tellThen(all);
}

const titled = (move) => {
  const tag = move.querySelector(".where .tag")?.textContent;
  return `${move.querySelector("h2").textContent}${tag ? `, ${tag}` : ""}`;
};

/** What comes after a card, and what waits for it. */
function tellThen(all) {
  const card = all.find((m) => m.dataset.move === current);
  const line = card?.querySelector("[data-then]");
  if (!line) return;
  const next = all.slice(all.indexOf(card) + 1).find((m) => !isOver(m));
  const waits = all.filter((m) => !isOver(m) && m !== next && m.querySelector(`[data-need="${CSS.escape(current)}"]:not([hidden])`));
  const more = waits.length > 0 ? ` Waits for this: ${waits.slice(0, 4).map(titled).join("; ")}${waits.length > 4 ? ` and ${waits.length - 4} more` : ""}.` : "";
  line.textContent = `${next ? `Then: ${titled(next)}.` : "Nothing is left after this."}${more}`;
}

function go(by) {
  const all = moves();
  const place = all.findIndex((m) => m.dataset.move === current);
  current = all[Math.min(all.length - 1, Math.max(0, place + by))].dataset.move;
  page().removeAttribute("data-all");
  show();
  window.scrollTo(0, 0);
  document.querySelector("main").scrollTo(0, 0);
}

/** On to the next that is not done, from where the hand is; else it stays. */
function goOn() {
  const all = moves();
  const place = all.findIndex((m) => m.dataset.move === current);
  const next = all.findIndex((m, at) => at > place && !isOver(m));
  if (next > 0) go(next - place);
}

const actOf = (move) => JSON.parse(move.dataset.sends || "{}");

function fieldValue(input) {
  const text = input.value.trim();
  switch (input.dataset.type) {
    case "list": return text.split(",").map((part) => part.trim()).filter(Boolean);
    case "number-or-nothing": return text === "" ? undefined : number(text);
    case "or-nothing": return text === "" ? undefined : text;
    default: return text;
  }
}

/** What a tap on a card sends: the server's act, who and when, and what is typed on the card. */
function made(move) {
  const act = { ...actOf(move) };
  const { stem } = move.dataset;
  if (stem) act.id = newId(stem);
  if (act.do === "tie") {
    act.joining = act.id;
    delete act.id;
  }
  for (const input of move.querySelectorAll("[data-field]")) {
    if (input.closest("[hidden]")) continue;
    const value = fieldValue(input);
    if (value !== undefined && value !== "") act[input.dataset.field] = value;
  }
  // What waits itself for the connection has no record yet on the server: its own id stands for it.
  const isolation = pending.done.get("isolate");
  if (["prove-tester", "energise"].includes(act.do) && !act.isolation) act.isolation = isolation;
  if (["close-network", "rebuild-routes"].includes(act.do) && !act.id) {
    act.id = pending.done.get(`open-${move.dataset.move.slice(move.dataset.move.indexOf("-") + 1)}`);
  }
  return act;
}

function stamped(act) {
  const untold = ["check", "take-back", "unsettle"];
  const at = new Date().toISOString().replace(/\.\d+Z$/, "Z");
  if (untold.includes(act.do)) return act;
  const by = ["prove-tester", "rebuild-routes"].includes(act.do) ? {} : { by: who() };
  return { ...act, ...by, at };
}

/** Who is at work here: as the browser remembers, or as the page was made for. */
function who() {
  const kept = document.cookie.split("; ").find((part) => part.startsWith("who="));
  return kept ? decodeURIComponent(kept.slice(4)) : page().dataset.who;
}

function tellWho() {
  const place = document.querySelector("[data-who-name]");
  if (place) place.textContent = who();
}

const WORDS = { isolate: "power off", energise: "power on", "keep-code": "a code", join: "joined" };

async function send(act, move, options = {}) {
  const words = options.words ?? WORDS[act.do] ?? `${(act.step ?? act.check ?? act.do).replaceAll("-", " ")}`;
  const told = move?.querySelector("[data-refused]");
  if (told) told.hidden = true;
  for (const old of move?.querySelectorAll("[data-shown]") ?? []) old.remove();
  for (const input of move?.querySelectorAll("[aria-invalid]") ?? []) input.removeAttribute("aria-invalid");
  try {
    await edit(stamped(act), { words, ...options });
  } catch (refused) {
    if (refused.conflict) return false;
    const input = refused.field && move?.querySelector(`[data-field="${CSS.escape(refused.field)}"]`);
    if (input) {
      showBeside(input, refused.message);
    } else if (told) {
      told.textContent = refused.message;
      told.hidden = false;
      told.scrollIntoView({ block: "nearest" });
    } else {
      notice(refused.message);
    }
    return false;
  }
  await readPending();
  return true;
}

/** What is wrong with a field stands beside it. */
function showBeside(input, message) {
  const words = document.createElement("p");
  words.className = "field-error";
  words.dataset.shown = "true";
  words.setAttribute("role", "alert");
  words.textContent = message;
  input.setAttribute("aria-invalid", "true");
  input.closest("label").append(words);
  input.closest("label").hidden = false;
  words.scrollIntoView({ block: "nearest" });
}

async function readPending() {
  pending = readWaiting(await waitingEdits().catch(() => []));
  settle();
}

async function done(button) {
  const move = button.closest("[data-move]");
  button.disabled = true;
  if (await send(made(move), move)) goOn();
  else settle();
}

/** Photographs the wiring of a device's box, or its label. */
async function photo(input) {
  const [file] = input.files;
  const move = input.closest("[data-move]");
  if (input.matches("[data-code-photo]")) {
    await codePhoto(file, move);
  } else {
    await keepPhoto(file, input.dataset.photoOf, move.dataset.shows);
  }
  input.value = "";
}

async function codePhoto(file, move) {
  let picture;
  try {
    picture = await small(file);
  } catch {
    return void notice("this is no picture that can be read; choose a PNG or JPEG");
  }
  const found = await decode(picture.pixels());
  const act = { ...made(move), image: "the-photo", taken: "photo", ...(found ? { text: found } : {}) };
  const taken = await send(act, move, { photo: picture.blob, words: "a photo of a code" });
  if (taken && !found) notice("No code could be read on it; the photo itself is kept.");
  if (taken) goOn();
  return undefined;
}

async function decode(pixels) {
  const { default: read } = await import("../vendor/jsqr.js");
  return read(pixels.data, pixels.width, pixels.height, { inversionAttempts: "attemptBoth" })?.data ?? null;
}

/** Reads a code by the camera, until one is found or the button is pressed again. */
async function scan(button) {
  const move = button.closest("[data-move]");
  const view = move.querySelector("[data-scan-view]");
  if (view.srcObject) return void stopScan(view, button);
  try {
    view.srcObject = await navigator.mediaDevices.getUserMedia({ video: { facingMode: "environment" } });
  } catch {
    return void notice("The camera cannot be used here; take a photo of the code, or type it.");
  }
  view.hidden = false;
  button.textContent = "Stop";
  await view.play();
  const canvas = document.createElement("canvas");
  const pen = canvas.getContext("2d", { willReadFrequently: true });
  const look = async () => {
    if (!view.srcObject) return;
    canvas.width = view.videoWidth;
    canvas.height = view.videoHeight;
    if (canvas.width > 0) {
      pen.drawImage(view, 0, 0);
      const found = await decode(pen.getImageData(0, 0, canvas.width, canvas.height));
      if (found) {
        stopScan(view, button);
        move.querySelector('[data-field="text"]').value = found;
        if (await send({ ...made(move), text: found, taken: "camera" }, move)) goOn();
        return;
      }
    }
    setTimeout(look, 200);
  };
  look();
  return undefined;
}

function stopScan(view, button) {
  for (const track of view.srcObject?.getTracks() ?? []) track.stop();
  view.srcObject = null;
  view.hidden = true;
  button.textContent = "Camera";
}

let ticking = 0;
/** Counts seconds down, or up for what is held: the light says when, the seconds only how long it is. */
function time(button) {
  const line = button.closest("[data-move]").querySelector("[data-timer-line]");
  const whole = Number(button.dataset.timer);
  const up = "up" in button.dataset;
  const start = Date.now();
  clearInterval(ticking);
  line.hidden = false;
  const tell = () => {
    const spent = Math.floor((Date.now() - start) / 1000);
    const left = Math.max(0, whole - spent);
    line.textContent = up ? `${spent} s — let go when the light says so` : left > 0 ? `${left} s` : "Time is up: look at the light";
    if (!up && left === 0) {
      clearInterval(ticking);
      navigator.vibrate?.(200);
    }
  };
  tell();
  ticking = setInterval(tell, 250);
}

async function agree(form) {
  const { agree: of } = form.dataset;
  const value = { id: newId("v"), of, from: form.elements.from.value };
  await edit({ do: "put", kind: "visit", value }).catch((refused) => notice(refused.message));
}

async function logFault(form) {
  const minutes = form.elements.minutes.value.trim();
  const value = {
    ...JSON.parse(form.dataset.fault), id: newId("fault"), at: new Date().toISOString(),
    cause: form.elements.cause.value, cure: form.elements.cure.value, ...(minutes ? { minutes: number(minutes) } : {}),
  };
  try {
    await edit({ do: "put", kind: "fault", value }, { words: "a fault" });
    notice("Written down; it is found again on the next job.");
  } catch (refused) {
    notice(refused.message);
  }
}

function startMoves() {
  document.addEventListener("click", (event) => {
    const at = (selector) => event.target.closest(selector);
    const button = at("button[data-done]");
    if (button) done(button);
    const tap = at("[data-tap]");
    if (tap) send(JSON.parse(tap.dataset.tap), tap.closest("[data-move]"));
    const hand = at("[data-hand]");
    if (hand) {
      const to = hand.closest("[data-move]").querySelector("[data-to]").value.trim();
      send({ ...JSON.parse(hand.dataset.hand), to }, hand.closest("[data-move]"), { words: "handed over" });
    }
    const step = at("[data-step]");
    if (step) go(Number(step.dataset.step));
    if (at("[data-list]")) page().toggleAttribute("data-all");
    else if (page().hasAttribute("data-all") && at("[data-move]")) {
      current = at("[data-move]").dataset.move;
      page().removeAttribute("data-all");
      show();
    }
    const scanned = at("[data-scan]");
    if (scanned) scan(scanned);
    const timer = at("[data-timer]");
    if (timer) time(timer);
  });
  document.addEventListener("change", (event) => {
    const box = event.target.closest("[data-check]");
    if (box) {
      const move = box.closest("[data-move]");
      const { device, move: key } = move.dataset;
      const step = key.slice(device.length + 1);
      send({ do: "check", device, step, check: box.dataset.check, on: box.checked }, move);
    }
    if (event.target.matches("[data-who-input]")) {
      const name = encodeURIComponent(event.target.value.trim());
      document.cookie = `who=${name}; path=/; max-age=31536000; samesite=strict`;
      tellWho();
    }
    if (event.target.matches("[data-code-photo], [data-photo-of]") && event.target.files[0]) photo(event.target);
  });
  document.addEventListener("refreshed", () => {
    // At once, so that nothing flickers; then with what waits.
    settle();
    tellWho();
    readPending();
  });
  document.addEventListener("queue", readPending);
  tellWho();
  readPending();
}

export function startDay() {
  document.addEventListener("submit", (event) => {
    const agreed = event.target.closest("[data-agree]");
    const fault = event.target.closest("[data-fault]");
    if (agreed || fault) event.preventDefault();
    if (agreed) agree(agreed);
    if (fault) logFault(fault);
  });
  document.addEventListener("change", (event) => {
    if (event.target.matches("[data-submit]")) event.target.form.requestSubmit();
  });
  if (page()) startMoves();
}
