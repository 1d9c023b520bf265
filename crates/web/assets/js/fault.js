// When something does not work: what it was is written down, and another unit takes the place of a dead one.

import { edit, newId, notice } from "./job.js";
import { number } from "./things.js";

async function log(form) {
  const minutes = form.elements.minutes.value.trim();
  const value = {
    ...JSON.parse(form.dataset.fault), id: newId("fault"), at: new Date().toISOString(),
    cause: form.elements.cause.value, cure: form.elements.cure.value, ...(minutes ? { minutes: number(minutes) } : {}),
  };
  try {
    await edit({ do: "put", kind: "fault", value }, { words: "a fault" });
    notice("Written down; it is found again on the next job.");
  } catch (refused) {
    delete form.dataset.sent;
    notice(refused.message);
  }
}

async function replace(form) {
  const why = form.elements.why.value.trim();
  const act = { do: "gave-out", device: form.dataset.gaveOut, why, at: new Date().toISOString() };
  try {
    await edit(act, { words: "a dead unit" });
    notice("On record. It is on the day again, with all its steps.");
  } catch (refused) {
    delete form.dataset.sent;
    notice(refused.message);
  }
}

export function startFault() {
  document.addEventListener("submit", (event) => {
    const { fault, gaveOut } = event.target.dataset;
    if (!fault && !gaveOut) return;
    event.preventDefault();
    if (fault) log(event.target);
    else replace(event.target);
  });
}
