// Plans of other programs: which layers become what is chosen here, what they come to the server says.
// A page of a PDF is drawn in this browser and goes under the sheet as a picture.
import { client, fetched, job, listFindings, newId, newUuid, notice, post } from "./job.js";
import { shape } from "./shapes.js";
import { number } from "./things.js";
import { ownScript } from "./workers.js";

const form = () => document.querySelector("[data-plan-in]");
const part = (name) => document.querySelector(`[data-plan-${name}]`);
let read = null;
let pdf = null;
// The size of the page that is shown, in points.
let shown = null;
let asked = 0;

function fail(message) {
  part("error").textContent = message;
  part("error").hidden = !message;
}

const tellFindings = (findings) => listFindings(part("findings"), findings);

function becomes(value) {
  const [as, construction] = value.split(" ");
  return as === "walls" ? { as, construction } : { as };
}

function choices(onlyLook) {
  const { floor, unit, two, ours } = form().elements;
  const layers = Object.fromEntries([...part("layers").querySelectorAll("select")].map((s) => [s.dataset.layer, becomes(s.value)]));
  return {
    floor: floor.value, metres_per_unit: number(unit.value), layers, two_lines: two.checked,
    as_written: ours.checked && read.ours > 0, stem: newId("w"), only_look: onlyLook,
    mark: onlyLook ? null : { client, edit_id: newUuid() },
  };
}

function draw() {
  const groups = read.layers.map((layer) => {
    const as = part("layers").querySelector(`select[data-layer="${CSS.escape(layer.name)}"]`)?.value.split(" ")[0] ?? "skip";
    const d = layer.shown.map(([a, b, c, e]) => `M${a} ${b}L${c} ${e}`).join("");
    return shape("path", { d, class: `plan-${as}` });
  });
  const all = read.layers.flatMap((l) => l.shown);
  const high = Math.max(...all.map((p) => Math.max(p[1], p[3])), 1);
  const wide = Math.max(...all.map((p) => Math.max(p[0], p[2])), 1);
  part("preview").setAttribute("viewBox", `-10 -10 ${wide + 20} ${high + 20}`);
  part("preview").replaceChildren(...groups);
}

/** Asks what the choices would come to; of several questions the last one counts. */
async function ask() {
  draw();
  asked += 1;
  const mine = asked;
  try {
    const told = await sent(true);
    if (mine !== asked) return;
    part("sums").textContent = told.words;
    part("size").textContent = read.said ? "" : "The file names no unit: this one is a guess.";
    tellFindings([...read.findings, ...told.findings]);
    fail("");
  } catch (refused) {
    if (mine === asked) fail(refused.message);
  }
}

function sent(onlyLook) {
  const data = new FormData();
  data.append("choices", JSON.stringify(choices(onlyLook)));
  data.append("file", form().elements.file.files[0]);
  return post(`/jobs/${job()}/plans/take`, data);
}

async function opened(file) {
  read = null;
  pdf = null;
  fail("");
  part("chosen").hidden = true;
  part("sums").textContent = "";
  tellFindings([]);
  if (!file) return;
  const isPdf = file.type === "application/pdf" || file.name.toLowerCase().endsWith(".pdf");
  part("pdf").hidden = !isPdf;
  part("lines").hidden = isPdf;
  part("page").hidden = !isPdf;
  part("preview").toggleAttribute("hidden", isPdf);
  form().elements.unit.closest("label").hidden = isPdf;
  if (isPdf) return openPdf(file);
  const data = new FormData();
  data.append("file", file);
  read = await post(`/jobs/${job()}/plans/look`, data);
  form().elements.unit.value = read.metres_per_unit;
  part("ours").hidden = read.ours === 0;
  part("layers").replaceChildren(...read.layers.map((layer) => {
    const row = document.createElement("tr");
    const [name, lines, as] = ["td", "td", "td"].map((t) => document.createElement(t));
    name.textContent = layer.name;
    lines.textContent = layer.lines;
    lines.className = "num";
    const select = part("as").content.querySelector("select").cloneNode(true);
    select.dataset.layer = layer.name;
    select.setAttribute("aria-label", `What ${layer.name} becomes`);
    const proposed = layer.proposed.as === "walls" ? `walls ${layer.proposed.construction}` : layer.proposed.as;
    select.value = proposed;
    if (select.selectedIndex < 0) select.value = "skip";
    as.append(select);
    row.append(name, lines, as);
    return row;
  }));
  part("chosen").hidden = false;
  await ask();
}

