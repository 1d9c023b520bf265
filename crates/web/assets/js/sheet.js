// The point sheet: a grid under the keyboard. What a cell may hold, and what it comes to, the server says.
import { client, edit, job, listFindings, newId, newUuid, notice, post, refresh } from "./job.js";
import { onPlan } from "./plan.js";

const grid = () => document.querySelector("[data-grid]");
const headings = () => [...grid().querySelectorAll("thead th[data-word]")];
const rows = () => [...grid().querySelectorAll("tbody tr")];
const floor = () => document.querySelector("[data-view]").dataset.floor;
const how = () => document.querySelector("[data-how]").value;
// Where the cursor stands, by row and column, and which rows a fill goes over.
let at = { row: "", column: 1 };
let from = null;
let typing = null;
// The cell whose letter was just pressed: Tab goes one cell on from it, and so does whatever is typed next.
let chosen = null;
// What was refused, by row and column, until the cell holds something else.
const refusals = new Map();
// All that was sent and is not answered yet.
let line = Promise.resolve();
// How many of them are not answered yet: until then the grid holds what the server does not, and no page replaces it.
let unanswered = 0;

const rowOf = (cell) => cell.closest("tr").dataset.row;
const columnOf = (cell) => [...cell.parentElement.children].indexOf(cell);
const cellAt = ({ row, column }) => rows().find((r) => r.dataset.row === row)?.children[column];
const heading = () => headings()[at.column];
const keysOf = (head) => head.dataset.keys.split(" · ").filter(Boolean).map((k) => k[0]);

/** The columns that stay in view go along when the sheet is moved sideways: all its cells are styled anew for it, so never
 * where it moves up or down. */
function keepInView() {
  const pane = document.querySelector(".grid-scroll");
  const { style } = document.querySelector(".sheet-page");
  style.setProperty("--across", `${pane.scrollLeft}px`);
  style.setProperty("--beyond", `${Math.min(pane.scrollLeft + pane.clientWidth - pane.scrollWidth, 0)}px`);
}

function hint(text) {
  document.querySelector("[data-grid-hint]").textContent = text;
}

function tellKeys() {
  const { keys } = heading().dataset;
  hint(keys ? `${heading().textContent}: ${keys}` : `${heading().textContent}: type, then Tab. F2 edits what is there, Delete empties it.`);
}

function place(next, keepRange = false) {
  const last = rows().length - 1;
  const now = Math.max(rows().findIndex((r) => r.dataset.row === at.row), 0);
  const row = next.row ?? rows()[Math.min(Math.max(now + (next.down ?? 0), 0), last)].dataset.row;
  const column = Math.min(Math.max(next.column ?? at.column, 0), headings().length - 1);
  if (keepRange) from ??= at.row;
  else from = null;
  at = { row, column };
  chosen = null;
  show(true);
}

function show(focus) {
  if (!grid()) return;
  for (const cell of grid().querySelectorAll("[tabindex='0'], .here, .in-range")) {
    cell.tabIndex = -1;
    cell.classList.remove("here", "in-range");
  }
  const cell = cellAt(at) ?? rows()[0]?.children[at.column];
  if (!cell) return;
  at.row = rowOf(cell);
  cell.tabIndex = 0;
  cell.classList.add("here");
  for (const row of range()) row.children[at.column].classList.add("in-range");
  for (const row of rows()) row.classList.toggle("selected", row.dataset.row !== "" && row.dataset.row === at.row);
  for (const dot of document.querySelectorAll(".plan .dot")) dot.classList.toggle("selected", dot.dataset.point === at.row);
  if (focus) {
    cell.focus({ preventScroll: true });
    cell.scrollIntoView({ block: "nearest", inline: "nearest" });
  }
  tellKeys();
}

/** The rows from where Shift began to where the cursor is. */
function range() {
  if (from === null) return [];
  const ends = [from, at.row].map((id) => rows().findIndex((r) => r.dataset.row === id)).sort((a, b) => a - b);
  return rows().slice(ends[0], ends[1] + 1).filter((r) => r.dataset.row);
}

