// What is chosen on the sheet: walls and points, one or several, by a press or a frame; dragged, moved
// by arrows, removed. Where walls come to stand is asked of the server.
import { ask, edit, hear, notice, step } from "./job.js";
import { metresOf, overlay, sheetPlace, STEPS, stride } from "./plan.js";
import { shape, upright } from "./shapes.js";

const plan = () => document.querySelector(".plan[data-plan]");
const floor = () => document.querySelector("[data-view]").dataset.floor;
const chosen = { walls: new Set(), points: new Set() };
let seq = 0;
// The drag under way: what is asked, what is asked next, and where it has come to.
let drag = null;
let hooks = { changed() {}, shows() {} };

// Sources on the air stand on the plan too; they are moved one by one.
const POINTS = '.dot[data-kind="point"]';

const wallOf = (id) => plan().querySelector(`[data-wall="${CSS.escape(id)}"]`);
const endsOf = (wall) => wall.dataset.ends.split(" ").map(Number);

export const chosenCount = () => chosen.walls.size + chosen.points.size;
export const theChosenWall = () => (chosen.walls.size === 1 && chosen.points.size === 0 ? [...chosen.walls][0] : null);

export function choose({ walls = [], points = [] }) {
  chosen.walls = new Set(walls);
  chosen.points = new Set(points);
  mark();
  hooks.changed();
}

/** Everything of the storey. */
export function chooseAll() {
  choose({
    walls: [...plan().querySelectorAll("[data-wall]")].map((w) => w.dataset.wall),
    points: [...plan().querySelectorAll(POINTS)].map((d) => d.dataset.point),
  });
}

/** Draws what is chosen: marks, and the two ends of a wall that is chosen alone. */
function mark() {
  for (const wall of plan().querySelectorAll("[data-wall]")) wall.classList.toggle("chosen", chosen.walls.has(wall.dataset.wall));
  for (const dot of plan().querySelectorAll(POINTS)) dot.classList.toggle("chosen", chosen.points.has(dot.dataset.point));
  const only = theChosenWall();
  const wall = only && wallOf(only);
  const handles = plan().querySelector("[data-handles]");
  if (!wall) return void handles.replaceChildren();
  const [ax, ay, bx, by] = endsOf(wall);
  handles.replaceChildren(...[["a", ax, ay], ["b", bx, by]].map(([end, x, y]) => {
    const handle = upright([x * 100, y * 100], [
      shape("circle", { class: "handle-touch", r: 16 }), shape("rect", { class: "handle", x: -5, y: -5, width: 10, height: 10 }),
    ]);
    for (const [name, value] of Object.entries({ "data-end": end, tabindex: 0, role: "button", "aria-label": `${end === "a" ? "First" : "Second"} end of the wall; arrows move it` })) handle.setAttribute(name, value);
    return handle;
  }));
}

/** What a press takes hold of, other than a dot by itself: a frame, an end, a wall, all that is chosen. */
export function grab(event, frames) {
  const handle = event.target.closest("[data-end]");
  if (handle) return dragging({ what: "end", wall: theChosenWall(), end: handle.dataset.end }, event);
  const dot = event.target.closest(".dot");
  const wall = event.target.closest("[data-wall]")?.dataset.wall;
  const isChosen = (dot && chosen.points.has(dot.dataset.point)) || (wall && chosen.walls.has(wall));
  if (isChosen && (wall || chosenCount() > 1)) return dragging({ what: "chosen" }, event);
  if (frames || event.shiftKey) return framing(event);
  // A finger that pans over a wall leaves it where it is: it moves what was chosen first.
  if (!wall || dot || event.pointerType === "touch") return null;
  return dragging({ what: "chosen", first: wall }, event);
}

function framing(event) {
  const from = sheetPlace(event);
  let to = from;
  const clear = () => overlay().replaceChildren();
  return {
    to(moved) {
      to = sheetPlace(moved);
      const [x, y] = [0, 1].map((axis) => Math.min(from[axis], to[axis]) * 100);
      const [width, height] = [0, 1].map((axis) => Math.abs(from[axis] - to[axis]) * 100);
      overlay().replaceChildren(shape("rect", { class: "overlay-frame", x, y, width, height }));
    },
    done() {
      clear();
      const within = (x, y) => [x, y].every((v, axis) => v >= Math.min(from[axis], to[axis]) && v <= Math.max(from[axis], to[axis]));
      const walls = [...plan().querySelectorAll("[data-wall]")].filter((w) => {
        const [ax, ay, bx, by] = endsOf(w);
        return within(ax, ay) && within(bx, by);
      });
      const dots = [...plan().querySelectorAll(POINTS)].filter((d) => {
        const { e, f } = d.transform.baseVal.consolidate().matrix;
        return within(e / 100, f / 100);
      });
      choose({ walls: walls.map((w) => w.dataset.wall), points: dots.map((d) => d.dataset.point) });
    },
    cancel: clear,
  };
}

