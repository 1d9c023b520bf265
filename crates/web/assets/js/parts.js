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

/** Replaces each element with a data-part by its namesake in `html`, but for those in `keep`; of
 * several with one name, each by the one in its place. */
export function swapParts(html, keep = []) {
  const fresh = parse(html);
  const focused = focusKey();
  const namesakes = new Map();
  for (const next of fresh.querySelectorAll("[data-part]")) {
    namesakes.set(next.dataset.part, [...(namesakes.get(next.dataset.part) ?? []), next]);
  }
  for (const old of document.querySelectorAll("[data-part]")) {
    const name = old.dataset.part;
    const next = namesakes.get(name)?.shift();
    if (!next || keep.includes(name) || next.outerHTML === old.outerHTML) continue;
    const scrolled = old.scrollTop;
    old.replaceWith(next);
    next.scrollTop = scrolled;
  }
  focusAgain(focused);
  return fresh;
}

/** Fetches a page of this application. */
export async function fetchPage(address) {
  const answer = await fetch(address, { headers: { accept: "text/html" } });
  if (!answer.ok) throw new Error((await answer.json().catch(() => ({}))).message ?? "the page did not come");
  return answer.text();
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
    const form = element.form?.dataset.key;
    return `${form ? `form[data-key="${form}"] ` : ""}[${key}="${CSS.escape(value)}"]${step ? `[data-step="${step}"]` : ""}`;
  }
  return null;
}

function focusAgain(selector) {
  if (!selector || document.activeElement !== document.body) return;
  document.querySelector(selector)?.focus({ preventScroll: true });
}
