// Forms whose fields are the fields of one thing of the job: what is typed is an edit of it.
import { client, edit, job, newId, newUuid, notice, post, refresh, saved, step } from "./job.js";
import { isTyped, twin } from "./parts.js";
import { keepPhoto } from "./photos.js";

const LIKE_NUMBER = /^\s*[-−+]?\d*[.,]?\d+\s*$/;

/** A typed number; NaN for what is none, so that the server can say so. */
export function number(text) {
  return LIKE_NUMBER.test(text) ? Number(text.replace(",", ".").replace("−", "-")) : Number.NaN;
}

function value(input) {
  switch (input.dataset.type) {
    case "bool": return input.checked;
    case "number": return number(input.value);
    case "number-or-nothing": return input.value.trim() === "" ? null : number(input.value);
    // A length goes as it was typed, with or without a unit: what it is, the server says.
    case "length": return input.value;
    case "length-or-nothing": return input.value.trim() === "" ? null : input.value;
    case "text-or-nothing": return input.value === "" ? null : input.value;
    case "list": return input.value.split(",").map((part) => part.trim()).filter(Boolean);
    case "json": return JSON.parse(input.value);
    default: return input.value;
  }
}

/** Shows a refusal beside its field, the one that was changed where it is that, or as a notice when no field here has that
 * name. */
export function showError(sent, { field, message }, changed = null) {
  // The part may have been brought up to date while the answer was on its way.
  const form = sent.isConnected ? sent : twin(sent, document, field) ?? sent;
  delete form.dataset.sent;
  clearErrors(form);
  const isOf = (e) => e.name && (e.name === field || e.name.split(".").includes(field));
  const all = [...form.elements].filter(isOf);
  const input = all.find(({ name }) => name === changed?.name) ?? all[0];
  if (!input) {
    const place = form.querySelector(`[data-error-for="${field}"]`);
    if (!place) return notice(message);
    place.textContent = message;
    place.hidden = false;
    return undefined;
  }
  input.setAttribute("aria-invalid", "true");
  const words = document.createElement("p");
  words.className = "field-error";
  words.dataset.shown = "true";
  words.id = newId("error");
  words.setAttribute("role", "alert");
  words.textContent = message;
  input.setAttribute("aria-describedby", words.id);
  input.closest("label").append(words);
  return undefined;
}

function clearErrors(form) {
  form.querySelectorAll("[data-shown]").forEach((e) => e.remove());
  form.querySelectorAll("[data-error-for]").forEach((e) => { e.hidden = true; });
  for (const input of form.elements) {
    input.removeAttribute("aria-invalid");
    input.removeAttribute("aria-describedby");
  }
}

async function change(form, input) {
  const { key: kind, id, slabOf, putFirst } = form.dataset;
  if (putFirst) {
    // What these fields are of is made with the first that is said.
    delete form.dataset.putFirst;
    const set = { do: "set", kind, id, field: input.name, value: value(input) };
    return void send(form, { do: "batch", edits: [JSON.parse(putFirst), set] }, input);
  }
  const what = value(input);
  if (Number.isNaN(what)) {
    const message = input.value.trim() === "" ? "give a number" : `“${input.value}” is not a number`;
    return void showError(form, { field: input.name, message });
  }
  if (slabOf && id && what === "") return void send(form, { do: "remove", kind, id }, input);
  if (slabOf && !id) {
    if (what === "") return;
    return void send(form, { do: "put", kind, value: { id: newId("s"), floor: slabOf, construction: what } }, input);
  }
  await send(form, { do: "set", kind, id, field: input.name, value: what }, input);
}

async function send(form, edition, input) {
  const { name, value: typed } = input;
  const live = () => (form.isConnected ? form : twin(form, document, name) ?? form);
  // What has been typed on meanwhile is not saved by this.
  const taken = () => {
    const field = live().elements[name];
    if (field?.value === typed) delete field.dataset?.unsaved;
  };
  try {
    await edit(edition, { taken });
    // What was refused may stand by now: it is tried again once something else was taken.
    const others = [...document.querySelectorAll("form.thing [data-unsaved][aria-invalid]")];
    clearErrors(live());
    saved();
    for (const field of others) {
      if (field !== document.activeElement) field.dispatchEvent(new Event("change", { bubbles: true }));
    }
  } catch (refused) {
    if (!refused.conflict) showError(form, refused, input);
  }
}

const tell = (change) => edit(change).catch((e) => { if (!e.conflict) notice(e.message); });

async function click(event) {
  const remove = event.target.closest("[data-remove]");
  if (remove) {
    const there = new URL(location.href);
    if (remove.dataset.then) {
      there.searchParams.delete(remove.dataset.then.replace("=", ""));
      history.replaceState(null, "", there);
    }
    const told = await tell({ do: "remove", kind: remove.dataset.remove, id: remove.dataset.id });
    // What goes along is named, and comes back with one press.
    if (told?.with_it) notice(`${told.removed} is gone, and with it ${told.with_it}.`, [["Undo", () => step("undo")]]);
  }
  const ready = event.target.closest("[data-edit]");
  if (ready) {
    const stamp = "stamp" in ready.dataset ? { at: new Date().toISOString() } : {};
    const made = ready.dataset.stem ? { id: newId(ready.dataset.stem) } : {};
    await tell({ ...JSON.parse(ready.dataset.edit), ...stamp, ...made });
  }
  const put = event.target.closest("[data-put]");
  if (put) {
    const { put: kind, value, stem } = put.dataset;
    await tell({ do: "put", kind, value: { ...JSON.parse(value), id: newId(stem) } });
  }
  const gesture = event.target.closest("[data-gesture]");
  if (gesture) {
    const { gesture: word, point, stem } = gesture.dataset;
    const chosen = [...gesture.parentElement.querySelectorAll("[data-with]")].map((field) => [field.dataset.with, field.value]);
    await tell({ do: word, id: newId(stem), point, ...Object.fromEntries(chosen) });
  }
  const variant = event.target.closest("[data-variant-act]");
  if (variant) await decide(variant);
}

