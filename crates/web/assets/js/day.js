// The day on a phone: one move at a time. What may be done when is read off the gate that the server shipped
// with the page, together with what waits for the line: whatever page it was done on.
import { boxOf, clearRefused, saidOf, showBeside, stamped, tellLine, tellRefused, tellWho, who } from "./cards.js";
import { codePhoto, scan, serveCards } from "./codes.js";
import { Facts, effects, isDone, lacks, namedFor, plainName } from "./gate.js";
import { edit, job, newId, notice, refresh, revision, waitingEdits } from "./job.js";
import { keepPhoto } from "./photos.js";
import { number } from "./things.js";
import { time, timePress } from "./timer.js";

const page = () => document.querySelector("[data-day]");
const moves = () => [...document.querySelectorAll("[data-move]")];
const remembered = () => `move-${job()}-${page().dataset.day}`;
let current = "";
/** The gate as shipped, what holds by it, and what holds with all that waits. */
let gate = { deeds: {} };
let told = new Facts([]);
let now = new Facts([]);
/** Keys of deeds that wait, and ticks. */
let waitingKeys = new Set();
let ticks = new Map();

function readGate() {
  gate = JSON.parse(document.querySelector("[data-gate]").dataset.gate);
  told = new Facts(gate.facts);
  now = told.copy();
}

// Ticks that are on record since the page that is shown was made, each with the revision that it made.
const recorded = new Map();

/** Takes in what is on record since this page, and what waits for the line, in its order. */
function takeWaiting(entries) {
  readGate();
  waitingKeys = new Set();
  ticks = new Map();
  for (const [place, tick] of recorded) {
    if (tick.revision <= revision()) {
      recorded.delete(place);
    } else {
      const comes = effects(deedOf(tick.on ? "tick" : "untick"), tick);
      for (const facts of [told, now]) facts.take(comes);
      ticks.set(place, tick.on);
    }
  }
  for (const { body, deed, comes, refused } of entries) {
    if (refused || !comes) continue;
    now.take(comes);
    if (deed) waitingKeys.add(deed);
    const act = body?.edit;
    if (act?.do === "check") ticks.set(`${act.device}.${act.step}.${act.check}`, act.on);
    if (act?.do === "take-step") for (const check of act.checks ?? []) ticks.set(`${act.device}.${act.step}.${check}`, true);
  }
}

const deedOf = (key) => gate.deeds[key] ?? null;

/** The deed of a move: another one where a device is joined elsewhere. */
function ownDeed(move) {
  const elsewhere = move.querySelector('[data-field="joined"]')?.value === "elsewhere";
  return deedOf(elsewhere ? `${move.dataset.deed}:elsewhere` : move.dataset.deed);
}

/** Whether a move waits for the line: it is done with what waits, and was not by the record. */
function waits(move) {
  const deed = deedOf(move.dataset.deed);
  if ("done" in move.dataset || !deed) return false;
  return waitingKeys.has(deed.key) || (isDone(deed, now, who()) && !isDone(deed, told, who()));
}

// What a hand has just ticked, until it is among what waits: a page that comes meanwhile does not take it back.
const justTicked = new Map();

/** Brings the cards to what is known here. */
function settle() {
  for (const move of moves()) {
    const { device, ofStep: step } = move.dataset;
    const waiting = waits(move);
    move.toggleAttribute("data-waits", waiting);
    for (const box of move.querySelectorAll("[data-check]")) {
      const key = `${device}.${step}.${box.dataset.check}`;
      const ticked = justTicked.get(key) ?? ticks.get(key);
      if (ticked !== undefined) box.checked = ticked;
    }
  }
  show();
}

