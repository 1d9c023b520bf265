// Forms whose fields are the fields of one thing of the job: what is typed is an edit of it.
import { edit, newId, notice } from "./job.js";

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
    default: return input.value;
  }
}

function put(thing, path, what) {
  const steps = path.split(".");
  const last = steps.pop();
  const holder = steps.reduce((inner, step) => (inner[step] ??= {}), thing);
  if (what === null) delete holder[last];
  else holder[last] = what;
}

/** Shows a refusal beside its field, or as a notice when no field here has that name. */
export function showError(form, { field, message }) {
  clearErrors(form);
  const input = [...form.elements].find((e) => e.name && (e.name === field || e.name.split(".").includes(field)));
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
  const slab = form.dataset.slabOf;
  if (slab && input.value === "") {
    if (!form.dataset.thing) return;
    return void send(form, { do: "remove-slab", id: JSON.parse(form.dataset.thing).id });
  }
  const thing = form.dataset.thing
    ? JSON.parse(form.dataset.thing)
    : { id: newId("s"), floor: slab, construction: "" };
  const what = value(input);
  if (Number.isNaN(what)) {
    const message = input.value.trim() === "" ? "give a number" : `“${input.value}” is not a number`;
    return void showError(form, { field: input.name, message });
  }
  put(thing, input.name, what);
  await send(form, { do: form.dataset.do, [form.dataset.key]: thing });
}

async function send(form, edition) {
  try {
    await edit(edition);
    clearErrors(form);
  } catch (refused) {
    if (!refused.conflict) showError(form, refused);
  }
}

async function click(event) {
  const remove = event.target.closest("[data-remove]");
  if (remove) {
    const there = new URL(location.href);
    if (remove.dataset.then) {
      there.searchParams.delete(remove.dataset.then.replace("=", ""));
      history.replaceState(null, "", there);
    }
    await edit({ do: remove.dataset.remove, id: remove.dataset.id }).catch((e) => notice(e.message));
  }
  const reading = event.target.closest("[data-remove-reading]");
  if (reading) await edit({ do: "remove-reading", id: reading.dataset.removeReading });
  const calibration = event.target.closest("[data-calibration]");
  if (calibration) {
    const taught = JSON.parse(calibration.dataset.calibration);
    await edit({ do: "set-calibration", calibration: taught }).catch((e) => notice(e.message));
  }
  const ready = event.target.closest("[data-edit]");
  if (ready) await edit(JSON.parse(ready.dataset.edit)).catch((e) => notice(e.message));
  const network = event.target.closest("[data-add-network]");
  if (network) {
    const { value, text } = document.querySelector("[data-new-system]").selectedOptions[0];
    await edit({ do: "put-network", network: { id: newId("n"), name: text, system: value } }).catch((e) => notice(e.message));
  }
  const channel = event.target.closest("[data-channel]");
  if (channel) {
    const changed = { ...JSON.parse(channel.dataset.network), channel: Number(channel.dataset.channel) };
    await edit({ do: "put-network", network: changed }).catch((e) => notice(e.message));
  }
  const emitter = event.target.closest("[data-add-emitter]");
  if (emitter) {
    const made = { ...JSON.parse(emitter.dataset.addEmitter), id: newId("e") };
    await edit({ do: "put-emitter", emitter: made }).catch((e) => notice(e.message));
  }
  const opening = event.target.closest("[data-drop-opening]");
  if (opening) {
    const wall = JSON.parse(opening.form.dataset.thing);
    wall.openings.splice(Number(opening.dataset.dropOpening), 1);
    await edit({ do: "put-wall", wall }).catch((e) => notice(e.message));
  }
}

export function startThings() {
  document.addEventListener("change", (event) => {
    const form = event.target.closest("form.thing, form[data-slab-of]");
    if (form && event.target.name) change(form, event.target);
  });
  document.addEventListener("change", async (event) => {
    const control = event.target.closest("[data-control]");
    if (!control) return;
    const changed = { ...JSON.parse(control.dataset.control), path: control.value };
    await edit({ do: "put-control", control: changed }).catch((e) => notice(e.message));
  });
  document.addEventListener("submit", async (event) => {
    if (event.target.matches("form.thing")) event.preventDefault();
    const made = event.target.closest("[data-new-control]");
    if (!made) return;
    event.preventDefault();
    const of = (name) => made.elements[name].value;
    const control = { id: newId("k"), controller: of("controller"), load: of("load"), path: of("path") };
    await edit({ do: "put-control", control }).then(() => clearErrors(made), (e) => showError(made, e));
  });
  document.addEventListener("click", click);
}
