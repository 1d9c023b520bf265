// The Survey page: which tool is in hand, and what a press of it does.
import { chooseAll, choose, chosenCount, chosenKey, chosenWords, grab, removeChosen, startChosen, theChosenWall } from "./chosen.js";
import { edit, newId, notice, refresh } from "./job.js";
import { metresOf, middleOfView, onPlan, overlay, sheetPlace, STEPS, stride } from "./plan.js";
import { shape, upright } from "./shapes.js";
import { number } from "./things.js";
import { drawLine, endRun, hoverWall, isDrawing, pressWall, startWalls, undoLast, wallKey } from "./walls.js";

const root = () => document.querySelector('[data-view="survey"]');
const option = (name) => document.querySelector(`[data-option="${name}"]`);
const plan = () => document.querySelector(".plan[data-plan]");
const OPENINGS = ["door", "window", "open"];
const KEYS = {
  v: "select", f: "several", r: "rectangle", w: "wall", d: "door", n: "window", o: "open", p: "place",
  s: "scale", m: "room", a: "area",
};
const LENGTHS = ["length", "across", "down", "right", "down-sheet", "scale-length"];
const UNIT_LETTERS = "mcftineh";
let tool = "select";
// The ends of a length that is known, for the scale of the plan image.
let ends = [];
// The corners of an area that is being drawn, and the room named last.
let corners = [];
let named = null;
// The device placed last, whose name is asked for.
let placed = null;
// Where the keyboard's hand is, for the tools that drop something, and where it dropped something last.
let cursor = null;
let dropped = null;

const HINTS = {
  select: () => {
    if (theChosenWall()) return "Drag the wall or one of its ends, or use the arrows.";
    return byThumb() ? "Tap a wall or a point." : "Shift and drag frames several.";
  },
  several: () => (chosenCount() ? "Drag them, or use the arrows." : "Drag a frame around them."),
  rectangle: () => (isDrawing() ? "Click the opposite corner, or type its sides." : "Click or drag from corner to corner."),
  wall: () => (isDrawing()
    ? "Click where it ends, or type a length, Tab, an angle."
    : "Click where it begins. On a wall, a typed length measures from its corner."),
  door: () => "Click on a wall.",
  window: () => "Click on a wall.",
  open: () => "Click on a wall.",
  place: () => "",
  room: () => "Click into a room: the walls around it close it.",
  area: () => (corners.length > 2 ? "Click on; Enter or the first corner closes it." : "Click its corners one after the other."),
  scale: () => "Click both ends of a length that you know and type it, in either order.",
};

const byThumb = () => matchMedia("(pointer: coarse)").matches;
const memory = () => `draw-${document.body.dataset.job}`;

/** What is in hand stays there from storey to storey. */
function remember() {
  const given = Object.fromEntries(["network", "kind", "count"].map((name) => [name, option(name)?.value]));
  const built = { ...JSON.parse(sessionStorage.getItem(memory()) ?? "{}").built };
  if (["wall", "rectangle"].includes(tool)) built[tool] = option("construction").value;
  sessionStorage.setItem(memory(), JSON.stringify({ tool, ...given, built }));
}

function recall() {
  const kept = JSON.parse(sessionStorage.getItem(memory()) ?? "{}");
  const has = (field, value) => value && [...(field?.options ?? [])].some((o) => o.value === value);
  if (has(option("network"), kept.network)) option("network").value = kept.network;
  matchKinds();
  if (has(option("kind"), kept.kind)) option("kind").value = kept.kind;
  if (kept.count) option("count").value = kept.count;
  take(kept.tool ?? "select");
}

