// The Reach page: what is looked at stands in the address; a dragged dot is previewed live.
import { ask, edit, hear, job, notice, refresh } from "./job.js";
import { fetchPage, patchParts, swapParts } from "./parts.js";
import { onPlan, placeDot, sheetPlace } from "./plan.js";

const root = () => document.querySelector('[data-view="reach"]');
let seq = 0;
let answered = 0;
let next = null;
// Whether the page shows a cure that is not done.
let trying = false;

function look(changes) {
  const there = new URL(location.href);
  for (const [key, value] of Object.entries(changes)) {
    if (value) there.searchParams.set(key, value);
    else there.searchParams.delete(key);
  }
  const floor = there.searchParams.get("floor");
  if (floor && floor !== root().dataset.floor) return location.assign(there);
  history.replaceState(null, "", there);
  return refresh().then(follow).catch((e) => notice(e.message));
}

// The storey shown may follow the device chosen: then the whole sheet changes.
function follow() {
  const chosen = document.querySelector(".storeys [aria-current]")?.getAttribute("href") ?? "";
  const floor = new URLSearchParams(chosen.replace("?", "")).get("floor");
  if (floor && floor !== root().dataset.floor) location.reload();
}

function query() {
  const now = new URL(location.href).searchParams;
  const of = (key) => now.get(key) ?? "";
  const chosen = document.querySelector("[data-device-row][aria-expanded=true]")?.dataset.deviceRow ?? "";
  return {
    floor: of("floor") || root().dataset.floor,
    network: of("network") || root().dataset.network,
    select: of("select") || chosen,
    down: of("down"),
    doors: of("doors"),
    off: of("off"),
    q: of("q"),
    sort: of("sort"),
    col: of("col"),
    show: of("show"),
    carried: of("carried"),
    height: of("height"),
    spot: of("spot"),
  };
}

// So long a hand stands still before the ground of the plan is worked out where it stands.
const RESTS_MS = 120;
let resting = 0;
let last = null;

// One question is on its way at a time; of those that come meanwhile only the last is asked.
function preview(edit) {
  next = edit;
  if (seq === answered) send();
}

function send() {
  seq += 1;
  const moves = Boolean(document.querySelector(".dot.dragging"));
  if (!ask({ ask: "preview", seq, edit: next, view: query(), moves })) return void (answered = seq);
  last = next;
  next = null;
}

// While the hand moves, the page follows without the ground of the plan, which is faded; once it stands still, that follows too.
function rest() {
  clearTimeout(resting);
  resting = setTimeout(() => {
    if (!document.querySelector(".dot.dragging") || seq !== answered) return;
    seq += 1;
    if (!ask({ ask: "preview", seq, edit: last, view: query() })) answered = seq;
  }, RESTS_MS);
}

/** What lies under the plan is of before, until it comes anew. */
function fade(html) {
  document.querySelector("[data-plan]").classList.toggle("ground-before", !html.includes('data-part="plan-back"'));
}

/** Puts a word into a list in the address, or takes it out. */
function toggle(key, word) {
  const list = (new URL(location.href).searchParams.get(key) ?? "").split(",").filter(Boolean);
  const without = list.filter((w) => w !== word);
  look({ [key]: (without.length === list.length ? [...list, word] : without).join(",") });
}

const toggleDown = (id) => toggle("down", id);
// A breaker may be called anything, commas included.
const toggleBreaker = (name) => toggle("off", encodeURIComponent(name));

function click(event) {
  // On a phone the list is short until it is asked for: a list that scrolls in a page that scrolls is lost.
  if (event.target.closest("[data-all-rows]")) document.querySelector(".ledger-pane").classList.add("all");
  const go = event.target.closest("[data-go]");
  if (go) {
    event.preventDefault();
    look({ spot: "", ...Object.fromEntries(new URLSearchParams(go.dataset.go)) });
    return;
  }
  const down = event.target.closest("[data-down]");
  if (down && down !== root()) toggleDown(down.dataset.down);
  const back = event.target.closest("[data-undo-whatif]");
  const breaker = event.target.closest("[data-breaker]");
  if (breaker) toggleBreaker(breaker.dataset.breaker);
  if (back?.dataset.undoWhatif === "doors") look({ doors: "" });
  else if (back?.dataset.undoWhatif.startsWith("breaker:")) toggleBreaker(back.dataset.undoWhatif.slice(8));
  else if (back) toggleDown(back.dataset.undoWhatif);
  const draw = event.target.closest("[data-draw]");
  if (draw) toggleDrawing(draw);
  const wanted = event.target.closest("[data-try]");
  if (wanted) attempt(JSON.parse(wanted.dataset.try));
  const wall = event.target.closest("[data-wall-ref]")?.dataset.wallRef;
  if (wall !== undefined) showWall(wall);
}

