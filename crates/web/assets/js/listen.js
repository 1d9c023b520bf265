// What a collector tells while devices are joined: asked of the server, which asks it. A person takes what was
// heard; nothing is taken by itself.
import { fetched, job, newUuid } from "./job.js";

const EVERY_MS = 1500;
let after = 0;

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
        line.append(" — taken");
      }),
    );
  }
  return line;
}

async function listen() {
  const box = place();
  if (box) {
    try {
      const told = await fetched(`/jobs/${job()}/collector/events?network=${encodeURIComponent(box.dataset.listen)}&after=${after}`);
      after = told.after;
      if (!box.dataset.heard) box.replaceChildren();
      box.dataset.heard = "true";
      if (box.childElementCount === 0 && told.events.length === 0) {
        box.append(Object.assign(document.createElement("p"), { className: "quiet", textContent: "Listening to the hub…" }));
      }
      for (const heard of told.events) box.append(lineOf(heard, box));
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
  if (document.querySelector("[data-listen]")) listen();
}