/** Brings the card that is shown to what may be done on it now; the others come when they are shown. */
function settleCard(card) {
  // What stands further down is shown as it will be once the parts above it are done.
  let [facts, isBehind] = [now.copy(), false];
  for (const move of moves().filter((m) => m.dataset.card === card)) {
    const waiting = "waits" in move.dataset;
    const deed = ownDeed(move);
    const over = "done" in move.dataset || waiting;
    const by = move.dataset.move === current ? now : facts;
    // What waits for a switch above it on its card needs no further words.
    const left = new Set(over || !deed || (isBehind && by !== now) ? [] : lacks(deed, by, who()));
    const isBlocked = !over && deed && lacks(deed, looked(move, now.copy()), who()).some((n) => !deed.needs[n].yields);
    isBehind ||= !over && "ownTap" in move.dataset;
    if (!over && deed) looked(move, facts).take(effects(deed, namedFor(deed, facts, who())));
    let hard = false;
    let soft = false;
    for (const line of move.querySelectorAll("[data-need]")) {
      line.hidden = !left.has(Number(line.dataset.need));
      if (!line.hidden) {
        if ("yields" in line.dataset) soft = true;
        else hard = true;
      }
    }
    const unticked = [...move.querySelectorAll("[data-check]")].some((box) => !box.checked);
    const why = move.querySelector(".why");
    if (why) why.hidden = hard || !soft;
    const button = move.querySelector("[data-done]:not(section)");
    if (button) {
      button.disabled = waiting || hard || isBlocked || unticked;
      button.dataset.words ??= button.textContent;
      button.textContent = waiting ? "Waits for the connection" : button.dataset.words;
    }
    for (const tap of move.querySelectorAll("[data-tap][data-deed]")) {
      const other = deedOf(tap.dataset.deed);
      const here = now.copy();
      for (const word of alsoTicked(tap)) here.take(effects(deedOf("tick"), { ...JSON.parse(tap.dataset.tap), check: word }));
      const missing = other ? lacks(other, here, who()) : [];
      tap.disabled = missing.some((n) => !other.needs[n].yields);
      tap.title = missing.map((n) => other.needs[n].says).join("; ");
    }
  }
  const foot = document.querySelector(`[data-card="${card}"] [data-card-foot]`);
  if (foot) settleFoot(foot);
}

const byKey = (key) => moves().find((m) => m.dataset.move === key);
const leftOn = (card) => moves().filter((m) => m.dataset.card === card && !isOver(m));
const loose = (move) => [...move.querySelectorAll("[data-check]:not([data-alone])")].filter((box) => !box.checked);

/** What is ticked beside an act that stands by itself. */
const alsoTicked = (tap) => [...(tap.closest("details")?.querySelectorAll("[data-also]:checked") ?? [])].map((box) => box.dataset.also);

/** What holds with all of a part looked at that is ticked, be it on its way, and that is not ticked by itself. */
function looked(move, facts) {
  const { device, ofStep: step } = move.dataset;
  const boxes = move.querySelectorAll("[data-check]:is(:checked, :not([data-alone]))");
  for (const box of boxes) facts.take(effects(deedOf("tick"), { device, step, check: box.dataset.check }));
  return facts;
}

/** One tap for what is left of a card: what life hangs on is ticked by itself before. */
function settleFoot(foot) {
  const { card } = foot.closest("[data-move]").dataset;
  const left = leftOn(card);
  // It stays while boxes are ticked one by one: nothing jumps under the thumb.
  const has = left.length > 1 || left.some((move) => move.querySelector("[data-check]:not([data-alone])"));
  foot.hidden = !has || left.some((move) => "ownTap" in move.dataset);
  for (const move of left) move.toggleAttribute("data-has-foot", !foot.hidden);
  const facts = now.copy();
  const missing = [];
  for (const move of left) {
    const deed = ownDeed(move);
    if (!deed) continue;
    const hard = lacks(deed, looked(move, facts), who()).filter((n) => !deed.needs[n].yields);
    missing.push(...hard.map((n) => deed.needs[n].says));
    facts.take(effects(deed, namedFor(deed, facts, who())));
  }
  foot.querySelector("[data-card-done]").disabled = missing.length > 0;
  foot.querySelector("[data-left]").textContent = missing.length > 0 ? `Not yet: ${missing[0]}.` : "";
}

const isOver = (move) => "done" in move.dataset || "waits" in move.dataset;

function show() {
  const all = moves();
  if (all.length === 0) return;
  if (!all.some((m) => m.dataset.move === current)) {
    // Where work was done anew since, the day begins at what is left of it.
    const [kept, over] = (sessionStorage.getItem(remembered()) ?? "|0").split("|");
    const isSame = all.filter(isOver).length >= Number(over);
    current = (all.find((m) => isSame && m.dataset.move === kept) ?? all.find((m) => !isOver(m)) ?? all[all.length - 1]).dataset.move;
  }
  const { card } = byKey(current).dataset;
  for (const move of all) {
    move.toggleAttribute("data-current", move.dataset.move === current);
    move.toggleAttribute("data-on-card", move.dataset.card === card);
  }
  document.querySelector('[data-step="-1"]').disabled = card === all[0].dataset.card;
  document.querySelector('[data-step="1"]').disabled = card === all[all.length - 1].dataset.card;
  sessionStorage.setItem(remembered(), `${current}|${all.filter(isOver).length}`);
  tellThen(all);
  settleCard(card);
}