// A cure is looked at before it is done: the page as it would be, until it is done or put back.
function attempt(change) {
  trying = true;
  preview(change);
  notice("This is a what-if: nothing is changed yet.", [
    ["Do it", () => { edit(change).catch((e) => notice(e.message)); }],
    ["Put it back", () => { refresh(); }],
  ]);
}

// What would help is tried on the server while the page is read.
async function fetchCures() {
  const place = document.querySelector("[data-cures]");
  if (!place || trying) return;
  const wished = new URLSearchParams(Object.entries(query()));
  wished.set("select", place.dataset.cures);
  const html = await fetchPage(`/jobs/${job()}/cures?${wished}`).catch(() => "");
  if (html && place.isConnected) swapParts(html);
}

// Many houses are drawn on the server; a second press stops it.
function toggleDrawing(button) {
  if (button.dataset.running) return void ask({ ask: "stop" });
  if (ask({ ask: "chances", view: query() })) button.dataset.running = "true";
  else notice("There is no live channel just now; try again in a moment.");
}

// The list of columns gives way to a press elsewhere.
function closeColumns(pressed) {
  const list = document.querySelector(".columns[open]");
  if (!list || list.contains(pressed)) return;
  const within = list.contains(document.activeElement);
  list.open = false;
  if (within) list.querySelector("summary").focus();
}

function showWall(id) {
  document.querySelectorAll(".wall.shown").forEach((w) => w.classList.remove("shown"));
  if (id) document.querySelector(`[data-wall="${CSS.escape(id)}"]`)?.classList.add("shown");
}

export function startReach() {
  if (!root()) return;
  onPlan({
    choose: ({ kind, point, device, event }) => {
      if (kind === "emitter") return void location.assign(`/jobs/${job()}/survey?emitter=${point}`);
      if (device) look({ select: device, spot: "" });
      else look({ spot: sheetPlace(event).map((m) => m.toFixed(2)).join(",") });
    },
    look: query,
    moving: preview,
    moved: () => {
      next = null;
      clearTimeout(resting);
    },
  });
  hear("preview", (told) => {
    answered = told.seq;
    if (document.querySelector(".dot.dragging")) {
      patchParts(told.html);
      fade(told.html);
      placeDot();
      if (document.querySelector(".ground-before")) rest();
      document.documentElement.dataset.previewed = String(told.seq);
    }
    if (trying) patchParts(told.html);
    if (next) send();
  });
  const drawing = () => document.querySelector("[data-draw]");
  document.addEventListener("working", ({ detail }) => {
    drawing().textContent = `${detail.done} of ${detail.of} houses; stop`;
  });
  document.addEventListener("worked", () => {
    delete drawing().dataset.running;
    drawing().textContent = "How sure is all of it?";
  });
  hear("error", (told) => { answered = seq; notice(told.message); });
  // A channel that dropped takes its question with it; the last place is asked for on the next.
  document.addEventListener("live-lost", () => { answered = seq; });
  document.addEventListener("live", () => { if (next) send(); });
  document.addEventListener("click", click);
  document.addEventListener("click", (event) => closeColumns(event.target));
  document.addEventListener("keydown", (event) => {
    if (event.key === "Escape") closeColumns(null);
  });
  document.addEventListener("put-back", () => refresh());
  document.addEventListener("change", (event) => {
    const pick = event.target.closest("[data-breaker-pick]");
    if (pick?.value) toggleBreaker(pick.value);
    const columns = event.target.closest("[data-columns]");
    if (columns) look({ col: [...columns.querySelectorAll(":checked")].map((c) => c.value).join(",") });
    const select = event.target.closest("[data-go-value]");
    if (select) look({ [select.dataset.goValue]: select.value });
  });
  let typing = 0;
  document.addEventListener("input", (event) => {
    const typed = event.target.closest("[data-go-typed]");
    if (!typed) return;
    clearTimeout(typing);
    typing = setTimeout(() => look({ [typed.dataset.goTyped]: typed.value }), 200);
  });
  // Where the list is as long as it is, it is the page that would jump.
  const shown = () => {
    const list = document.querySelector(".ledger");
    if (list.scrollHeight > list.clientHeight) list.querySelector(".row.selected")?.scrollIntoView({ block: "nearest" });
  };
  document.addEventListener("refreshed", shown);
  document.addEventListener("refreshed", () => {
    trying = false;
    document.querySelector("[data-plan]").classList.remove("ground-before");
    // A dot that is dragged stays under the finger though its part was swapped.
    placeDot();
    fetchCures();
  });
  fetchCures();
  shown();
}
