// What a collector tells while devices are joined: asked of the server, which asks it. A person takes what was
// heard; nothing is taken by itself.
import { fetched, job, newUuid } from "./job.js";

const EVERY_MS = 1500;
let after = 0;
/** What was heard while a card was in hand, by its move: the page comes anew meanwhile, and what was heard stays. */
const heardAt = new Map();

const place = () => document.querySelector("[data-move][data-current] [data-listen]");

function button(words, act) {
  const made = document.createElement("button");
  made.type = "button";
  made.className = "small";
  made.textContent = words;
  made.addEventListener("click", act);
  return made;
}

function ask(network, act, node) {
  const body = JSON.stringify({ network, act, node, edit_id: newUuid() });
  return fetched(`/jobs/${job()}/collector/acts`, { method: "POST", headers: { "content-type": "application/json" }, body });
}

function lineOf(heard, box) {
  const line = document.createElement("p");
  line.textContent = `${heard.text} `;
  if (heard.node !== null && heard.joined) {
    const move = box.closest("[data-move]");
    line.append(
      button("Identify", () => ask(box.dataset.listen, "identify", heard.node).catch((e) => { line.append(e.message); })),
      " ",
      button("It is this one", () => {
        move.querySelector('[data-field="node"]').value = heard.node;
        heard.taken = true;
        line.append(" — taken");
      }),
      heard.taken ? " — taken" : "",
    );
  }
  return line;
}

/** Shows in a box what was heard at its card; a box that shows it already takes what is new. */
function tell(box) {
  const heard = heardAt.get(box.closest("[data-move]").dataset.move);
  if (!heard) return;
  const shown = Number(box.dataset.heard ?? 0);
  if (heard.length === 0) {
    box.replaceChildren(Object.assign(document.createElement("p"), { className: "quiet", textContent: "Listening to the hub…" }));
  } else if (shown === 0) {
    box.replaceChildren();
  }
  for (const one of heard.slice(shown)) box.append(lineOf(one, box));
  box.dataset.heard = heard.length;
}

async function listen() {
  const box = place();
  if (box) {
    try {
      const told = await fetched(`/jobs/${job()}/collector/events?network=${encodeURIComponent(box.dataset.listen)}&after=${after}`);
      after = told.after;
      const { move } = box.closest("[data-move]").dataset;
      heardAt.set(move, [...(heardAt.get(move) ?? []), ...told.events]);
      // The card that was asked for may have come anew meanwhile.
      tell(place() ?? box);
    } catch (refused) {
      box.replaceChildren(Object.assign(document.createElement("p"), {
        className: "quiet", textContent: `The hub is not heard: ${refused.message}. Write down by hand what you see.`,
      }));
    }
  }
  setTimeout(listen, EVERY_MS);
}

/** Lets the hub open, close, rebuild or exclude; what came of it is recorded by the hand that sees it. */
async function letHub(pressed) {
  const { hubAct, network } = pressed.dataset;
  const line = pressed.parentElement.querySelector("[data-hub-told]");
  try {
    await ask(network, hubAct, null);
    line.textContent = "The hub was told.";
  } catch (refused) {
    line.textContent = `The hub is not heard: ${refused.message}.`;
  }
}

export function startListening() {
  document.addEventListener("click", (event) => {
    const pressed = event.target.closest("[data-hub-act]");
    if (pressed) letHub(pressed);
  });
  document.addEventListener("refreshed", () => {
    if (place()) tell(place());
  });
  if (document.querySelector("[data-listen]")) listen();
}