const titled = (move) => {
  const tag = move.querySelector(".where .tag")?.textContent;
  return `${move.querySelector("h2").textContent}${tag ? `, ${tag}` : ""}`;
};

/** What comes after a card. */
function tellThen(all) {
  const { card } = byKey(current).dataset;
  const last = all.filter((m) => m.dataset.card === card).pop();
  const line = last.querySelector("[data-then]");
  const next = all.slice(all.indexOf(last) + 1).find((m) => !isOver(m));
  line.textContent = next ? `Then: ${titled(next)}.` : "Nothing is left after this.";
}

/** To a move; its card comes to stand at the top, unless it stands there already. */
function goTo(move) {
  const stays = byKey(current)?.dataset.card === move.dataset.card && !page().hasAttribute("data-all");
  current = move.dataset.move;
  page().removeAttribute("data-all");
  show();
  if (stays) return;
  window.scrollTo(0, 0);
  document.querySelector("main").scrollTo(0, 0);
}

/** So many cards on or back: to what is not done of it, or to its beginning. */
function go(by) {
  const card = String(Number(byKey(current).dataset.card) + by);
  const all = moves().filter((m) => m.dataset.card === card);
  if (all.length > 0) goTo(all.find((m) => !isOver(m)) ?? all[0]);
}

/** On to the next that is not done, from where the hand is; else it stays. */
function goOn() {
  const all = moves();
  const place = all.findIndex((m) => m.dataset.move === current);
  const next = all.find((m, at) => at > place && !isOver(m));
  if (next) goTo(next);
}

const actOf = (move) => JSON.parse(move.dataset.sends || "{}");

function fieldValue(input) {
  if (input.dataset.type === "ticks") return [...input.querySelectorAll("input:checked")].map((box) => box.value);
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
  const deed = deedOf(move.dataset.deed);
  const named = deed ? namedFor(deed, now, who()) : {};
  // What waits itself for the connection has no record yet on the server: its own id stands for it.
  if (["prove-tester", "energise", "find-lines", "end-finding"].includes(act.do) && !act.isolation) act.isolation = named.iso;
  return act;
}

/** Whether what a card sends is what the server made it for: only then is it known here what it reaches. */
const asPlanned = (move) =>
  ["means", "circuits", "verified"].every((field) => {
    const input = move.querySelector(`[data-field="${field}"]`);
    if (!input) return true;
    if (input.tagName === "SELECT") return input.selectedOptions[0]?.defaultSelected ?? false;
    return input.value === input.defaultValue;
  });

/** What an act comes to while it waits: facts that end and facts that hold. */
function comesTo(act, move) {
  const at = (key) => deedOf(key);
  const me = plainName(who());
  switch (act.do) {
    case "check": return { comes: effects(at(act.on ? "tick" : "untick"), act) };
    case "hand-over": return { comes: effects(at("hand-over"), { iso: act.isolation, to: plainName(act.to) }) };
    case "isolate": {
      const deed = at(move.dataset.deed);
      const whole = effects(deed, { iso: act.id, me });
      // Whatever else it reaches, the server says when it is asked.
      const known = asPlanned(move) ? whole.gives : whole.gives.filter((f) => !f.startsWith("covers:"));
      return { deed: deed.key, comes: { ends: whole.ends, gives: known } };
    }
    default: {
      const { device, step } = act;
      const keys = { "take-back": `back:${device}:${step}`, "take-step": `step:${device}:${step}`, "found-live": `live:${device}` };
      const key = keys[act.do] ?? move?.dataset.deed;
      const deed = at(key) ?? (move ? ownDeed(move) : null);
      if (!deed) return {};
      const whole = effects(deed, namedFor(deed, now, who(), act.isolation ? { iso: act.isolation } : {}));
      const looked = act.do === "take-step" ? act.checks ?? [] : [];
      const ticked = looked.flatMap((check) => effects(at("tick"), { device, step, check }).gives);
      return { deed: deed.key, comes: { ends: whole.ends, gives: [...ticked, ...whole.gives] } };
    }
  }
}

async function send(act, move, options = {}) {
  const words = options.words ?? saidOf(act, move);
  clearRefused(move);
  const then = isShort(move) && act.do === "take-step" ? {} : comesTo(act, move);
  try {
    await edit(stamped(act), { words, box: act.device ? boxOf(move) : "", ...then, ...options });
  } catch (refused) {
    if (refused.conflict) return false;
    tellRefused(refused, move);
    return false;
  }
  await readPending();
  return true;
}

