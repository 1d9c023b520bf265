// Prove: signing, asking the hub for its tables, and the walk test on the phone.
import { client, edit, newId, newUuid, notice, post, refresh, job } from "./job.js";
import { fetchPage, swapParts } from "./parts.js";
import { overlay, sheetPlace } from "./plan.js";
import { upright, shape } from "./shapes.js";
import { number, showError } from "./things.js";
import { timed } from "./timer.js";

const now = () => new Date().toISOString();
const tell = (change) => edit(change).catch((e) => { if (!e.conflict) notice(e.message); });

async function sign(form) {
  const act = form.dataset.sign;
  try {
    const data = new FormData(form);
    const { many } = form.dataset;
    const several = many ? { [many]: data.getAll(many).filter(Boolean) } : {};
    await edit({ do: act, id: newId(act), at: now(), ...Object.fromEntries(data), ...several });
    form.reset();
  } catch (refused) {
    showError(form, refused);
  }
}

async function collect(button) {
  button.disabled = true;
  try {
    const told = await post(`/jobs/${job()}/collector/tables`, { edit_id: newUuid(), client });
    notice(`${told.taken} taken from the hub, ${told.again} were there already.`);
    await refresh();
  } catch (refused) {
    notice(refused.message);
  } finally {
    button.disabled = false;
  }
}

const walk = () => document.querySelector("[data-walk]");
let stood = null;

function showStood() {
  overlay().replaceChildren();
  if (stood) overlay().append(upright(stood.map((v) => v * 100), [shape("circle", { r: 11, class: "stood" }), shape("path", { d: "M-16 0H16M0-16V16", class: "stood" })]));
}

/** What is ticked of the conditions that make sense for the device. */
function conditions() {
  const ticked = [...walk().querySelectorAll("[data-condition]:checked")];
  return ticked.filter((box) => !box.closest("[hidden]")).map((box) => box.dataset.condition);
}

/** One press, heard or not, where somebody stood. */
async function pressed(heard, timing = {}) {
  const { device, floor } = walk().dataset;
  const place = stood ? { floor, spot: stood } : {};
  const value = { id: newId("t"), device, count: 1, arrived: heard ? 1 : 0, conditions: conditions(), at: now(), ...place, ...timing };
  await tell({ do: "put", kind: "range-test", value });
}

/** The hub pings the device; what it answers is a test in place. */
async function pinged(button) {
  const { ping: node, network } = button.dataset;
  button.disabled = true;
  try {
    const told = await post(`/jobs/${job()}/collector/acts`, { network, act: "ping", node: Number(node) });
    const delays = [...told.delays_ms].sort((a, b) => a - b);
    const value = { id: newId("t"), device: walk().dataset.device, sent: "pings", count: told.sent, arrived: told.answered, conditions: conditions(), at: now() };
    if (delays.length > 0) value.delay_ms = Math.round(delays[Math.floor(delays.length / 2)]);
    await tell({ do: "put", kind: "range-test", value });
  } catch (refused) {
    notice(refused.message);
  } finally {
    button.disabled = false;
  }
}

async function read(form) {
  const { from, to, sum } = form.dataset;
  const input = form.elements.rssi;
  const level = number(input.value);
  const error = form.querySelector(".field-error");
  error.hidden = true;
  const refuse = (message) => {
    delete form.dataset.sent;
    error.textContent = message;
    error.hidden = false;
  };
  if (Number.isNaN(level)) return refuse("give a level in dBm, such as −67");
  const value = { id: newId("r"), from: to, to: from, rssi_dbm: level, at: now(), source: sum ? "test radios" : "walk test" };
  if (sum) value.test_radios_dbm = number(sum);
  try {
    await edit({ do: "put", kind: "reading", value });
    input.value = "";
  } catch (refused) {
    refuse(refused.message);
  }
}

// What would help is tried on the server while the page is read.
async function fetchHelps() {
  const place = document.querySelector("[data-helps]");
  if (!place) return;
  const html = await fetchPage(`/jobs/${job()}/prove/helps`).catch(() => "");
  if (html && place.isConnected) swapParts(html);
}

/** A page that was kept for another device is made that of the one that was asked for: what was pressed with the other, and
 * what its hub can ping, go; of another storey the plan of that storey is asked for. */
function walkedWith() {
  const asked = new URLSearchParams(location.search);
  const chooser = walk().querySelector("select[name=device]");
  const device = asked.get("device") || asked.get("to") || walk().dataset.device;
  const option = [...(chooser?.options ?? [])].find((o) => o.value === device);
  if (!option) return;
  const floor = asked.get("floor") || option.dataset.floor;
  const storeys = walk().querySelector("select[name=floor]");
  const isShown = walk().dataset.floor === floor;
  if (!isShown && !asked.get("floor")) return void location.replace(`?${new URLSearchParams({ device, floor })}`);
  if (!isShown) {
    storeys.value = floor;
    walk().dataset.floor = floor;
    walk().querySelector(".walk-plan")?.replaceChildren("The plan of this storey is not on this phone: presses count without a place.");
  }
  if (walk().dataset.device === device) return;
  walk().dataset.device = device;
  chooser.value = device;
  const is = { all: true, remote: "remote" in option.dataset, others: !("remote" in option.dataset), plate: "plate" in option.dataset };
  for (const name of walk().querySelectorAll("[data-with]")) name.textContent = option.textContent;
  for (const part of walk().querySelectorAll("[data-of]")) part.hidden = !is[part.dataset.of];
  for (const part of walk().querySelectorAll("[data-ping-line], [data-part=walk-told] > *, .mark")) part.remove();
  const told = walk().querySelector("[data-part=walk-told]");
  told.textContent = "What was pressed with it before is not on this phone; it counts all the same.";
}

export function startProve() {
  fetchHelps();
  document.addEventListener("refreshed", fetchHelps);
  document.addEventListener("submit", (event) => {
    const act = [["[data-sign]", sign], ["[data-read]", read]].find(([of]) => event.target.matches(of));
    if (!act) return;
    event.preventDefault();
    act[1](event.target);
  });
  document.addEventListener("click", (event) => {
    const asked = event.target.closest("[data-collect]");
    if (asked) collect(asked);
    const heard = event.target.closest("[data-heard]");
    if (heard && walk()) pressed(heard.dataset.heard === "1");
    const press = event.target.closest("[data-time-press]");
    const took = press && walk() ? timed(press) : null;
    if (took !== null) pressed(true, { delay_ms: took });
    const ping = event.target.closest("[data-ping]");
    if (ping) pinged(ping);
  });
  if (!walk()) return;
  walkedWith();
  document.addEventListener("click", (event) => {
    if (!event.target.closest(".walk-plan svg")) return;
    stood = sheetPlace(event).map((v) => Math.round(v * 100) / 100);
    showStood();
  });
  document.addEventListener("refreshed", showStood);
}
