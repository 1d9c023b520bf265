// The Survey page: drawing tools. Where a place comes to lie, and what a typed length makes of it,
// is asked of the server.
import { ask, edit, hear, newId, notice, refresh } from "./job.js";
import { metresOf, onPlan, overlay, sheetPlace } from "./plan.js";
import { number } from "./things.js";

const root = () => document.querySelector('[data-view="survey"]');
const option = (name) => document.querySelector(`[data-option="${name}"]`);
const SVG = "http://www.w3.org/2000/svg";
let tool = "select";
let start = null;
let seq = 0;
// Places that were pressed and wait for where they come to lie, by the number of their question.
const pressed = new Map();
// One question of the hovering hand is on its way at a time; of those that come meanwhile the last.
let hovering = { asked: 0, next: null };
// Presses are done one after the other: where a wall begins is known before its end is asked for.
let turn = Promise.resolve();

const HINTS = {
  select: "",
  wall: "Click where the wall begins. Esc ends it.",
  door: "Click on a wall.",
  window: "Click on a wall.",
  open: "Click on a wall.",
  place: "Click where it will be.",
  scale: "Type the true length, then click its two ends.",
};

function take(name) {
  tool = name;
  start = null;
  draw();
  for (const button of document.querySelectorAll("[data-tool]")) {
    button.setAttribute("aria-pressed", String(button.dataset.tool === name));
  }
  for (const options of document.querySelectorAll(".tool-options")) {
    options.hidden = options.dataset.for !== name;
  }
  document.querySelector(".plan").classList.toggle("drawing", name !== "select");
  hint(HINTS[name]);
}

function hint(text) {
  document.querySelector("[data-hint]").textContent = text;
}

function element(name, attributes, text) {
  const made = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
  if (text) made.textContent = text;
  return made;
}

function draw(end, words) {
  const shapes = [];
  const cm = (p) => p.map((m) => m * 100);
  if (start && end) {
    const [[ax, ay], [bx, by]] = [cm(start), cm(end)];
    shapes.push(element("line", { class: "overlay-line", x1: ax, y1: ay, x2: bx, y2: by }));
  }
  if (end) {
    const [x, y] = cm(end);
    const mark = element("g", { transform: `translate(${x} ${y})` });
    const upright = element("g", { class: "upright" });
    upright.append(element("circle", { class: "overlay-dot", r: 4 }));
    if (words) upright.append(element("text", { class: "overlay-text", x: 9, y: -7 }, words));
    mark.append(upright);
    shapes.push(mark);
  }
  overlay().replaceChildren(...shapes);
}

function typedLength() {
  const length = number(option("length")?.value ?? "");
  return length > 0 ? length : null;
}

function question(at) {
  seq += 1;
  return {
    ask: "snap", seq, floor: root().dataset.floor, at, start,
    length_m: start ? typedLength() : null, reach_m: Math.min(metresOf(12), 0.5),
  };
}

function hover(event) {
  if (tool === "wall") hoverAt(sheetPlace(event));
  else if (tool === "scale" && start) draw(sheetPlace(event));
}

function hoverAt(at) {
  if (hovering.asked) {
    hovering.next = at;
    return;
  }
  const asked = question(at);
  if (ask(asked)) hovering = { asked: asked.seq, next: null };
}

/** Where a pressed place comes to lie, however slow the answer: without a channel it is asked again
 * on the next. */
function snap(at) {
  const asked = question(at);
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
    if (tool === "wall" && pressed.size === 0) draw(told.at, [told.length, told.to].filter(Boolean).join(" · "));
    if (next) hoverAt(next);
  }
}

async function tell(change) {
  try {
    await edit(change);
    return true;
  } catch (refused) {
    if (!refused.conflict) notice(refused.message);
    return false;
  }
}

async function wallAt(at) {
  const { at: end } = await snap(at);
  if (!start) {
    start = end;
    hint("Click where it ends, or type a length and click the way it goes.");
    draw(end);
    return;
  }
  const wall = { id: newId("w"), floor: root().dataset.floor, a: start, b: end, construction: option("construction").value };
  if (await tell({ do: "put", kind: "wall", value: wall })) {
    start = end;
    option("length").value = "";
  }
  draw(start);
}

function lookAt(changes) {
  const there = new URL(location.href);
  for (const key of ["point", "wall"]) there.searchParams.delete(key);
  for (const [key, value] of Object.entries(changes)) there.searchParams.set(key, value);
  there.searchParams.set("floor", root().dataset.floor);
  history.replaceState(null, "", there);
  document.dispatchEvent(new CustomEvent("look"));
}

// A name that is not taken: the device and a number.
function freeName(stem) {
  const taken = new Set([...document.querySelectorAll("[data-point-row]")].map((a) => a.textContent));
  let n = 1;
  while (taken.has(`${stem} ${n}`)) n += 1;
  return `${stem} ${n}`;
}