async function readPending() {
  takeWaiting(await waitingEdits().catch(() => []));
  settle();
  tellLine();
}

/** Asks for what a move cannot do without; whether it has all of that. */
function isAnswered(move) {
  // What is lacking and yields only to a reason would be refused when the line is back: it is asked for here.
  const why = move.querySelector('.why:not([hidden]) [data-field="why"]');
  if (why && why.value.trim() === "") {
    for (const old of move.querySelectorAll("[data-shown]")) old.remove();
    showBeside(why, "say why it is done all the same; the report carries it");
    why.focus();
    return false;
  }
  // So is what the record cannot do without.
  const unsaid = [...move.querySelectorAll("[data-field][required]")].find((input) => input.value.trim() === "");
  if (unsaid) {
    for (const old of move.querySelectorAll("[data-shown]")) old.remove();
    showBeside(unsaid, "say it; the record needs it");
    unsaid.focus();
    return false;
  }
  // What is no number would be taken for nothing said.
  const garbled = [...move.querySelectorAll('[data-type="number-or-nothing"]')].find((input) => Number.isNaN(fieldValue(input) ?? 0));
  if (garbled) {
    for (const old of move.querySelectorAll("[data-shown]")) old.remove();
    showBeside(garbled, "give a number, or leave it blank");
    garbled.focus();
    return false;
  }
  return true;
}

/** Whether fewer answered than the server said are enough, and nobody says why it stays so: that is put on record, and is no step. */
function isShort(move) {
  const counted = move?.querySelector("[data-least]");
  const why = [...move?.querySelectorAll('[data-field="why"]') ?? []].some((input) => input.value.trim() !== "");
  return Boolean(counted) && counted.value.trim() !== "" && number(counted.value) < Number(counted.dataset.least) && !why;
}

/** A move whose act was sent stays in view where it was no step; else the next comes. */
function sent(short, key) {
  if (short) {
    settle();
    // What is on record is not typed any longer: the next test begins blank.
    for (const field of byKey(key)?.querySelectorAll(".counted input") ?? []) field.value = "";
    notice("Put on record. Fewer answered than agreed: find out why, or say why it stays so.");
  } else goOn();
}

async function done(button) {
  const move = button.closest("[data-move]");
  if (!isAnswered(move)) return;
  button.disabled = true;
  const short = isShort(move);
  if (await send(made(move), move)) sent(short, move.dataset.move);
  else settle();
}

const pause = (ms) => new Promise((resolve) => { setTimeout(resolve, ms); });

/** Until the page shows that a move is over: what follows on the card rests on it. */
async function shownOver(key) {
  for (let waited = 0; waited < 10_000; waited += 40) {
    const move = byKey(key);
    if (!move || isOver(move)) return;
    await pause(40);
  }
}

const ticked = async (move, box) => {
  const { device, ofStep: step } = move.dataset;
  const [check, on] = [box.dataset.check, box.checked];
  const key = `${device}.${step}.${check}`;
  justTicked.set(key, on);
  const taken = (told) => { if (told) recorded.set(key, { device, step, check, on, revision: told.revision }); };
  try {
    return await send({ do: "check", device, step, check, on }, move, { quiet: true, taken });
  } finally {
    if (justTicked.get(key) === on) justTicked.delete(key);
    refreshSoon();
  }
};

const TICKING_MS = 2000;
let soon = 0;
/** Ticks come one after the other: the page is brought up to date once the hand has gone on to something else. */
function refreshSoon() {
  clearTimeout(soon);
  soon = setTimeout(() => refresh().catch(() => {}), TICKING_MS);
}