// So many pixels along the longer side of a page.
const LONGEST = 3000;
async function openPdf(file) {
  const library = await import("../vendor/pdf.js");
  const worker = new Worker(ownScript("/assets/vendor/pdf-worker.js"), { type: "module" });
  try {
    const bytes = new Uint8Array(await file.arrayBuffer());
    const reader = library.PDFWorker.create({ port: worker });
    pdf = await library.getDocument({ data: bytes, worker: reader, isEvalSupported: false, useWasm: false }).promise;
  } catch (wrong) {
    throw new Error(`the file cannot be read as PDF: ${wrong.message}`);
  }
  const pages = Array.from({ length: Math.min(pdf.numPages, 500) }, (_, n) => String(n + 1));
  form().elements.page.replaceChildren(...pages.map((n) => new Option(n, n)));
  part("chosen").hidden = false;
  await redraw();
}

async function drawPage() {
  const leaf = await pdf.getPage(Number(form().elements.page.value));
  const plain = leaf.getViewport({ scale: 1 });
  const scale = LONGEST / Math.max(plain.width, plain.height);
  const viewport = leaf.getViewport({ scale });
  const canvas = part("page");
  canvas.width = Math.round(viewport.width);
  canvas.height = Math.round(viewport.height);
  await leaf.render({ canvas, canvasContext: canvas.getContext("2d"), viewport }).promise;
  shown = { width_pt: plain.width, height_pt: plain.height };
  part("sums").textContent = `Page ${form().elements.page.value} of ${pdf.numPages}.`;
  part("size").textContent = (await fetched(`/jobs/${job()}/plans/page?${new URLSearchParams(page())}`)).words;
  fail("");
}

// One after the other: a page is drawn on one canvas, and what was chosen last is told last.
let drawing = Promise.resolve();
function redraw() {
  drawing = drawing.catch(() => {}).then(drawPage);
  return drawing;
}

/** What the server is told of the page that is shown. */
const page = () => ({ ...shown, scale: number(form().elements.scale.value) });

async function takePage() {
  const blob = await new Promise((resolve) => part("page").toBlob(resolve, "image/png"));
  const data = new FormData();
  const floor = form().elements.floor.value;
  data.append("page", JSON.stringify({ ...page(), floor, mark: { client, edit_id: newUuid() } }));
  data.append("file", blob, "page.png");
  return (await post(`/jobs/${job()}/plans/page`, data)).floor;
}

async function take() {
  if (pdf) return takePage();
  const told = await sent(false);
  tellFindings(told.findings);
  const isPicture = [...part("layers").querySelectorAll("select")].some((s) => s.value === "underlay");
  if (told.walls === 0 && !isPicture) throw new Error("nothing of it became a wall; choose what its layers are");
  return form().elements.floor.value;
}

export function startPlans() {
  if (!form()) return;
  const guarded = (act) => act().catch((e) => fail(e.message));
  form().addEventListener("change", (event) => {
    if (event.target.name === "file") guarded(() => opened(event.target.files[0]));
    else if (pdf) guarded(redraw);
    else if (read) guarded(ask);
  });
  form().addEventListener("submit", (event) => {
    event.preventDefault();
    guarded(async () => {
      const floor = await take();
      notice("It is taken in, as one change that Undo takes back.");
      location.assign(`/jobs/${job()}/survey?floor=${floor}`);
    });
  });
}