async function placeAt(at) {
  const kind = option("kind").value;
  const network = option("network").value;
  if (!network) return void notice("There is no network yet; make one in the brief.");
  const chosen = option("kind").selectedOptions[0];
  const name = freeName(chosen.textContent.split(",")[0]);
  const point = { id: newId("p"), name, floor: root().dataset.floor, at: at.map((m) => Math.round(m * 100) / 100), ...JSON.parse(chosen.dataset.usual) };
  const device = { id: newId("d"), name, point: point.id, kind, network, can_be_cut: chosen.dataset.easilyCut === "true" };
  const edits = [{ do: "put", kind: "point", value: point }, { do: "put", kind: "device", value: device }];
  if (await tell({ do: "batch", edits })) lookAt({ point: point.id });
}

async function scaleAt(at) {
  const length = number(option("scale-length").value);
  if (!(length > 0)) {
    option("scale-length").focus();
    return void notice("Type the true length first.");
  }
  if (!start) {
    start = at;
    draw(at);
    hint("Click the other end.");
    return;
  }
  const done = await tell({ do: "scale-underlay", floor: root().dataset.floor, a: start, b: at, length_m: length });
  if (done) location.reload();
  start = null;
  draw();
}

/** True when a tool takes the press. */
function press(event) {
  if (tool === "select") return false;
  const at = sheetPlace(event);
  if (tool === "wall") turn = turn.then(() => wallAt(at));
  else if (tool === "scale") scaleAt(at);
  else if (tool === "place") placeAt(at);
  else {
    const wall = event.target.closest("[data-wall]")?.dataset.wall;
    if (wall) tell({ do: "drop-opening", wall, id: newId("o"), kind: tool, at });
    else hint("That is not on a wall: click on one.");
  }
  return true;
}

function matchKinds() {
  const network = option("network");
  const kinds = option("kind");
  if (!network || !kinds) return;
  const word = network.selectedOptions[0]?.dataset.system ?? "";
  for (const choice of kinds.options) {
    choice.hidden = !choice.dataset.systems.split(" ").includes(word);
    choice.disabled = choice.hidden;
  }
  if (kinds.selectedOptions[0]?.hidden) kinds.value = [...kinds.options].find((o) => !o.hidden)?.value ?? "";
}

async function click(event) {
  const tools = event.target.closest("[data-tool]");
  if (tools) take(tools.dataset.tool);
  const storey = event.target.closest("[data-add-storey]");
  if (storey) {
    const id = newId("f");
    if (await tell({ do: "add-storey", id, slab: newId("s") })) location.assign(`?floor=${id}`);
  }
  const device = event.target.closest("[data-add-device]");
  if (device) {
    const made = { id: newId("d"), name: freeName("Device"), point: device.dataset.addDevice, kind: option("kind").value, network: option("network").value };
    await tell({ do: "put", kind: "device", value: made });
  }
  if (event.target.closest("[data-remove-underlay]")) {
    await tell({ do: "set", kind: "floor", id: root().dataset.floor, field: "underlay", value: null });
  }
}

async function typedWall(event) {
  const form = event.target.closest("[data-typed-wall]");
  if (!form) return;
  event.preventDefault();
  const of = (name) => number(form.elements[name].value);
  const [ax, ay, bx, by] = ["ax", "ay", "bx", "by"].map(of);
  const error = form.querySelector("[data-error-for=length]");
  error.hidden = true;
  if ([ax, ay, bx, by].some(Number.isNaN)) {
    error.textContent = "give four numbers, in metres";
    error.hidden = false;
    return;
  }
  const wall = { id: newId("w"), floor: form.dataset.typedWall, a: [ax, ay], b: [bx, by], construction: option("construction").value };
  try {
    await edit({ do: "put", kind: "wall", value: wall });
  } catch (refused) {
    error.textContent = refused.message;
    error.hidden = false;
  }
}

function keys(event) {
  if (event.target.matches?.("input, textarea, select") || event.ctrlKey || event.metaKey) return;
  const tools = { v: "select", w: "wall", d: "door", n: "window", o: "open", p: "place", s: "scale" };
  if (event.key === "Escape") {
    if (start) { start = null; draw(); hint(HINTS[tool]); } else take("select");
  } else if (event.key === "Delete") {
    document.querySelector('[data-part="side"] [data-remove="point"], [data-part="side"] [data-remove="wall"]')?.click();
  } else if (tools[event.key.toLowerCase()]) {
    take(tools[event.key.toLowerCase()]);
  }
}

export function startSurvey() {
  if (!root()) return;
  onPlan({
    press,
    hover,
    choose: ({ point, event }) => {
      const wall = event.target.closest?.("[data-wall]")?.dataset.wall;
      const under = wall ?? document.elementFromPoint(event.clientX, event.clientY)?.closest("[data-wall]")?.dataset.wall;
      if (point) lookAt({ point });
      else if (under) lookAt({ wall: under });
      else lookAt({});
    },
  });
  hear("snap", snapAnswered);
  document.addEventListener("live-lost", () => { hovering = { asked: 0, next: null }; });
  document.addEventListener("live", () => { for (const { asked } of pressed.values()) ask(asked); });
  document.addEventListener("click", click);
  document.addEventListener("submit", typedWall);
  document.addEventListener("keydown", keys);
  document.addEventListener("change", (event) => { if (event.target === option("network")) matchKinds(); });
  document.addEventListener("look", () => refresh());
  document.addEventListener("refreshed", () => { if (tool === "wall") draw(start); });
  matchKinds();
}
