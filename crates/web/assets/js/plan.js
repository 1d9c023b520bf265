// The plan under the hand: zoom, pan, and moving dots by pointer or keys.
import { edit, notice } from "./job.js";

const plan = () => document.querySelector(".plan[data-plan]");
let view = null;
let held = null;
const hooks = { look: () => null, choose() {}, moving() {}, moved() {}, press: () => false, hover() {} };

/** What a page does when a dot is chosen, moves, has moved, or the sheet is pressed or hovered. */
export function onPlan(given) {
  Object.assign(hooks, given);
}

/** A place on the sheet, in metres, under a pointer. */
export function sheetPlace(event) {
  const svg = plan();
  const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  return [point.x / 100, point.y / 100];
}

/** How many metres a given number of screen pixels is. */
export function metresOf(pixels) {
  return pixels / plan().getScreenCTM().a / 100;
}

export function overlay() {
  return plan().querySelector("[data-overlay]");
}

function parsed(text) {
  const [x, y, width, height] = text.split(" ").map(Number);
  return { x, y, width, height };
}

function show() {
  const svg = plan();
  svg.setAttribute("viewBox", `${view.x} ${view.y} ${view.width} ${view.height}`);
  const scale = svg.getScreenCTM()?.a ?? 0.4;
  svg.style.setProperty("--px", 1 / scale);
  const bar = document.querySelector("[data-scale-bar]");
  if (!bar) return;
  const metres = [0.5, 1, 2, 5, 10, 20, 50].find((m) => m * 100 * scale > 60) ?? 100;
  bar.querySelector(".scale-line").style.width = `${metres * 100 * scale}px`;
  bar.querySelector(".scale-text").textContent = `${metres} m`;
}

function key() {
  const holder = document.querySelector("[data-view]");
  return `view-${document.body.dataset.job}-${holder?.dataset.floor}`;
}

/** Shows the whole sheet. */
export function home() {
  view = parsed(plan().dataset.home);
  sessionStorage.removeItem(key());
  show();
}

function zoom(factor, [x, y]) {
  const next = Math.min(Math.max(view.width * factor, 150), 40000);
  const k = next / view.width;
  view = { x: x + (view.x - x) * k, y: y + (view.y - y) * k, width: next, height: view.height * k };
  sessionStorage.setItem(key(), JSON.stringify(view));
  show();
}

function sheetCm(event) {
  return sheetPlace(event).map((m) => m * 100);
}

function press(event) {
  const svg = plan();
  if (event.button === 1 || event.button === 2) return;
  if (hooks.press(event)) return;
  const dot = event.target.closest(".dot");
  const start = sheetCm(event);
  svg.setPointerCapture(event.pointerId);
  held = { dot: dot?.dataset.point ?? null, device: dot?.dataset.device ?? "", start, at: [event.clientX, event.clientY], moved: false, element: dot };
  if (dot) {
    const { e, f } = dot.transform.baseVal.consolidate().matrix;
    held.offset = [e - start[0], f - start[1]];
  }
}

function dragTo(event) {
  hooks.hover(event);
  if (!held) return;
  const [dx, dy] = [event.clientX - held.at[0], event.clientY - held.at[1]];
  if (!held.moved && Math.hypot(dx, dy) < 4) return;
  held.moved = true;
  const here = sheetCm(event);
  if (held.dot) {
    held.place = [here[0] + held.offset[0], here[1] + held.offset[1]].map((cm) => Math.round(cm) / 100);
    placeDot();
    hooks.moving(moveEdit(held.dot, held.place));
  } else {
    view.x -= here[0] - held.start[0];
    view.y -= here[1] - held.start[1];
    show();
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
const moveEdit = (id, at) => ({ do: "set", kind: "point", id, field: "at", value: at });

async function release(event) {
  if (!held) return;
  const { dot, device, moved, place } = held;
  if (dot && moved) {
    const change = moveEdit(dot, place);
    held = null;
    await commit(change);
  } else {
    held = null;
    if (moved) sessionStorage.setItem(key(), JSON.stringify(view));
    else hooks.choose({ point: dot, device, event });
  }
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

const STEPS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

function keys(event) {
  const dot = event.target.closest?.(".dot");
  const step = STEPS[event.key];
  if (dot && step) {
    event.preventDefault();
    const size = event.shiftKey ? 1 : 0.1;
    const { e, f } = dot.transform.baseVal.consolidate().matrix;
    const at = [e / 100 + step[0] * size, f / 100 + step[1] * size].map((m) => Math.round(m * 100) / 100);
    commit(moveEdit(dot.dataset.point, at));
  } else if (dot && (event.key === "Enter" || event.key === " ")) {
    event.preventDefault();
    hooks.choose({ point: dot.dataset.point, device: dot.dataset.device, event });
  } else if (event.target === plan() && step) {
    event.preventDefault();
    view.x += step[0] * view.width * 0.08;
    view.y += step[1] * view.width * 0.08;
    show();
  } else if (event.target.closest?.(".plan") && ["+", "-", "0"].includes(event.key)) {
    event.preventDefault();
    if (event.key === "0") home();
    else zoom(event.key === "+" ? 0.8 : 1.25, [view.x + view.width / 2, view.y + view.height / 2]);
  }
}

export function startPlan() {
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
  svg.addEventListener("pointercancel", () => { held = null; });
  document.addEventListener("keydown", keys);
  document.addEventListener("go-home", () => location.reload());
  new ResizeObserver(show).observe(svg);
}
