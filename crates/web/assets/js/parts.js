// Swaps the parts of a page that follow a change. Fragments are rendered and escaped by this
// server; the one trusted-types policy says so.
const policy = window.trustedTypes
  ? window.trustedTypes.createPolicy("server-fragment", { createHTML: (html) => html })
  : { createHTML: (html) => html };

const parse = (html) => {
  const holder = document.createElement("template");
  holder.innerHTML = policy.createHTML(html);
  return holder.content;
};

// A part that is being pressed is not taken from under the hand either: it comes when the hand is up.
let pressed = null;
let late = null;
let lifting = 0;
// A thumb's click comes some time after it is up: what it was meant for stands until then.
const CLICK_MS = 700;
document.addEventListener("pointerdown", ({ target }) => {
  clearTimeout(lifting);
  pressed = target;
}, true);
const lift = (after = 0) => {
  clearTimeout(lifting);
  lifting = setTimeout(() => {
    pressed = null;
    const html = late;
    late = null;
    if (html === null) return;
    swapParts(html);
    // Whoever keeps the page's own state brings it to the new parts.
    document.dispatchEvent(new CustomEvent("refreshed"));
  }, after);
};
document.addEventListener("pointerup", () => lift(CLICK_MS), true);
for (const end of ["click", "pointercancel"]) document.addEventListener(end, () => lift(), true);
// A press that ends outside the window is never told.
window.addEventListener("blur", () => lift());

/** Replaces each element with a data-part by its namesake in `html`, but for those in `keep`; of
 * several with one name, each by the one in its place. */
export function swapParts(html, keep = []) {
  const fresh = parse(html);
  const focused = focusKey();
  const isHeld = (part) => pressed !== null && part.contains(pressed);
  late = null;
  const namesakes = new Map();
  for (const next of fresh.querySelectorAll("[data-part]")) {
    namesakes.set(next.dataset.part, [...(namesakes.get(next.dataset.part) ?? []), next]);
  }
  // All is read before anything is replaced: a look at the page after each change would lay it out
  // anew each time.
  const swaps = [...document.querySelectorAll("[data-part]")].flatMap((old) => {
    const name = old.dataset.part;
    const next = namesakes.get(name)?.shift();
    if (next && isHeld(old) && !keep.includes(name)) {
      late = html;
      return [];
    }
    // What is being typed is not taken from under the hand.
    if (!next || keep.includes(name) || next.isEqualNode(old) || old.querySelector("[data-typing]")) return [];
    return [{ old, next, scrolled: old.scrollTop }];
  });
  // A part within one that is replaced comes with it.
  const replaced = new Set(swaps.map(({ old }) => old));
  const comesAlong = ({ old }) => {
    let up = old.parentElement?.closest("[data-part]");
    while (up && !replaced.has(up)) up = up.parentElement?.closest("[data-part]");
    return Boolean(up);
  };
  const outer = swaps.filter((swap) => !comesAlong(swap));
  for (const { old, next } of swaps) keepOpen(old, next);
  for (const { old, next } of swaps) keepTyped(old, next);
  for (const { old, next } of swaps) keepOnCards(old, next);
  for (const { old, next } of swaps) keepElsewhere(old, next);
  for (const { old, next } of outer) old.replaceWith(next);
  for (const { next, scrolled } of swaps) if (scrolled > 0) next.scrollTop = scrolled;
  focusAgain(focused);
  return fresh;
}

/** Brings each part to what its namesake in `html` is, changing no more than differs: for a preview,
 * which comes at every step of a hand and is shown before the next. */
export function patchParts(html) {
  const fresh = new Map([...parse(html).querySelectorAll("[data-part]")].map((part) => [part.dataset.part, part]));
  for (const old of document.querySelectorAll("[data-part]")) {
    const next = fresh.get(old.dataset.part);
    if (next) patch(old, next);
  }
}

