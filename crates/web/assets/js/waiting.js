// What waits for the line, and what was not taken: lines that open. What was done in one box is one question.
import { decide } from "./queue.js";

export function button(words, act) {
  const made = document.createElement("button");
  made.type = "button";
  made.textContent = words;
  made.addEventListener("click", act);
  return made;
}

function paragraph(text) {
  const made = document.createElement("p");
  made.textContent = text;
  return made;
}

const clock = (at) => new Date(at).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", hourCycle: "h23" });

/** What waits: how much stands there at once, what it is where the line is opened. */
function waits(waiting, isOpen) {
  const line = document.createElement("details");
  const summary = document.createElement("summary");
  const one = waiting.length === 1;
  summary.textContent = `${waiting.length} ${one ? "change waits" : "changes wait"} here for the connection`;
  const told = waiting.map(({ words, box }) => (box ? `${box}: ${words}` : words)).join(", ");
  line.append(summary, paragraph(`${told}.`));
  line.open = isOpen;
  return line;
}

// What is wrong with a field begins with its verb: it is written to stand beside the field.
const reason = ({ message, field, conflict }) => (field && !conflict ? ` ${message}` : `. ${message}`);

async function decideAll(entries, again) {
  for (const { id } of entries) await decide(id, again);
}

/** What was refused of one thing: one question, whatever it was. */
function notTaken(entries) {
  const [first] = entries;
  const line = document.createElement("div");
  line.className = "refused";
  if (entries.length === 1 && !first.box) {
    line.append(paragraph(`Not taken: ${first.words}${reason(first.refused)}. `));
  } else {
    const steps = entries.map(({ words, at }) => `“${words}” ${clock(at)}`).join(", ");
    line.append(paragraph(`${first.box}: not taken, since the house is further than this phone knew: ${steps}.`));
    const whys = new Set(entries.map(({ refused }) => refused.message));
    line.append(...[...whys].map((why) => paragraph(`It ${why}.`)));
  }
  const isClash = entries.some(({ refused }) => refused.conflict);
  const again = first.box ? "Try it again from here" : isClash ? "Keep mine" : "Try again";
  line.append(button(again, () => decideAll(entries, true)));
  line.append(button(first.box ? "It stands as the house has it" : "Let it go", () => decideAll(entries, false)));
  return line;
}

/** Draws what waits and what was refused. */
export function drawWaiting(box, waiting, refused) {
  const isOpen = box.querySelector("details")?.open ?? false;
  box.hidden = waiting.length + refused.length === 0;
  const questions = new Map();
  for (const entry of refused) {
    const key = entry.box || entry.id;
    questions.set(key, [...(questions.get(key) ?? []), entry]);
  }
  const lines = [...questions.values()].map(notTaken);
  box.replaceChildren(...(waiting.length > 0 ? [waits(waiting, isOpen)] : []), ...lines);
}
