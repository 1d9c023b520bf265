// A list is brought in, of a hub or of a platform; what is pressed in the house opens its entry. What a list comes to, the
// server says.
import { client, fetched, job, listFindings, newUuid, post, refresh } from "./job.js";

const EVERY_MS = 1500;
const form = () => document.querySelector("[data-hub-list]");
const part = (name) => form().querySelector(`[data-list-${name}]`);
const heardUpTo = new Map();

async function take(path, body) {
  part("error").hidden = true;
  try {
    const told = await post(`/jobs/${job()}/${path}`, { ...body, client, edit_id: newUuid() });
    await refresh();
    part("told").textContent = `${told.taken} taken in.`;
    listFindings(part("findings"), told.findings);
    form().elements.text.value = "";
  } catch (refused) {
    part("error").textContent = refused.message;
    part("error").hidden = false;
  }
}

/** Opens the entry of what was pressed. */
async function listen() {
  const waiting = [...document.querySelectorAll(".left-to-lay a[data-number]")];
  for (const network of new Set(waiting.map((a) => a.dataset.of))) {
    const after = heardUpTo.get(network);
    const told = await fetched(`/jobs/${job()}/collector/events?network=${encodeURIComponent(network)}&after=${after ?? 0}`).catch(() => null);
    if (!told) continue;
    heardUpTo.set(network, told.after);
    // What was pressed before the page was open is none of this walk.
    const pressed = after === undefined ? [] : told.events.filter((e) => e.pressed);
    const last = pressed.at(-1);
    const entry = last && waiting.find((a) => a.dataset.of === network && Number(a.dataset.number) === last.node);
    if (entry) {
      history.replaceState(null, "", entry.href);
      await refresh();
    }
  }
  setTimeout(listen, EVERY_MS);
}

export function startExisting() {
  if (!form()) return;
  document.addEventListener("submit", (event) => {
    if (!event.target.matches("[data-hub-list]")) return;
    event.preventDefault();
    take(event.target.dataset.hubList, Object.fromEntries(new FormData(event.target)));
  });
  document.addEventListener("change", async (event) => {
    if (!event.target.matches("[data-hub-list-file]") || !event.target.files[0]) return;
    form().elements.text.value = await event.target.files[0].text();
    event.target.value = "";
    form().requestSubmit();
  });
  document.addEventListener("click", (event) => {
    if (event.target.closest("[data-ask-hub]")) take("hub-list/ask", {});
  });
  if (document.querySelector("[data-hears]")) listen();
}
