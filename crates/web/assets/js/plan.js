// The plan under the hand: zoom, pan, pinch, and moving dots by pointer or keys.
import { edit, notice } from "./job.js";

const plan = () => document.querySelector(".plan[data-plan]");
const TWICE_MS = 350;
const FAR_PX = 4;
let view = null;
let held = null;
let last = { time: 0, x: 0, y: 0 };
// Fingers and buttons that are down, and how a pinch of two of them began.
const down = new Map();
let pinch = null;
const hooks = {
  look: () => null, choose() {}, moving() {}, moved() {}, takes: () => false, press() {}, hover() {},
  grab: () => null, key: () => false,
};

/** What a page does: `takes` says whether a tool takes presses, `press` is one, `hover` a hand that
 * moves, `grab` gives what else can be dragged, `key` takes a key of the plan; and what happens when a
 * dot is chosen, moves, or has moved. */
export function onPlan(given) {
  Object.assign(hooks, given);
}

/** A place on the sheet, in metres, under a pointer. */
export function sheetPlace({ clientX, clientY }) {
  const svg = plan();
  const point = new DOMPoint(clientX, clientY).matrixTransform(svg.getScreenCTM().inverse());
  return [point.x / 100, point.y / 100];
}

/** How many metres a given number of screen pixels is. */
export function metresOf(pixels) {
  return pixels / plan().getScreenCTM().a / 100;
}

/** The middle of what is seen, in metres. */
export const middleOfView = () => [(view.x + view.width / 2) / 100, (view.y + view.height / 2) / 100];

export function overlay() {
  return plan().querySelector("[data-overlay]");
}

function parsed(text) {
  const [x, y, width, height] = text.split(" ").map(Number);
  return { x, y, width, height };
}

/** Keeps some of the sheet in view, and neither a brick nor the whole street. */
function bounded({ x, y, width, height }) {
  const sheet = parsed(plan().dataset.home);
  const wide = Math.min(Math.max(width, 150), Math.max(sheet.width * 3, 2000));
  const k = wide / width;
  const high = height * k;
  const held = (v, size, from, length) => Math.min(Math.max(v, from - size * 0.8), from + length - size * 0.2);
  return { x: held(x, wide, sheet.x, sheet.width), y: held(y, high, sheet.y, sheet.height), width: wide, height: high };
}

function show() {
  const svg = plan();
  svg.setAttribute("viewBox", `${view.x} ${view.y} ${view.width} ${view.height}`);
  const scale = svg.getScreenCTM()?.a ?? 0.4;
  svg.style.setProperty("--px", 1 / scale);
  // Labels thin out: from how near each is drawn the server has said, of letters of the usual size.
  const letters = parseFloat(getComputedStyle(document.documentElement).fontSize) / 14;
  const times = (parsed(svg.dataset.home).width * scale) / (Number(svg.dataset.firstWide) * letters);
  svg.dataset.lod = Math.min(Math.max(Math.floor(Math.log2(times)), 0), 6);
  const bar = document.querySelector("[data-scale-bar]");
  if (!bar) return;
  const { unit, each } = bar.dataset;
  const round = [0.5, 1, 2, 5, 10, 20, 50, 100, 200].find((n) => n * each * 100 * scale > 60) ?? 500;
  bar.querySelector(".scale-line").style.width = `${round * each * 100 * scale}px`;
  bar.querySelector(".scale-text").textContent = `${round} ${unit}`;
}

function key() {
  const holder = document.querySelector("[data-view]");
  return `view-${document.body.dataset.job}-${holder?.dataset.floor}`;
}

function look(next) {
  view = bounded(next);
  sessionStorage.setItem(key(), JSON.stringify(view));
  show();
}

/** Shows the whole sheet as it is now. */
export function fit() {
  const box = plan().querySelector("[data-part=plan-walls]").getBBox();
  const home = parsed(plan().dataset.home);
  const margin = 120;
  const right = Math.max(home.x + home.width, box.x + box.width + margin);
  const bottom = Math.max(home.y + home.height, box.y + box.height + margin);
  const [x, y] = box.width ? [Math.min(home.x, box.x - margin), Math.min(home.y, box.y - margin)] : [home.x, home.y];
  plan().dataset.home = `${x} ${y} ${right - x} ${bottom - y}`;
  view = parsed(plan().dataset.home);
  sessionStorage.removeItem(key());
  show();
}

function zoom(factor, [x, y]) {
  const { width } = bounded({ ...view, width: view.width * factor });
  const k = width / view.width;
  look({ x: x + (view.x - x) * k, y: y + (view.y - y) * k, width, height: view.height * k });
}

const zoomMiddle = (factor) => zoom(factor, middleOfView().map((m) => m * 100));

function sheetCm(event) {
  return sheetPlace(event).map((m) => m * 100);
}

/** A second press of a double click, which no tool takes for another. */
function isSecond(event) {
  const near = Math.hypot(event.clientX - last.x, event.clientY - last.y) < 6;
  const second = near && event.timeStamp - last.time < TWICE_MS;
  last = { time: event.timeStamp, x: event.clientX, y: event.clientY };
  return second;
}

