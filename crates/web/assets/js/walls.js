// Walls and rectangles under the hand or by typed lengths. Where a place comes to lie, and what a
// typed length makes of it, is asked of the server.
import { ask, edit, hear, newId, notice, step } from "./job.js";
import { fit, metresOf, middleOfView, overlay, sheetPlace, STEPS, stride } from "./plan.js";
import { number } from "./things.js";
import { shape, upright } from "./shapes.js";

const option = (name) => document.querySelector(`[data-option="${name}"]`);
let hooks = { floor: async () => "", hint() {}, tool: () => "" };
// The run of walls being drawn: its places, each the end of the one before; and where the hand is.
let run = [];
let aim = null;
let seq = 0;
// What was drawn last is done: Enter draws no other one on it until the hand has moved.
let isDone = false;
// Places that were pressed and wait for where they come to lie, by the number of their question.
const pressed = new Map();
// One question of the hovering hand is on its way at a time; of those that come meanwhile the last.
let hovering = { asked: 0, next: null };
// Presses are done one after the other: where a wall begins is known before its end is asked for.
let turn = Promise.resolve();

const start = () => run.at(-1) ?? null;
const isRectangle = () => hooks.tool() === "rectangle";
export const isDrawing = () => run.length > 0;
const cm = (p) => p.map((m) => m * 100);

/** Draws the line that is under way, and the words at its end. */
export function drawLine(from, end, words = "") {
  const shapes = [];
  if (from && end) {
    const [[ax, ay], [bx, by]] = [cm(from), cm(end)];
    shapes.push(isRectangle()
      ? shape("path", { class: "overlay-line", d: `M${ax} ${ay}H${bx}V${by}H${ax}Z` })
      : shape("line", { class: "overlay-line", x1: ax, y1: ay, x2: bx, y2: by }));
  }
  if (end) {
    const mark = [shape("path", { class: "overlay-cross", d: "M-9 0H9M0-9V9" }), shape("circle", { class: "overlay-dot", r: 4 })];
    if (words) mark.push(shape("text", { class: "overlay-text", x: 11, y: -9 }, words));
    shapes.push(upright(cm(end), mark));
  }
  overlay().replaceChildren(...shapes);
}

function typed() {
  const value = (name) => {
    const given = number(option(name)?.value ?? "");
    return Number.isFinite(given) ? given : null;
  };
  return isRectangle() ? {} : { length: option("length")?.value ?? "", angle_deg: value("angle") };
}

function question(at, floor, given) {
  seq += 1;
  return { ask: "snap", seq, floor, at, start: start(), run: run.length > 1 ? run[0] : null, ...given, reach_m: Math.min(metresOf(12), 0.5) };
}

export function hoverAt(at) {
  isDone = false;
  aim = at;
  const { floor } = document.querySelector("[data-view]").dataset;
  if (!floor) return void drawLine(start(), at);
  if (hovering.asked) {
    hovering.next = at;
    return;
  }
  const asked = question(at, floor, typed());
  if (ask(asked)) hovering = { asked: asked.seq, next: null };
}

/** Where a pressed place comes to lie, however slow the answer: without a channel it is asked again
 * on the next. */
function snap(at, floor, given) {
  const asked = question(at, floor, given);
  return new Promise((resolve) => {
    pressed.set(asked.seq, { asked, resolve });
    ask(asked);
  });
}

function snapAnswered(told) {
  const press = pressed.get(told.seq);
  if (press) {
    pressed.delete(told.seq);
    press.resolve(told);
  } else if (told.seq === hovering.asked) {
    const { next } = hovering;
    hovering = { asked: 0, next: null };
    if (["wall", "rectangle"].includes(hooks.tool()) && pressed.size === 0) {
      const words = isRectangle() ? [told.sides, told.to] : [told.length, told.angle, told.to];
      drawLine(start(), told.at, words.filter(Boolean).join(" · "));
    }
    if (next) hoverAt(next);
  }
}

export function pressWall(at, isDragEnd = false, sides = null) {
  aim = at;
  isDone = false;
  // What was typed is of this press; what is typed from now on of the next.
  const given = sides ? { sides } : typed();
  clearTyped();
  turn = turn.then(() => oneWall(at, given, isDragEnd)).catch((refused) => { if (!refused.conflict) notice(refused.message); });
  return turn;
}