function take(name) {
  tool = name;
  endRun();
  ends = [];
  corners = [];
  named = null;
  placed = null;
  cursor = null;
  for (const button of document.querySelectorAll("[data-tool]")) {
    button.setAttribute("aria-pressed", String(button.dataset.tool === name));
  }
  for (const options of document.querySelectorAll(".tool-options")) {
    options.hidden = !options.dataset.for.split(" ").includes(name);
  }
  const built = JSON.parse(sessionStorage.getItem(memory()) ?? "{}").built?.[name];
  const { usualWall, usualRectangle } = option("construction").dataset;
  if (["wall", "rectangle"].includes(name)) option("construction").value = built ?? (name === "wall" ? usualWall : usualRectangle);
  plan().classList.toggle("drawing", !["select", "several"].includes(name));
  remember();
  tellChosen();
}

function hint(text = HINTS[tool]()) {
  const isReady = root().dataset.floor || ["select", "several"].includes(tool);
  document.querySelector("[data-hint]").textContent = isReady ? text : "The first press makes the ground floor.";
  document.querySelector("[data-offer-storey]").hidden = Boolean(root().dataset.floor);
  for (const button of document.querySelectorAll("[data-run]")) button.disabled = !isDrawing();
}

function tellChosen() {
  document.querySelector("[data-chosen-words]").textContent = chosenWords();
  document.querySelector("[data-remove-chosen]").hidden = chosenCount() === 0;
  hint();
}

async function tell(change) {
  try {
    return await edit(change);
  } catch (refused) {
    if (!refused.conflict) notice(refused.message);
    return null;
  }
}

/** The storey shown; a house without one gets its first. */
async function shownFloor() {
  if (root().dataset.floor) return root().dataset.floor;
  const id = newId("f");
  if (!(await tell({ do: "add-storey", id, slab: newId("s") }))) throw new Error("there is no storey to draw on");
  root().dataset.floor = id;
  lookAt({});
  hint();
  return id;
}

/** Says in the address what the side shows. */
function shows(changes) {
  const there = new URL(location.href);
  for (const key of ["point", "wall", "emitter"]) there.searchParams.delete(key);
  for (const [key, value] of Object.entries(changes)) there.searchParams.set(key, value);
  there.searchParams.set("floor", root().dataset.floor);
  history.replaceState(null, "", there);
}

function lookAt(changes) {
  shows(changes);
  document.dispatchEvent(new CustomEvent("look"));
}

/** A network by its select: one that is there, or a new one of a system. */
function chosenNetwork() {
  const { value } = option("network");
  return value.startsWith("new:") ? { network: newId("n"), system: value.slice(4) } : { network: value };
}

async function placeAt(at) {
  const floor = await shownFloor();
  const { network, system } = chosenNetwork();
  const made = { point: newId("p"), device: newId("d") };
  const told = await tell({ do: "place-device", ...made, kind: option("kind").value, network, ...(system ? { system } : {}), floor, at });
  if (!told) return;
  if (system) hasNetwork(network);
  placed = made;
  choose({ points: [made.point] });
  shows({ point: made.point });
  await refresh();
  askName();
}

/** A network that was just made stands among those in use. */
function hasNetwork(id) {
  const made = option("network").selectedOptions[0];
  made.value = id;
  option("network").querySelector("optgroup")?.append(made);
  remember();
}

/** The name is offered at once: Enter keeps it, as does the next press. */
function askName() {
  const name = document.querySelector('form[data-key="device"] input[name="name"]')?.value ?? "";
  option("name").value = name;
  placed.name = name;
  option("name").scrollIntoView({ inline: "nearest", block: "nearest" });
  if (byThumb()) return;
  option("name").focus();
  option("name").select();
}

async function keepName() {
  const name = option("name").value.trim();
  if (!placed || !name || name === placed.name) return;
  placed.name = name;
  await tell({ do: "batch", edits: [
    { do: "set", kind: "point", id: placed.point, field: "name", value: name },
    { do: "set", kind: "device", id: placed.device, field: "name", value: name },
  ] });
}

/** Places what is in hand where its typed coordinates say, once. */
function placeTyped() {
  const fields = ["right", "down-sheet"].map(option);
  const at = fields.map((field) => field.value);
  if (at.some((typed) => typed.trim() === "")) return void notice("Type how far right and how far down it is.");
  for (const field of fields) field.value = "";
  placeAt(at);
}