function press(event) {
  if (event.button === 1 || event.button === 2) return;
  down.set(event.pointerId, event);
  plan().setPointerCapture(event.pointerId);
  if (down.size === 2) return beginPinch();
  const at = [event.clientX, event.clientY];
  if (hooks.takes(event)) {
    // A finger may become the first of two: what it presses is known when it is lifted.
    const waits = event.pointerType === "touch";
    held = { tool: isSecond(event) ? "none" : "press", waits, first: event, at, moved: false };
    if (held.tool === "press" && !waits) hooks.press(event);
    return;
  }
  const dot = event.target.closest(".dot");
  const start = sheetCm(event);
  held = { dot: dot?.dataset.point ?? null, kind: dot?.dataset.kind, device: dot?.dataset.device ?? "", start, at, moved: false, under: event.target };
  held.grabbed = hooks.grab(event);
  if (dot) {
    const { e, f } = dot.transform.baseVal.consolidate().matrix;
    held.offset = [e - start[0], f - start[1]];
  }
}

/** Breaks off what is held: what was previewed of a drag is not so. */
function letGo() {
  if (held?.dot && held.moved) document.dispatchEvent(new CustomEvent("put-back"));
  held?.grabbed?.cancel();
  held = null;
}

function beginPinch() {
  letGo();
  const [a, b] = [...down.values()];
  const middle = { clientX: (a.clientX + b.clientX) / 2, clientY: (a.clientY + b.clientY) / 2 };
  pinch = { span: Math.hypot(a.clientX - b.clientX, a.clientY - b.clientY), at: sheetCm(middle), width: view.width };
}

function pinched() {
  const [a, b] = [...down.values()];
  const span = Math.hypot(a.clientX - b.clientX, a.clientY - b.clientY);
  zoom((pinch.width * pinch.span) / span / view.width, pinch.at);
  const [x, y] = sheetCm({ clientX: (a.clientX + b.clientX) / 2, clientY: (a.clientY + b.clientY) / 2 });
  look({ ...view, x: view.x + pinch.at[0] - x, y: view.y + pinch.at[1] - y });
}

function dragTo(event) {
  if (down.has(event.pointerId)) down.set(event.pointerId, event);
  if (pinch) return void (down.size === 2 && pinched());
  hooks.hover(event);
  if (!held) return;
  const [dx, dy] = [event.clientX - held.at[0], event.clientY - held.at[1]];
  if (!held.moved && Math.hypot(dx, dy) < (held.tool ? 3 * FAR_PX : FAR_PX)) return;
  if (held.tool && held.waits && !held.moved && held.tool === "press") hooks.press(held.first);
  held.moved = true;
  if (held.tool) return;
  const here = sheetCm(event);
  if (held.grabbed) {
    held.grabbed.to(event);
  } else if (held.dot) {
    held.place = [here[0] + held.offset[0], here[1] + held.offset[1]].map((cm) => Math.round(cm) / 100);
    placeDot();
    hooks.moving(moveEdit(held.kind, held.dot, held.place));
  } else {
    look({ ...view, x: view.x - here[0] + held.start[0], y: view.y - here[1] + held.start[1] });
  }
}

/** Keeps the dragged dot under the finger, also after its part was swapped. */
export function placeDot() {
  if (!held?.place) return;
  for (const dot of plan().querySelectorAll(`.dot[data-point="${held.dot}"]`)) {
    dot.setAttribute("transform", `translate(${held.place[0] * 100} ${held.place[1] * 100})`);
    dot.classList.add("dragging");
  }
}

// A dot moves on its own storey: its place is all that changes.
const moveEdit = (kind, id, at) => ({ do: "set", kind, id, field: "at", value: at });

async function release(event) {
  down.delete(event.pointerId);
  if (pinch) {
    if (down.size === 0) pinch = null;
    return;
  }
  if (!held) return;
  const { dot, kind, device, moved, place, tool, waits, first, grabbed, under } = held;
  held = null;
  if (tool) {
    if (tool === "none") return;
    if (waits && !moved) hooks.press(first);
    // From where it was pressed to where it is let go: two presses in one.
    if (moved) hooks.press(event, true);
  } else if (grabbed && moved) {
    grabbed.done(event);
  } else if (dot && moved) {
    await commit(moveEdit(kind, dot, place));
  } else if (!moved) {
    hooks.choose({ kind, point: dot, device, event, under });
  }
}

function cancel(event) {
  down.delete(event.pointerId);
  letGo();
  if (down.size === 0) pinch = null;
}

async function commit(change) {
  try {
    await edit(change, { look: hooks.look() });
    hooks.moved();
  } catch (refused) {
    if (!refused.conflict) notice(refused.message);
    document.dispatchEvent(new CustomEvent("put-back"));
  }
}

/** The way of an arrow key, right and down; nothing for another key. */
export const STEPS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