function dragging(what, event) {
  const from = sheetPlace(event);
  const started = { what, from, by: [0, 0], asked: 0, next: null, at: null, finish: null };
  return {
    to(moved) {
      if (what.first && !chosen.walls.has(what.first)) {
        choose({ walls: [what.first] });
        hooks.shows({ wall: what.first });
      }
      drag = started;
      const here = sheetPlace(moved);
      drag.by = here.map((v, axis) => Math.round((v - from[axis]) * 20) / 20);
      askWhere(here);
    },
    async done(released) {
      const here = sheetPlace(released);
      if (what.what === "end") {
        const at = await new Promise((resolve) => { started.finish = resolve; askWhere(here); });
        await commit({ do: "drag-end", wall: what.wall, end: what.end, to: at });
      } else if (started.by.some((v) => v !== 0)) {
        await commit(moveBy(started.by));
      }
      endDrag();
    },
    cancel: endDrag,
  };
}

function endDrag() {
  drag = null;
  overlay().replaceChildren();
}

const moveBy = (by) => ({ do: "move", walls: [...chosen.walls], points: [...chosen.points], by });

// One question of a drag is on its way at a time; of those that come meanwhile the last.
function askWhere(here) {
  if (!drag) return;
  if (drag.asked) {
    drag.next = here;
    return;
  }
  seq += 1;
  const { what, by } = drag;
  const of = what.what === "end" ? { what: "end", wall: what.wall, end: what.end } : { what: "chosen", walls: [...chosen.walls], by };
  if (ask({ ask: "drag", seq, floor: floor(), at: here, reach_m: Math.min(metresOf(12), 0.5), drag: of })) {
    drag.asked = seq;
  } else if (drag.finish) {
    drag.finish(here);
  }
}

function dragAnswered(told) {
  if (told.seq !== drag?.asked) return;
  drag.asked = 0;
  const ghosts = (told.walls ?? []).flatMap(([a, b], n) => {
    const [[ax, ay], [bx, by]] = [a, b].map((p) => p.map((m) => m * 100));
    const middle = [(ax + bx) / 2, (ay + by) / 2];
    return [
      shape("line", { class: "overlay-line", x1: ax, y1: ay, x2: bx, y2: by }),
      upright(middle, [shape("text", { class: "overlay-text", x: 6, y: -6 }, told.lengths[n])]),
    ];
  });
  const dots = [...chosen.points].map((id) => plan().querySelector(`.dot[data-point="${CSS.escape(id)}"]`)).filter(Boolean);
  const moved = drag.what.what === "end" ? [] : dots.map((dot) => {
    const { e, f } = dot.transform.baseVal.consolidate().matrix;
    return upright([e + drag.by[0] * 100, f + drag.by[1] * 100], [shape("circle", { class: "overlay-ring", r: 8 })]);
  });
  overlay().replaceChildren(...ghosts, ...moved);
  const { next, finish } = drag;
  drag.next = null;
  if (next) askWhere(next);
  else if (finish) finish(told.at);
}

async function commit(change) {
  try {
    await edit(change);
  } catch (refused) {
    if (!refused.conflict) notice(refused.message);
    mark();
  }
}

/** Arrows move what is chosen, or the end that has the focus. */
export function chosenKey(event) {
  const way = STEPS[event.key];
  const end = event.target.closest?.("[data-end]");
  if (!way || event.target.closest?.(".dot")) return false;
  const by = way.map((v) => v * stride(event));
  if (end) {
    event.preventDefault();
    const ends = endsOf(wallOf(theChosenWall()));
    const stood = end.dataset.end === "a" ? ends.slice(0, 2) : ends.slice(2);
    const to = stood.map((v, axis) => Math.round((v + by[axis]) * 1000) / 1000);
    commit({ do: "drag-end", wall: theChosenWall(), end: end.dataset.end, to });
    return true;
  }
  if (chosenCount() === 0 || event.target.closest?.(".side-pane, .tools, .head")) return false;
  event.preventDefault();
  commit(moveBy(by));
  return true;
}

/** Removes all that is chosen, as one step that one press takes back. */
export async function removeChosen() {
  const edits = [
    ...[...chosen.points].map((id) => ({ do: "remove", kind: "point", id })),
    ...[...chosen.walls].map((id) => ({ do: "remove", kind: "wall", id })),
  ];
  if (edits.length === 0) return;
  const gone = chosenWords();
  choose({});
  await commit({ do: "batch", edits });
  notice(`${gone} gone.`, [["Undo", () => step("undo")]]);
}

const counted = (n, word) => (n === 0 ? [] : [`${n} ${word}${n === 1 ? "" : "s"}`]);

/** What is chosen, in words. */
export const chosenWords = () => [...counted(chosen.walls.size, "wall"), ...counted(chosen.points.size, "point")].join(", ");

export function startChosen(given) {
  hooks = { ...hooks, ...given };
  hear("drag", dragAnswered);
  document.addEventListener("live-lost", () => { if (drag) endDrag(); });
  document.addEventListener("refreshed", () => {
    const there = (set, attribute) => new Set([...set].filter((id) => plan().querySelector(`[${attribute}="${CSS.escape(id)}"]`)));
    const focused = document.activeElement?.closest?.("[data-end]")?.dataset.end;
    chosen.walls = there(chosen.walls, "data-wall");
    chosen.points = there(chosen.points, "data-point");
    mark();
    if (focused) plan().querySelector(`[data-end="${focused}"]`)?.focus();
    hooks.changed();
  });
}