function begin(text, keep) {
  const cell = cellAt(at);
  const { row } = at;
  if (row === "" && heading().dataset.word !== "name") {
    hint("Type the name of the new place first.");
    return void place({ column: 1 });
  }
  const input = document.createElement("input");
  input.value = keep ? (row ? cell.textContent.trim() : "") : text;
  input.setAttribute("aria-label", heading().textContent);
  input.maxLength = 4000;
  input.dataset.typing = "";
  typing = { ...at, input, old: row ? cell.textContent : "" };
  cell.replaceChildren(input);
  input.focus();
  if (keep) input.select();
}

function stop(restore) {
  if (!typing) return null;
  const { input, old } = typing;
  const cell = input.closest("td");
  const text = input.value;
  typing = null;
  cell.replaceChildren(document.createTextNode(restore ? old : text));
  return text;
}

/** Waits for the answer to what was just sent; the grid is the hand's until all is answered. */
function awaited(answer) {
  unanswered += 1;
  holdGrid();
  const done = answer.finally(async () => {
    unanswered -= 1;
    holdGrid();
    await settle();
    showRefusals();
  });
  line = Promise.allSettled([line, done]);
  return done;
}

/** Does something once all that was sent before it is answered. */
const later = (act) => awaited(line.then(act));

function holdGrid() {
  grid()?.toggleAttribute("data-typing", unanswered > 0);
}

/** Shows what the server has, once all is answered and nothing is being typed. */
async function settle() {
  if (!typing && unanswered === 0) await refresh().catch(() => {});
}

/** Sends a change at once, behind those before it: it is kept from now on, also where the page is left. */
function send(change, where, cell) {
  hideFindings();
  return awaited(edit(change, { how: how(), quiet: true }).catch((refused) => {
    if (!refused.conflict && cell) refusals.set(cell, refused.message);
    if (!refused.conflict) tellFindings([{ place: where, reason: refused.message }]);
  }));
}

/** Sends what was typed into a cell. */
function commit(row, word, text) {
  refusals.delete(`${row} ${word}`);
  return send({ do: "fill", points: [row], column: word, text }, nameOf(row), `${row} ${word}`);
}

/** What was refused stands at its cell. */
function showRefusals() {
  for (const cell of grid()?.querySelectorAll("[data-refused]") ?? []) {
    delete cell.dataset.refused;
    cell.removeAttribute("aria-description");
  }
  for (const [of, message] of refusals) {
    const [row, word] = of.split(" ");
    const cell = cellAt({ row, column: headings().findIndex((head) => head.dataset.word === word) });
    if (!cell) continue;
    cell.dataset.refused = message;
    cell.setAttribute("aria-description", message);
  }
}

/** The new row becomes a point: it has its id at once, so that its next cell can be typed. */
function adopt(text) {
  const row = rows().at(-1);
  const like = rows().at(-2)?.dataset.row;
  const next = row.cloneNode(true);
  next.children[1].replaceChildren();
  const id = newId("p");
  row.dataset.row = id;
  row.dataset.name = text;
  row.classList.remove("new-row");
  row.after(next);
  if (at.row === "") at.row = id;
  send({ do: "add-point", id, floor: floor(), name: text, ...(like ? { like } : {}) }, text);
}

const nameOf = (id) => rows().find((r) => r.dataset.row === id)?.dataset.name ?? "";

function hideFindings() {
  document.querySelector("[data-grid-findings]").hidden = true;
}

const tellFindings = (findings) => listFindings(document.querySelector("[data-grid-findings]"), findings);

function leave(next) {
  if (typing) {
    const { row, column } = typing;
    const word = headings()[column].dataset.word;
    const { old } = typing;
    const text = stop(false);
    if (row === "") {
      if (text.trim() !== "") adopt(text.trim());
    } else if (text !== old) {
      commit(row, word, text);
    }
  }
  if (next) place(next);
}

/** Ctrl+D: what stands in the first row of the range goes into the others; without one, from above. */
function fillDown() {
  const chosen = range();
  const here = rows().findIndex((r) => r.dataset.row === at.row);
  const source = chosen.length > 1 ? chosen[0] : rows()[here - 1];
  const into = (chosen.length > 1 ? chosen.slice(1) : [rows()[here]]).map((r) => r.dataset.row).filter(Boolean);
  if (!source?.dataset.row || into.length === 0) return;
  const text = source.children[at.column].textContent;
  const column = heading().dataset.word;
  send({ do: "fill", points: into, column, text }, "");
}

