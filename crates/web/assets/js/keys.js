// The grid of keys: what each press of a controller does. What an order is, and what it comes to, the server says.
import { edit, newId, notice } from "./job.js";
import { onPlan } from "./plan.js";

const grid = () => document.querySelector("[data-keys]");
const cells = () => [...grid().querySelectorAll("td[role=gridcell]")];
const columns = () => [...grid().querySelectorAll("thead th[data-at]")];
const rows = () => [...grid().querySelectorAll("tbody tr[data-what]")];
const hint = (text) => { document.querySelector("[data-keys-hint]").textContent = text; };
const EMPTY = "Nothing yet: type on, off, toggle, dim or a level such as 40; direct or hub says which way.";
// Where the cursor stands; what is being typed there; what was refused, by place.
let at = { row: 0, column: 0 };
let typing = null;
const refusals = new Map();
let line = Promise.resolve();

const cellAt = ({ row, column }) => rows()[row]?.querySelectorAll("td")[column];
const placeOf = (cell) => {
  const row = cell.closest("tr");
  return { row: rows().indexOf(row), column: [...row.querySelectorAll("td")].indexOf(cell) };
};
const nameOf = ({ row, column }) => `${rows()[row]?.dataset.what} ${columns()[column]?.dataset.at}`;

function show(focus) {
  if (!grid()) return;
  for (const cell of cells()) {
    cell.tabIndex = -1;
    cell.classList.remove("here");
    delete cell.dataset.refused;
    const refused = refusals.get(nameOf(placeOf(cell)));
    if (refused) cell.dataset.refused = refused;
  }
  const cell = cellAt(at);
  if (!cell) return;
  cell.tabIndex = 0;
  cell.classList.add("here");
  if (!focus) return;
  cell.focus({ preventScroll: true });
  cell.scrollIntoView({ block: "nearest", inline: "nearest" });
  const words = cell.dataset.told ? `${rows()[at.row].dataset.name}: ${cell.dataset.told}` : EMPTY;
  hint(refusals.get(nameOf(at)) ?? words);
}

/** Moves the grid alone, and the page not at all. */
function bringIntoPane(cell) {
  const pane = cell.closest(".scroll");
  const below = cell.getBoundingClientRect().bottom - pane.getBoundingClientRect().bottom;
  if (below > 0) pane.scrollTop += below + pane.clientHeight / 2;
}

function go(row, column) {
  at = { row: Math.min(Math.max(row, 0), rows().length - 1), column: Math.min(Math.max(column, 0), columns().length - 1) };
  show(true);
}

function begin(text) {
  const cell = cellAt(at);
  const input = Object.assign(document.createElement("input"), { value: text ?? cell.textContent.trim(), maxLength: 60 });
  input.setAttribute("aria-label", `${rows()[at.row].dataset.name}, ${columns()[at.column].textContent.trim()}`);
  input.dataset.typing = "";
  typing = { at, input, old: cell.textContent };
  cell.replaceChildren(input);
  input.focus();
  if (text === undefined) input.select();
}

/** Ends typing; what was typed is sent, or put back. */
function end(keep) {
  if (!typing) return;
  const { at: place, input, old } = typing;
  const text = input.value;
  typing = null;
  input.closest("td").replaceChildren(document.createTextNode(keep ? text : old));
  if (keep && text.trim() !== old.trim()) send(place, text);
}

function send(place, text) {
  const of = nameOf(place);
  refusals.delete(of);
  const what = JSON.parse(rows()[place.row].dataset.what);
  const order = { do: "type-order", id: newId("k"), at: JSON.parse(columns()[place.column].dataset.at), what, text };
  line = line.then(() => edit(order)).catch((refused) => {
    if (refused.conflict) return;
    refusals.set(of, refused.message);
    show(!typing);
  });
}

const MOVES = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };

function keys(event) {
  if (!event.target.closest?.("[data-keys]")) return;
  const { key } = event;
  const plain = !event.ctrlKey && !event.metaKey && !event.altKey;
  if (key === "Tab") {
    const column = at.column + (event.shiftKey ? -1 : 1);
    const row = at.row + (column < 0 ? -1 : Number(column >= columns().length));
    end(true);
    if (!rows()[row]) return;
    event.preventDefault();
    go(row, (column + columns().length) % columns().length);
  } else if (key === "Enter" || key === "F2") {
    event.preventDefault();
    if (!typing) return void begin();
    end(true);
    go(at.row + (event.shiftKey ? -1 : 1), at.column);
  } else if (key === "Escape" && typing) {
    event.preventDefault();
    end(false);
    show(true);
  } else if (!typing && MOVES[key]) {
    event.preventDefault();
    go(at.row + MOVES[key][0], at.column + MOVES[key][1]);
  } else if (!typing && (key === "Delete" || key === "Backspace")) {
    event.preventDefault();
    send(at, "");
  } else if (!typing && plain && key.length === 1) {
    event.preventDefault();
    begin(key);
  }
}

export function startKeys() {
  const chooser = document.querySelector("[data-keys-of]");
  if (!chooser) return;
  const open = (of) => location.assign(`?${new URLSearchParams({ of })}`);
  chooser.addEventListener("change", () => { if (chooser.value) open(chooser.value); });
  onPlan({
    choose({ device }) {
      if ([...chooser.options].some((option) => option.value === device)) open(device);
      else if (device) notice("That one is worked, and works nothing itself.");
    },
  });
  document.addEventListener("keydown", keys);
  document.addEventListener("click", (event) => {
    const cell = event.target.closest?.("[data-keys] td[role=gridcell]");
    if (!cell || event.target.closest("input")) return;
    const again = cell === document.activeElement;
    end(true);
    go(...Object.values(placeOf(cell)));
    if (again || matchMedia("(pointer: coarse)").matches) begin();
  });
  document.addEventListener("focusout", (event) => {
    if (typing && event.target === typing.input && !event.relatedTarget) end(true);
  });
  document.addEventListener("refreshed", () => { if (grid() && !typing) show(document.activeElement === document.body); });
  // It opens where something is pressed already.
  const first = grid() && cells().find((cell) => cell.textContent.trim());
  if (first) at = placeOf(first);
  show(false);
  if (first) bringIntoPane(first);
}