function patch(old, next) {
  if (old.isEqualNode(next)) return;
  if (old.nodeName !== next.nodeName || old.childNodes.length !== next.childNodes.length) return void old.replaceWith(next);
  if (old.nodeType !== Node.ELEMENT_NODE) return void (old.data = next.data);
  for (const { name } of [...old.attributes]) if (!next.hasAttribute(name)) old.removeAttribute(name);
  for (const { name, value } of next.attributes) if (old.getAttribute(name) !== value) old.setAttribute(name, value);
  const afresh = [...next.childNodes];
  [...old.childNodes].forEach((child, place) => patch(child, afresh[place]));
}

/** What a reader has opened or shut stays so. */
function keepOpen(old, next) {
  for (const details of old.querySelectorAll("details[data-keep]")) {
    const again = next.querySelector(`details[data-keep="${CSS.escape(details.dataset.keep)}"]`);
    if (again && details.open) again.open = true;
  }
}

/** The same form in another state of the page, by what it is of; of several of one thing, the one with the field `name`. */
export function twin(form, among = document, name = "") {
  const { key, id } = form.dataset;
  if (!key) return null;
  const of = `form[data-key="${CSS.escape(key)}"]`;
  const all = [...among.querySelectorAll(id === undefined ? of : `${of}[data-id="${CSS.escape(id)}"]`)];
  return (name ? all.find(({ elements }) => elements[name]) : null) ?? all[0] ?? null;
}

/** What was typed and is not saved yet, or was refused, stays with what is said of it. */
function keepTyped(old, next) {
  for (const field of old.querySelectorAll("[data-unsaved]")) {
    const again = field.form && twin(field.form, next, field.name)?.elements[field.name];
    if (!(again instanceof HTMLElement)) continue;
    again.value = field.value;
    again.checked = field.checked;
    again.dataset.unsaved = "";
    if (!field.hasAttribute("aria-invalid")) continue;
    for (const name of ["aria-invalid", "aria-describedby"]) again.setAttribute(name, field.getAttribute(name));
    const words = document.getElementById(field.getAttribute("aria-describedby"));
    if (words) again.closest("label").append(words);
  }
}

/** Whether a field holds something else than the page gave it. */
export function isTyped(field) {
  if (field instanceof HTMLSelectElement) {
    return field.selectedIndex !== Math.max(0, [...field.options].findIndex((o) => o.defaultSelected));
  }
  return field.type === "checkbox" ? field.checked !== field.defaultChecked : field.value !== field.defaultValue;
}

/** Whether anything on the page was typed and is said nowhere yet. */
export const holdsTyped = () => [...document.querySelectorAll("main :is(input, textarea):not([type=checkbox], [type=hidden])")].some(isTyped);

const ON_CARDS = ["data-field", "data-live-field", "data-to", "data-also"];

/** What was typed on a card of the day and is not said yet stays on it, whatever was ticked or came from others meanwhile. */
function keepOnCards(old, next) {
  for (const card of old.querySelectorAll("[data-move]:not([data-done])")) {
    const again = next.querySelector(`[data-move="${CSS.escape(card.dataset.move)}"]:not([data-done])`);
    for (const name of again ? ON_CARDS : []) {
      for (const field of card.querySelectorAll(`[${name}]`)) {
        const twins = again.querySelector(`[${name}="${CSS.escape(field.getAttribute(name))}"]`);
        const of = (at) => (at.matches("input, select, textarea") ? [at] : [...at.querySelectorAll("input")]);
        for (const [n, typed] of twins ? of(field).entries() : []) {
          const kept = of(twins)[n];
          if (!kept || !isTyped(typed)) continue;
          kept.value = typed.value;
          kept.checked = typed.checked;
        }
      }
    }
  }
}