function empty() {
  const points = (range().length > 1 ? range().map((r) => r.dataset.row) : [at.row]).filter(Boolean);
  const column = heading().dataset.word;
  send({ do: "fill", points, column, text: "" }, "");
}

const MOVES = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };

function keys(event) {
  if (!event.target.closest?.("[data-grid]")) return;
  const inside = Boolean(typing);
  if (event.key === "Tab") {
    const column = at.column + (event.shiftKey ? -1 : 1);
    // At either end of a row Tab goes on to the next one, and out of the sheet at its own ends.
    const wraps = column < 0 || column >= headings().length;
    const index = rows().findIndex((r) => r.dataset.row === at.row) + (event.shiftKey ? -1 : 1);
    if (wraps && !rows()[index]) return void leave();
    event.preventDefault();
    leave(wraps ? { down: event.shiftKey ? -1 : 1, column: event.shiftKey ? headings().length - 1 : 1 } : { column });
  } else if (event.key === "Enter") {
    event.preventDefault();
    if (inside) leave({ down: event.shiftKey ? -1 : 1 });
    else begin("", true);
  } else if (event.key === "Escape" && inside) {
    event.preventDefault();
    stop(true);
    show(true);
    settle();
  } else if (inside && ["ArrowUp", "ArrowDown"].includes(event.key)) {
    event.preventDefault();
    leave({ down: MOVES[event.key][0] });
  } else if (!inside && MOVES[event.key]) {
    event.preventDefault();
    const [down, right] = MOVES[event.key];
    place({ down, column: at.column + right }, event.shiftKey && right === 0);
  } else if (!inside && (event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "d") {
    event.preventDefault();
    fillDown();
  } else if (!inside && (event.key === "Delete" || event.key === "Backspace")) {
    event.preventDefault();
    chosen = null;
    empty();
  } else if (!inside && event.key === "F2") {
    event.preventDefault();
    begin("", true);
  } else if (!inside && event.key === "Home") {
    event.preventDefault();
    place({ column: 0 });
  } else if (!inside && event.key === "End") {
    event.preventDefault();
    place({ column: headings().length - 1 });
  } else if (!inside && event.key.length === 1 && !event.ctrlKey && !event.metaKey && !event.altKey) {
    event.preventDefault();
    const key = event.key.toLowerCase();
    if (chosen === `${at.row} ${at.column}`) place({ column: at.column + 1 });
    const { row } = at;
    if (row && keysOf(heading()).includes(key)) {
      // One letter says it all.
      const cell = cellAt(at);
      const words = heading().dataset.keys.split(" · ").find((k) => k[0] === key)?.slice(2);
      cell.textContent = words ?? key;
      commit(row, heading().dataset.word, key);
      chosen = `${at.row} ${at.column}`;
    } else {
      begin(event.key, false);
    }
  }
}

function copied(event) {
  if (typing || !event.target.closest?.("[data-grid]")) return;
  const chosen = range().length > 0 ? range() : rows().filter((r) => r.dataset.row === at.row);
  const text = range().length > 0
    ? chosen.map((r) => headings().map((_, n) => r.children[n].textContent).join("\t")).join("\n")
    : chosen[0]?.children[at.column].textContent ?? "";
  event.clipboardData.setData("text/plain", text);
  event.preventDefault();
}

/** How much of a table was taken. */
function taken({ taken: count, findings }) {
  const left = findings.length > 0 ? `, ${findings.length} left out` : "";
  return `${count} change${count === 1 ? "" : "s"} taken${left}. Undo takes it back.`;
}

function pasted(event) {
  if (!event.target.closest?.("[data-grid]")) return;
  const text = event.clipboardData.getData("text/plain");
  if (typing && !/[\t\n]/.test(text.trimEnd())) return;
  event.preventDefault();
  stop(true);
  const sent = {
    text: text.replace(/\r\n?/g, "\n").replace(/\n$/, ""),
    floor: floor(), point: at.row || null, column: heading().dataset.word, stem: newId("p"), client, edit_id: newUuid(),
  };
  later(async () => {
    try {
      const told = await post(`/jobs/${job()}/sheet`, sent);
      tellFindings(told.findings);
      hint(taken(told));
    } catch (refused) {
      tellFindings([{ place: "", reason: refused.message }]);
    }
  });
}

async function brought(input) {
  const form = new FormData();
  form.append("file", input.files[0]);
  input.value = "";
  try {
    const marks = new URLSearchParams({ client, edit_id: newUuid() });
    const told = await post(`/jobs/${job()}/points.csv?${marks}`, form);
    await refresh();
    tellFindings(told.findings);
    hint(taken(told));
  } catch (refused) {
    tellFindings([{ place: "The file", reason: refused.message }]);
  }
}

export function startSheet() {
  if (!grid() && !document.querySelector('[data-view="sheet"]')) return;
  document.addEventListener("keydown", keys);
  document.addEventListener("copy", copied);
  document.addEventListener("paste", pasted);
  document.addEventListener("click", (event) => {
    const cell = event.target.closest?.("[data-grid] tbody td");
    if (!cell || event.target.closest("a, input")) return;
    const next = { row: rowOf(cell), column: Math.min(columnOf(cell), headings().length - 1) };
    const again = next.row === at.row && next.column === at.column && cell.classList.contains("here") && document.activeElement === cell;
    leave(next);
    if (again || matchMedia("(pointer: coarse)").matches) begin("", true);
  });
  document.addEventListener("change", (event) => {
    if (event.target.matches("[data-bring-points]") && event.target.files[0]) brought(event.target);
  });
  // A thumb has no row to type into: a place is added by its name, and is the next card.
  document.addEventListener("submit", (event) => {
    if (!event.target.matches("[data-new-place]")) return;
    event.preventDefault();
    const name = event.target.elements.name.value.trim();
    if (!name) return void event.target.elements.name.focus();
    const id = newId("p");
    const like = rows().at(-2)?.dataset.row;
    later(async () => {
      try {
        await edit({ do: "add-point", id, floor: floor(), name, ...(like ? { like } : {}) }, { how: how(), quiet: true });
        location.assign(`?${new URLSearchParams({ floor: floor(), point: id })}`);
      } catch (refused) {
        tellFindings([{ place: name, reason: refused.message }]);
      }
    });
  });
  // One point a screen: a press fills, and what is typed is taken when the field is left.
  const fills = (field, text) => {
    const points = [field.closest("[data-card]").dataset.card];
    send({ do: "fill", points, column: field.dataset.fill, text }, "");
  };
  document.addEventListener("click", (event) => {
    const pressed = event.target.closest?.("[data-card] button[data-fill]");
    if (pressed) fills(pressed, pressed.dataset.text);
  });
  document.addEventListener("change", (event) => {
    if (event.target.matches?.("[data-card] input[data-fill]")) fills(event.target, event.target.value);
  });
  document.addEventListener("focusout", (event) => {
    if (typing && event.target === typing.input && !event.relatedTarget) leave();
  });
  onPlan({
    choose({ point }) {
      if (!point || !rows().some((r) => r.dataset.row === point)) return;
      leave();
      place({ row: point, column: 1 });
    },
  });
  keepInView();
  window.addEventListener("resize", keepInView);
  let across = 0;
  document.addEventListener("scroll", ({ target }) => {
    if (!target.matches?.(".grid-scroll") || target.scrollLeft === across) return;
    across = target.scrollLeft;
    keepInView();
  }, { capture: true, passive: true });
  document.addEventListener("refreshed", () => {
    keepInView();
    if (!typing) show(document.activeElement === document.body);
    showRefusals();
  });
  const { searchParams } = new URL(location.href);
  at = { row: searchParams.get("point") ?? rows()[0]?.dataset.row ?? "", column: 1 };
  show(false);
  if (!matchMedia("(pointer: coarse)").matches) show(true);
  if (!grid()) notice("Draw a storey on the plan first.");
}