/** Does what is left of a card, one after the other, as far as it goes. */
async function finishCard(button) {
  button.disabled = true;
  for (const key of leftOn(button.closest("[data-move]").dataset.card).map((m) => m.dataset.move)) {
    if (!isAnswered(byKey(key))) return void settle();
    const act = made(byKey(key));
    const unticked = loose(byKey(key)).map(({ dataset }) => dataset.check);
    if (act.do === "take-step") {
      // What was looked at goes along with the step: one change a part, one way to the server and back.
      if (unticked.length > 0) act.checks = unticked;
    } else {
      for (const check of unticked) {
        const box = byKey(key).querySelector(`[data-check="${CSS.escape(check)}"]`);
        box.checked = true;
        if (!(await ticked(byKey(key), box))) return void settle();
      }
    }
    const short = isShort(byKey(key));
    if (!(await send(act, byKey(key)))) return void settle();
    if (short) return void sent(short, key);
    await shownOver(key);
  }
  goOn();
  return undefined;
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

async function agree(form) {
  const { agree: of } = form.dataset;
  const value = { id: newId("v"), of, from: form.elements.from.value };
  await edit({ do: "put", kind: "visit", value }).catch((refused) => {
    delete form.dataset.sent;
    notice(refused.message);
  });
}

/** Gives an isolation to somebody else; to whom it cannot be given is said at once, with a line or without. */
function handOver(hand) {
  const move = hand.closest("[data-move]");
  const act = { ...JSON.parse(hand.dataset.hand), to: move.querySelector("[data-to]").value.trim() };
  const deed = deedOf("hand-over");
  const missing = lacks(deed, now, who(), { iso: act.isolation, to: plainName(act.to) });
  if (missing.length > 0) notice(missing.map((n) => deed.needs[n].says).join("; "));
  else send(act, move, { words: "handed over" });
}

/** Says that a box is live that was to be dead, with what goes on. */
function sayLive(button) {
  const form = button.closest("[data-live]");
  const act = { do: "found-live", device: form.dataset.live };
  for (const input of form.querySelectorAll("[data-live-field]")) act[input.dataset.liveField] = input.value.trim();
  for (const old of form.querySelectorAll("[data-shown]")) old.remove();
  const found = form.querySelector('[data-live-field="found"]');
  if (act.found === "") {
    showBeside(found, "say what is live; the record needs it");
    found.focus();
    return;
  }
  send(act, button.closest("[data-move]"), { words: "it is not dead" });
}

function startMoves() {
  serveCards({ made, send, goOn });
  document.addEventListener("click", (event) => {
    const at = (selector) => event.target.closest(selector);
    const button = at("button[data-done]");
    if (button) done(button);
    const foot = at("[data-card-done]");
    if (foot) finishCard(foot);
    const tap = at("[data-tap]");
    if (tap) {
      const checks = alsoTicked(tap);
      send({ ...JSON.parse(tap.dataset.tap), ...(checks.length > 0 ? { checks } : {}) }, tap.closest("[data-move]"));
    }
    const hand = at("[data-hand]");
    if (hand) handOver(hand);
    const live = at("[data-say-live]");
    if (live) sayLive(live);
    const step = at("[data-step]");
    if (step) go(Number(step.dataset.step));
    if (at("[data-list]")) page().toggleAttribute("data-all");
    else if (page().hasAttribute("data-all") && at("[data-move]")) {
      goTo(at("[data-move]"));
    }
    const scanned = at("[data-scan]");
    if (scanned) scan(scanned);
    const timer = at("[data-timer]");
    if (timer) time(timer);
    const press = at("[data-time-press]");
    if (press) timePress(press);
  });
  document.addEventListener("change", (event) => {
    const box = event.target.closest("[data-check]");
    if (box) {
      ticked(box.closest("[data-move]"), box);
    }
    if (event.target.matches("[data-who-input]")) {
      const name = encodeURIComponent(event.target.value.trim());
      document.cookie = `who=${name}; path=/; max-age=31536000; samesite=strict`;
      tellWho();
      settle();
    }
    if (event.target.matches('[data-field="joined"], [data-also]')) settle();
    if (event.target.matches("[data-code-photo], [data-photo-of]") && event.target.files[0]) photo(event.target);
  });
  document.addEventListener("refreshed", () => {
    // At once, so that nothing flickers; then with what waits.
    readGate();
    settle();
    tellWho();
    readPending();
  });
  // Hundreds of entries go out one after the other: what is left of them is read now and then.
  let due = 0;
  document.addEventListener("queue", () => {
    due ||= setTimeout(() => {
      due = 0;
      readPending();
    }, 200);
  });
  for (const event of ["online", "offline"]) window.addEventListener(event, tellLine);
  document.addEventListener("line", tellLine);
  tellWho();
  readPending();
}

export function startDay() {
  document.addEventListener("submit", (event) => {
    const agreed = event.target.closest("[data-agree]");
    if (!agreed) return;
    event.preventDefault();
    agree(agreed);
  });
  document.addEventListener("change", (event) => {
    if (event.target.matches("[data-submit]")) event.target.form.requestSubmit();
  });
  if (page()) startMoves();
}