/** How far a moving key goes: with Ctrl a metre, without a tenth. */
export const stride = (event) => (event.ctrlKey || event.metaKey ? 1 : 0.1);

const placeOf = (dot) => {
  const { e, f } = dot.transform.baseVal.consolidate().matrix;
  return [e / 100, f / 100];
};

/** All dots are one stop of the Tab key; arrows walk to the nearest in their direction. */
function walk(dot, [dx, dy]) {
  const from = placeOf(dot);
  let [best, least] = [null, Infinity];
  for (const other of plan().querySelectorAll(".dot")) {
    const [x, y] = placeOf(other).map((m, axis) => m - from[axis]);
    const ahead = x * dx + y * dy;
    const aside = Math.abs(x * dy) + Math.abs(y * dx);
    const cost = ahead + 2 * aside;
    if (ahead > 0.001 && aside <= 2 * ahead && cost < least) [best, least] = [other, cost];
  }
  if (best) stopAt(best);
}

function stopAt(dot) {
  for (const other of plan().querySelectorAll(".dot[tabindex='0']")) other.setAttribute("tabindex", "-1");
  dot.setAttribute("tabindex", "0");
  dot.focus({ preventScroll: true });
}

const isTyping = (target) => target.matches?.("input, textarea, select");

function keys(event) {
  if (!plan() || isTyping(event.target) || event.altKey) return;
  if (hooks.key(event)) return;
  const dot = event.target.closest?.(".dot");
  const step = STEPS[event.key];
  if (dot && step) {
    event.preventDefault();
    if (!event.shiftKey && !event.ctrlKey && !event.metaKey) return void walk(dot, step);
    const at = placeOf(dot).map((m, axis) => Math.round((m + step[axis] * stride(event)) * 100) / 100);
    commit(moveEdit(dot.dataset.kind, dot.dataset.point, at));
  } else if (dot && (event.key === "Enter" || event.key === " ")) {
    event.preventDefault();
    hooks.choose({ kind: dot.dataset.kind, point: dot.dataset.point, device: dot.dataset.device, event, under: dot });
  } else if (event.target === plan() && step) {
    event.preventDefault();
    look({ ...view, x: view.x + step[0] * view.width * 0.08, y: view.y + step[1] * view.width * 0.08 });
  } else if (["+", "-", "0"].includes(event.key) && !event.ctrlKey && !event.metaKey) {
    event.preventDefault();
    if (event.key === "0") fit();
    else zoomMiddle(event.key === "+" ? 0.8 : 1.25);
  }
}

/** How large a plan is printed; and signs of plans that nobody moves, as on a sheet to print, are as
 * large as on the others. */
const sized = new WeakSet();
function size() {
  for (const svg of document.querySelectorAll(".plan")) {
    svg.style.setProperty("--print-width", `${svg.dataset.printWidth}px`);
    svg.style.setProperty("--print-px", svg.dataset.printPx);
    if (!svg.closest(".sheet-print, .plan-box, .walk-plan") || sized.has(svg)) continue;
    sized.add(svg);
    new ResizeObserver(() => svg.style.setProperty("--px", 1 / svg.getScreenCTM().a)).observe(svg);
  }
}

// Paper gets the whole sheet, whatever is looked at.
function whilePrinting() {
  window.addEventListener("beforeprint", () => plan().setAttribute("viewBox", plan().dataset.home));
  window.addEventListener("afterprint", show);
}

function showLabels() {
  const off = localStorage.getItem("tags") === "off";
  for (const svg of document.querySelectorAll(".plan")) svg.classList.toggle("no-tags", off);
  document.querySelector("[data-labels]")?.setAttribute("aria-pressed", String(!off));
}

export function startPlan() {
  size();
  document.addEventListener("refreshed", size);
  showLabels();
  const svg = plan();
  if (!svg || !document.querySelector("[data-view]")) return;
  const kept = sessionStorage.getItem(key());
  view = kept ? JSON.parse(kept) : parsed(svg.dataset.home);
  show();
  svg.addEventListener("wheel", (event) => {
    event.preventDefault();
    zoom(event.deltaY > 0 ? 1.15 : 1 / 1.15, sheetCm(event));
  }, { passive: false });
  svg.addEventListener("pointerdown", press);
  svg.addEventListener("pointermove", dragTo);
  svg.addEventListener("pointerup", release);
  svg.addEventListener("pointercancel", cancel);
  svg.addEventListener("dblclick", (event) => { if (!hooks.takes(event)) fit(); });
  document.addEventListener("keydown", keys);
  document.addEventListener("click", (event) => {
    const pressed = event.target.closest("[data-zoom]")?.dataset.zoom;
    if (event.target.closest("[data-labels]")) {
      localStorage.setItem("tags", localStorage.getItem("tags") === "off" ? "on" : "off");
      showLabels();
    }
    if (pressed === "fit") fit();
    else if (pressed) zoomMiddle(Number(pressed));
  });
  document.addEventListener("go-home", () => { sessionStorage.removeItem(key()); location.reload(); });
  whilePrinting();
  new ResizeObserver(show).observe(svg);
}