const SAVED_AS_TYPED = "form.thing, form[data-slab-of], [data-move], [x-data]";
const TEXTS = "input:not([type=hidden], [type=file], [type=checkbox], [type=radio], [type=range]), textarea";
/** Fields of a form that is sent by its button, which do nothing by themselves. */
const SENT_BY_BUTTON = "form select:not([data-edit-value], [data-submit]), form input[type=checkbox]";

// What a form would change is worked out anew with each redraw: that it changes something tells it from others.
const marks = (element) => [...(element?.attributes ?? [])]
  .filter(({ name }) => name === "name" || name === "action" || name.startsWith("data-") && name !== "data-sent")
  .map(({ name, value }) => (value.startsWith("{") ? name : `${name}=${value}`)).join(" ");

/** Fields that nothing saves as they are typed, by what tells them from others: their marks and those of their form. */
function fieldsByMarks(part) {
  const all = new Map();
  for (const field of part.querySelectorAll(`${TEXTS}, ${SENT_BY_BUTTON}`)) {
    if (field.closest(SAVED_AS_TYPED) || field.form?.dataset.sent !== undefined) continue;
    const key = `${field.tagName} ${marks(field)} in ${marks(field.form)}`;
    all.set(key, [...(all.get(key) ?? []), field]);
  }
  return all;
}

// What was typed in a field that a redraw left out, until another brings that back.
const missing = new Map();

/** What was typed and is not sent yet stays, wherever it was typed. */
function keepElsewhere(old, next) {
  for (const [key, fields] of fieldsByMarks(old)) {
    if (fields.some(isTyped)) missing.set(key, fields.map((field) => (isTyped(field) ? { value: field.value, checked: field.checked } : null)));
  }
  if (missing.size === 0) return;
  for (const [key, twins] of fieldsByMarks(next)) {
    const typed = missing.get(key);
    if (!typed) continue;
    twins.forEach((field, n) => Object.assign(field, typed[n] ?? {}));
    missing.delete(key);
  }
}

// What a form has sent is no longer typed; what is typed after that is.
document.addEventListener("submit", ({ target }) => {
  target.dataset.sent = "";
  missing.clear();
}, true);
document.addEventListener("input", ({ target }) => { delete target.form?.dataset.sent; }, true);

/** Fetches a page of this application from the server, never as it was kept: that is older than what is shown. */
export async function fetchPage(address) {
  const answer = await fetch(address, { headers: { accept: "text/html", "x-anew": "1" } }).catch(() => {
    throw Object.assign(new Error("there is no connection; try again when it is back"), { offline: true });
  });
  // What the page showed is over or stands elsewhere.
  const isElsewhere = answer.redirected && new URL(answer.url).pathname !== new URL(address, location.href).pathname;
  if (isElsewhere) throw Object.assign(new Error("this is planned otherwise by now"), { elsewhere: answer.url });
  const text = await answer.text();
  if (!answer.ok) throw new Error(parse(text).querySelector("[data-message]")?.textContent ?? "the page did not come");
  return text;
}

// Whoever works by keyboard stays where they were when the element under them is replaced.
const KEYS = ["data-device-row", "data-point-row", "data-go", "name", "data-tick", "data-act", "data-remove", "data-down"];

function focusKey() {
  const element = document.activeElement;
  if (!element || !element.closest("[data-part]")) return null;
  const dot = element.closest(".dot");
  if (dot) return `.dot[data-point="${dot.dataset.point}"]`;
  for (const key of KEYS) {
    const value = element.getAttribute(key);
    if (value === null) continue;
    const step = element.getAttribute("data-step");
    const { key: of, id } = element.form?.dataset ?? {};
    const form = of ? `form[data-key="${of}"]${id ? `[data-id="${CSS.escape(id)}"]` : ""} ` : "";
    return `${form}[${key}="${CSS.escape(value)}"]${step ? `[data-step="${step}"]` : ""}`;
  }
  return null;
}

function focusAgain(selector) {
  if (!selector || document.activeElement !== document.body) return;
  document.querySelector(selector)?.focus({ preventScroll: true });
}