/** Names the room that walls close around a place; its name is offered to be typed at once. */
async function nameRoom(at) {
  const floor = await shownFloor();
  const id = newId("r");
  const told = await tell({ do: "name-room", id, floor, at, name: option("room-name").value.trim() || "Room" });
  if (!told) return;
  // A room that was there keeps its id: what was touched says which it is.
  named = told.touched.map((t) => t.match(/^room:([^#]+)/)?.[1]).find(Boolean) ?? id;
  if (!byThumb()) {
    option("room-name").focus();
    option("room-name").select();
  }
}

async function keepRoomName() {
  const name = option("room-name").value.trim();
  if (named && name) await tell({ do: "set", kind: "room", id: named, field: "name", value: name });
}

function showCorners(to) {
  const all = to ? [...corners, to] : corners;
  if (all.length === 0) return void drawLine();
  const d = `M${all.map((c) => c.map((m) => m * 100).join(" ")).join("L")}`;
  const dots = corners.map((c) => upright(c.map((m) => m * 100), [shape("circle", { class: "overlay-dot", r: 3 })]));
  overlay().replaceChildren(shape("path", { class: "overlay-line", d }), ...dots);
}

async function closeArea() {
  if (corners.length < 3) return void hint("An area has three corners at least.");
  const floor = await shownFloor();
  const sent = { do: "draw-area", id: newId("a"), floor, what: option("area-what").value, corners, name: option("area-name").value };
  corners = [];
  showCorners();
  await tell(sent);
  hint();
}

async function cornerAt(at) {
  await shownFloor();
  const first = corners[0];
  if (first && corners.length > 2 && Math.hypot(first[0] - at[0], first[1] - at[1]) < metresOf(12)) return void closeArea();
  corners.push(at.map((m) => Math.round(m * 20) / 20));
  showCorners();
  hint();
}

async function scaleIfKnown() {
  const length = option("scale-length").value.trim();
  drawLine(ends[0], ends[1] ?? ends[0]);
  // The press itself moves the focus to the plan: what is asked for is typed after it.
  if (ends.length === 2 && length === "") return void setTimeout(() => option("scale-length").focus());
  if (ends.length < 2) return;
  const [a, b] = ends;
  ends = [];
  if (await tell({ do: "scale-underlay", floor: root().dataset.floor, a, b, length_m: length })) location.reload();
  drawLine();
}

async function dropOn(wall, at) {
  if (!wall) return void hint("That is not on a wall: click on one.");
  const count = number(option("count").value) || 1;
  await tell({ do: "drop-opening", wall, id: newId("o"), kind: tool, at, count });
  hint();
}

function pressAt(at, under, isDragEnd) {
  if (tool === "wall" || tool === "rectangle") {
    pressWall(at, isDragEnd);
  } else if (tool === "room") {
    if (!isDragEnd) nameRoom(at);
  } else if (tool === "area") {
    if (!isDragEnd) cornerAt(at);
  } else if (tool === "scale") {
    ends = [...ends, at].slice(-2);
    scaleIfKnown();
  } else if (!isDragEnd) {
    if (tool === "place") placeAt(at);
    else dropOn(under?.closest?.("[data-wall]")?.dataset.wall, at);
  }
}

function matchKinds() {
  const network = option("network");
  const kinds = option("kind");
  const word = network.selectedOptions[0]?.dataset.system ?? "";
  let n = 0;
  for (const choice of kinds.options) {
    choice.hidden = !choice.dataset.systems.split(" ").includes(word);
    choice.disabled = choice.hidden;
    choice.dataset.name ??= choice.textContent;
    if (!choice.hidden) n += 1;
    choice.textContent = choice.hidden || n > 9 ? choice.dataset.name : `${n} ${choice.dataset.name}`;
  }
  if (kinds.selectedOptions[0]?.hidden) kinds.value = [...kinds.options].find((o) => !o.hidden)?.value ?? "";
}

async function addStorey({ beneath = false, copy = null }) {
  const id = newId("f");
  if (await tell({ do: "add-storey", id, slab: newId("s"), beneath, copy })) location.assign(`?floor=${id}`);
}

async function click(event) {
  const tools = event.target.closest("[data-tool]");
  if (tools) take(tools.dataset.tool);
  const storey = event.target.closest("[data-add-storey]");
  if (storey) await addStorey(JSON.parse(storey.dataset.addStorey || "{}"));
  if (event.target.closest("[data-offer-storey]")) await shownFloor();
  const run = event.target.closest("[data-run]")?.dataset.run;
  if (run === "done") endRun();
  else if (run === "undo") undoLast();
  if (event.target.closest("[data-place-typed]")) placeTyped();
  if (event.target.closest("[data-remove-chosen]")) removeChosen();
  const device = event.target.closest("[data-add-device]");
  if (device) {
    await tell({ do: "place-device", device: newId("d"), point: device.dataset.addDevice, kind: option("kind").value, ...chosenNetwork() });
  }
  if (event.target.closest("[data-remove-underlay]")) {
    await tell({ do: "set", kind: "floor", id: root().dataset.floor, field: "underlay", value: null });
  }
}

async function typedWall(event) {
  const form = event.target.closest("[data-typed-wall]");
  if (!form) return;
  event.preventDefault();
  const [ax, ay, bx, by] = ["ax", "ay", "bx", "by"].map((name) => form.elements[name].value);
  const error = form.querySelector("[data-error-for=length]");
  error.hidden = true;
  const wall = { id: newId("w"), floor: form.dataset.typedWall, a: [ax, ay], b: [bx, by], construction: option("construction").value };
  try {
    await edit({ do: "type-wall", ...wall });
  } catch (refused) {
    error.textContent = refused.message;
    error.hidden = false;
  }
}

/** Keys of the plan, before the plan itself takes them. */
function planKey(event) {
  if (tool === "select" || tool === "several") return chosenKey(event);
  if (tool === "wall" || tool === "rectangle") return wallKey(event);
  const way = STEPS[event.key];
  if (way && event.target === plan()) {
    event.preventDefault();
    cursor = (cursor ?? middleOfView()).map((v, axis) => Math.round((v + way[axis] * stride(event)) * 100) / 100);
    drawLine(ends[0], cursor, `${cursor[0].toFixed(2)}, ${cursor[1].toFixed(2)}`);
    return true;
  }
  if (event.key === "Enter" && tool === "area" && corners.length > 2 && !cursor) {
    event.preventDefault();
    closeArea();
    return true;
  }
  if (event.key === "Enter" && cursor && event.target === plan()) {
    event.preventDefault();
    if (dropped === cursor) {
      hint("That is done here. Move the cross first.");
      return true;
    }
    dropped = cursor;
    const { a, b, c, d, e, f } = plan().getScreenCTM();
    const [x, y] = cursor.map((m) => m * 100);
    pressAt(cursor, document.elementsFromPoint(a * x + c * y + e, b * x + d * y + f).find((under) => under.closest("[data-wall]")));
    return true;
  }
  const digit = /^[1-9]$/.test(event.key) && !event.ctrlKey ? Number(event.key) : 0;
  if (digit && OPENINGS.includes(tool)) option("count").value = digit;
  else if (digit && tool === "place") {
    const named = [...option("kind").options].filter((o) => !o.hidden)[digit - 1];
    if (named) option("kind").value = named.value;
  }
  if (digit) remember();
  return Boolean(digit);
}

function keys(event) {
  const key = event.key.toLowerCase();
  const isNumber = event.target.matches?.("[data-option][inputmode]");
  // A letter after a length is the beginning of its unit.
  const isUnit = LENGTHS.includes(event.target.dataset?.option) && event.target.value.trim() !== "" && UNIT_LETTERS.includes(key);
  if (isNumber && !isUnit && KEYS[key] && !event.ctrlKey && !event.metaKey) {
    // No number has a letter: the next tool is meant.
    event.preventDefault();
    event.target.blur();
    return void take(KEYS[key]);
  }
  if (event.target.matches?.("input, textarea, select") || event.altKey) return;
  if (event.ctrlKey || event.metaKey) {
    if (key === "a") {
      event.preventDefault();
      take("several");
      chooseAll();
    }
  } else if (event.key === "Escape") {
    if (!endRun() && ends.length === 0) {
      if (tool !== "select") take("select");
      if (!document.querySelector('form[data-key="point"]')) choose({});
    }
    ends = [];
    if (corners.length > 0) { corners = []; showCorners(); hint(); }
  } else if (event.key === "Delete") {
    if (chosenCount() > 1) removeChosen();
    else document.querySelector('[data-part="side"] [data-remove="point"], [data-part="side"] [data-remove="wall"]')?.click();
  } else if (event.key === "Backspace" && isDrawing()) {
    undoLast();
  } else if (KEYS[key]) {
    take(KEYS[key]);
  }
}

function fieldKeys(event) {
  const field = event.target.closest?.("[data-option]")?.dataset.option;
  if (event.key === "Enter" && field === "room-name") keepRoomName().then(() => { named = null; plan().focus(); });
  else if (event.key === "Enter" && field === "name") keepName().then(() => { placed = null; plan().focus(); });
  else if (event.key === "Enter" && ["right", "down-sheet"].includes(field)) placeTyped();
  else if (event.key === "Escape" && field) plan().focus();
}

function changed(event) {
  const field = event.target.closest("[data-option]")?.dataset.option;
  if (field === "network") matchKinds();
  if (field === "name") keepName();
  if (field === "room-name") keepRoomName();
  if (field === "scale-length") scaleIfKnown();
  if (field === "fade") fade(event.target.value);
  if (["network", "kind", "construction", "count"].includes(field)) remember();
}

const fadeKey = () => `fade-${document.body.dataset.job}`;

/** How strongly the plan image is seen under the walls. */
function fade(value) {
  localStorage.setItem(fadeKey(), value);
  plan().style.setProperty("--fade", value);
}

function showFade() {
  const value = localStorage.getItem(fadeKey());
  if (value) plan().style.setProperty("--fade", value);
  if (value && option("fade")) option("fade").value = value;
}

export function startSurvey() {
  if (!root()) return;
  startChosen({ changed: tellChosen, shows });
  startWalls({ floor: shownFloor, hint, tool: () => tool });
  onPlan({
    takes: () => !["select", "several"].includes(tool),
    press: (event, isDragEnd) => pressAt(sheetPlace(event), event.target, isDragEnd),
    hover(event) {
      cursor = null;
      if (tool === "wall" || tool === "rectangle") hoverWall(event);
      else if (tool === "area" && corners.length > 0) showCorners(sheetPlace(event));
      else if (tool === "scale" && ends.length === 1) drawLine(ends[0], sheetPlace(event));
    },
    grab: (event) => grab(event, tool === "several"),
    key: planKey,
    choose({ kind, point, under }) {
      if (kind === "emitter") {
        choose({});
        return void lookAt({ emitter: point });
      }
      const wall = under?.closest?.("[data-wall]")?.dataset.wall;
      choose(point ? { points: [point] } : { walls: wall ? [wall] : [] });
      if (point) lookAt({ point });
      else lookAt(wall ? { wall } : {});
    },
  });
  document.addEventListener("click", click);
  document.addEventListener("submit", typedWall);
  document.addEventListener("keydown", keys);
  document.addEventListener("keydown", fieldKeys);
  document.addEventListener("change", changed);
  document.addEventListener("input", (event) => { if (event.target.matches('[data-option="fade"]')) fade(event.target.value); });
  document.addEventListener("look", () => refresh());
  document.addEventListener("refreshed", showFade);
  recall();
  showFade();
  const { searchParams } = new URL(location.href);
  const [wall, point] = ["wall", "point"].map((name) => searchParams.get(name));
  choose({ walls: wall ? [wall] : [], points: point ? [point] : [] });
}