/** Makes a photo small here, and keeps it of a point; the server takes off what it says of itself. */
async function photograph(input) {
  const { photo: point } = input.dataset;
  await keepPhoto(input.files[0], point, input.closest("form").elements.shows.value);
  input.value = "";
}

async function bring(input) {
  const list = document.querySelector("[data-bring-findings]");
  const data = new FormData();
  const { bring: path } = input.dataset;
  data.append("file", input.files[0]);
  input.value = "";
  const show = (texts) => {
    list.hidden = texts.length === 0;
    list.replaceChildren(...texts.map((text) => Object.assign(document.createElement("li"), { textContent: text })));
  };
  try {
    const marks = new URLSearchParams({ client, edit_id: newUuid() });
    const told = await post(`/jobs/${job()}/${path}?${marks}`, data);
    await refresh();
    notice(`${told.taken} taken.`, told.taken > 0 ? [["Undo", () => step("undo")]] : []);
    show(told.findings.map((f) => `${f.place}: ${f.reason}`));
  } catch (refused) {
    show([refused.message]);
  }
}

/** Branches the job off under a name. */
async function branch(event) {
  const form = event.target.closest("[data-branch]");
  if (!form) return;
  event.preventDefault();
  const change = form.dataset.change ? JSON.parse(form.dataset.change) : null;
  try {
    const told = await post(`/jobs/${form.dataset.branch}/variants`, { name: form.elements.name.value, edit: change });
    location.assign(told.href);
  } catch (refused) {
    showError(form, refused);
  }
}

/** Strikes an entry of the record, with its reason. */
async function strike(event) {
  const form = event.target.closest("[data-strike]");
  if (!form) return;
  event.preventDefault();
  const told = { do: "strike", of: form.dataset.strike, why: form.elements.why.value, at: new Date().toISOString() };
  await edit(told).catch((refused) => showError(form, refused));
}

/** Takes a variant over into its job, puts it aside or brings it back. */
async function decide(button) {
  const { of, variant, variantAct: act } = button.dataset;
  try {
    const asked = document.querySelector(`[data-both="${CSS.escape(variant)}"]`);
    const answers = asked ? Object.fromEntries(new FormData(asked)) : {};
    await post(`/jobs/${of}/variants/${variant}/${act}`, { client, edit_id: newUuid(), answers });
    location.assign(`/jobs/${of}/variants`);
  } catch (refused) {
    notice(refused.message);
  }
}

/** What was typed before this script was there is saved as anything typed; what a browser put back on the way back
 * through its history is as old as that page, and is not. */
function takeEarly() {
  const isBack = performance.getEntriesByType("navigation")[0]?.type === "back_forward";
  for (const field of document.querySelectorAll("form.thing [name], form[data-slab-of] [name]")) {
    if (isBack || !isTyped(field)) continue;
    field.dataset.unsaved = "";
    if (field !== document.activeElement) field.dispatchEvent(new Event("change", { bubbles: true }));
  }
}

export function startThings() {
  document.addEventListener("input", ({ target }) => {
    if (!target.name || !target.closest("form.thing, form[data-slab-of]")) return;
    if (isTyped(target)) target.dataset.unsaved = "";
    else if (!target.hasAttribute("aria-invalid")) delete target.dataset.unsaved;
  });
  document.addEventListener("change", (event) => {
    const form = event.target.closest("form.thing, form[data-slab-of]");
    if (form && event.target.name) change(form, event.target);
  });
  document.addEventListener("change", (event) => {
    if (event.target.matches("[data-edit-value]") && event.target.value) {
      const made = event.target.dataset.stem ? { id: newId(event.target.dataset.stem) } : {};
      tell({ ...JSON.parse(event.target.value), ...made });
    }
    if (event.target.matches("[data-photo]") && event.target.files[0]) photograph(event.target);
    if (event.target.matches("[data-bring]") && event.target.files[0]) bring(event.target);
  });
  document.addEventListener("submit", async (event) => {
    if (event.target.matches("form.thing")) event.preventDefault();
    const made = event.target.closest("[data-new-rule]");
    if (!made) return;
    event.preventDefault();
    const of = Object.fromEntries(new FormData(made));
    const { load, what, to, runs, ...when } = of;
    const value = { id: newId("k"), when: { on: made.dataset.newRule, ...when }, does: [{ what: what ? JSON.parse(what) : { device: load }, to: to ?? "toggle" }], runs: runs ?? "hub" };
    await edit({ do: "put", kind: "rule", value }).then(() => clearErrors(made), (e) => showError(made, e));
  });
  document.addEventListener("submit", branch);
  document.addEventListener("submit", strike);
  document.addEventListener("click", click);
  takeEarly();
}
