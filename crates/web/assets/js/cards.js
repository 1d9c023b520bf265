// What stands on a card of the day: who is at work, of which box it is, what an act is called, and what was refused beside
// its field.
import { notice } from "./job.js";

export function stamped(act) {
  const at = new Date().toISOString().replace(/\.\d+Z$/, "Z");
  return { ...act, by: who(), at };
}

/** Who is at work here: as the browser remembers, or as the page was made for. */
export function who() {
  const kept = document.cookie.split("; ").find((part) => part.startsWith("who="));
  return kept ? decodeURIComponent(kept.slice(4)) : document.querySelector("[data-day]").dataset.who;
}

export function tellWho() {
  const place = document.querySelector("[data-who-name]");
  if (place) place.textContent = who();
}

const WORDS = {
  isolate: "power off", energise: "power on", "find-lines": "power on for finding", "end-finding": "power off", "keep-code": "a code",
  join: "joined",
};

/** Where there is no line, what others did meanwhile is not known, and the page says so. */
export function tellLine() {
  // Whoever has some pages of a job alone has no channel to it, and a line all the same.
  const hasLine = navigator.onLine && ("alone" in document.body.dataset || document.documentElement.dataset.live === "true");
  for (const told of document.querySelectorAll("[data-no-line]")) told.hidden = hasLine;
}

/** The box that a card is of, as people call it. */
export function boxOf(move) {
  const place = move?.querySelector(".where")?.textContent ?? "";
  return place.replace(/^\s*\d+\s*/, "").replaceAll(/\s+/g, " ").trim();
}

/** What an act is, as it stands on its card: what is looked at, or what the card asks to do. */
export function saidOf(act, move) {
  if (WORDS[act.do]) return WORDS[act.do];
  const tick = act.check && move?.querySelector(`[data-check="${CSS.escape(act.check)}"]`);
  const said = tick?.closest("label") ?? move?.querySelector("h2");
  return said?.textContent.trim() ?? act.do.replaceAll("-", " ");
}

/** Takes away what was said of the last try. */
export function clearRefused(move) {
  const told = move?.querySelector("[data-refused]");
  if (told) told.hidden = true;
  for (const old of move?.querySelectorAll("[data-shown]") ?? []) old.remove();
  for (const input of move?.querySelectorAll("[aria-invalid]") ?? []) input.removeAttribute("aria-invalid");
}

/** What was refused stands beside its field, else on the card, else over the page. */
export function tellRefused(refused, move) {
  const input = refused.field && move?.querySelector(`[data-field="${CSS.escape(refused.field)}"]`);
  const told = move?.querySelector("[data-refused]");
  if (input) return void showBeside(input, refused.message);
  if (!told) return void notice(refused.message);
  told.textContent = refused.message;
  told.hidden = false;
  told.scrollIntoView({ block: "nearest" });
}

/** What is wrong with a field stands beside it. */
export function showBeside(input, message) {
  const words = document.createElement("p");
  words.className = "field-error";
  words.dataset.shown = "true";
  words.setAttribute("role", "alert");
  words.textContent = message;
  input.setAttribute("aria-invalid", "true");
  const label = input.closest("label");
  if (label) label.append(words);
  else input.after(words);
  if (label) label.hidden = false;
  words.scrollIntoView({ block: "nearest" });
}