async function oneWall(at, given, isDragEnd) {
  // A drag whose beginning ended a run draws nothing.
  if (isDragEnd && !start()) return;
  const floor = await hooks.floor();
  const { at: end, closes, wrong } = await snap(at, floor, given);
  if (wrong) throw new Error(wrong);
  if (!start()) {
    run = [end];
  } else if (isRectangle()) {
    const [from] = run;
    run = [];
    await edit({ do: "draw-rectangle", id: newId("w"), floor, from, to: end, construction: option("construction").value });
    isDone = true;
  } else {
    const wall = { id: newId("w"), floor, a: start(), b: end, construction: option("construction").value };
    await edit({ do: "put", kind: "wall", value: wall });
    run = closes || isDragEnd ? [] : [...run, end];
    isDone = run.length === 0;
  }
  drawLine(null, start());
  hooks.hint();
}

function clearTyped() {
  for (const name of ["length", "angle", "across", "down"]) if (option(name)) option(name).value = "";
}

/** Ends the run; true when there was one. */
export function endRun() {
  const was = run.length > 0;
  run = [];
  clearTyped();
  drawLine();
  hooks.hint();
  return was;
}

/** Takes back the last wall of the run, and goes on from where it began; without a wall, the start. */
export async function undoLast() {
  if (run.length > 1) await step("undo");
  run = run.slice(0, -1);
  drawLine(null, start());
  hooks.hint();
}

/** What was typed is done: a start along a wall, the next wall, or a rectangle. */
function typedEnter() {
  const isFirst = !document.querySelector("[data-ends]");
  const here = aim ?? start() ?? (isFirst ? [0, 0] : middleOfView());
  if (!isRectangle()) return pressWall(here);
  const sides = ["across", "down"].map((name) => option(name).value);
  if (sides.some((side) => side.trim() === "")) return void notice("Type how far across and how far down.");
  const first = start() ? Promise.resolve() : pressWall(here);
  return first.then(async () => {
    await pressWall(here, false, sides);
    // What was drawn without looking is shown whole.
    if (isFirst) fit();
  });
}

/** Keys of the drawing hand: digits begin a length, arrows move the cross, Enter presses. */
export function wallKey(event) {
  const way = STEPS[event.key];
  if (way && !event.target.closest?.(".dot, .side-pane, .head")) {
    event.preventDefault();
    const from = aim ?? start() ?? middleOfView();
    hoverAt(from.map((v, axis) => Math.round((v + way[axis] * stride(event)) * 100) / 100));
    return true;
  }
  if (/^[\d.,]$/.test(event.key) && !event.ctrlKey) {
    const field = option(isRectangle() ? "across" : "length");
    event.preventDefault();
    field.focus();
    field.value = event.key;
    return true;
  }
  if (event.key === "Enter" && event.target.matches(".plan, body, main, [data-tool]")) {
    event.preventDefault();
    if (isDone) hooks.hint("That is drawn. Move the cross, or type a length, to begin another.");
    else pressWall(aim ?? middleOfView());
    return true;
  }
  return false;
}

export function startWalls(given) {
  hooks = { ...hooks, ...given };
  hear("snap", snapAnswered);
  document.addEventListener("live-lost", () => { hovering = { asked: 0, next: null }; });
  document.addEventListener("live", () => { for (const { asked } of pressed.values()) ask(asked); });
  document.addEventListener("refreshed", () => { if (isDrawing()) drawLine(null, start()); });
  document.addEventListener("keydown", (event) => {
    const field = event.target.closest?.('[data-option="length"], [data-option="angle"], [data-option="across"], [data-option="down"]');
    if (!field) return;
    if (event.key === "Enter") {
      event.preventDefault();
      typedEnter();
      option(isRectangle() ? "across" : "length").focus();
    } else if (event.key === "Escape") {
      endRun();
      document.querySelector(".plan[data-plan]").focus();
    }
  });
  // What is typed is seen before it is done.
  document.addEventListener("input", (event) => {
    if (event.target.matches('[data-option="length"], [data-option="angle"]')) hoverAt(aim ?? start() ?? middleOfView());
  });
}

/** The hand moves over the sheet with a drawing tool. */
export const hoverWall = (event) => hoverAt(sheetPlace(event));
