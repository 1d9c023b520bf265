// Codes by camera and by photo.
import { newId, notice } from "./job.js";
import { small } from "./photos.js";

/** What a card sends, how it is sent, and on to the next: of the day's page. */
let hands = {};

export function serveCards(of) {
  hands = of;
}

/** Keeps a photo of a label, and what can be read on it. */
export async function codePhoto(file, move) {
  let picture;
  try {
    picture = await small(file);
  } catch {
    return void notice("this is no picture that can be read; choose a PNG or JPEG");
  }
  const found = await decode(picture.pixels());
  const act = { ...hands.made(move), image: "the-photo", taken: "photo", ...(found ? { text: found } : {}) };
  const kept = { photo: picture.blob, words: "a photo of a code" };
  let taken = await hands.send(act, move, kept);
  // What it says may be no code of this device; its photo tells that.
  if (!taken && found && move.querySelector('[data-field="text"][aria-invalid]')) {
    delete act.text;
    taken = await hands.send({ ...act, id: newId(move.dataset.stem) }, move, kept);
    if (taken) notice("What was read on it is no code of this device; the photo itself is kept.");
  }
  if (taken && !found) notice("No code could be read on it; the photo itself is kept.");
  if (taken) hands.goOn();
  return undefined;
}

async function decode(pixels) {
  const { default: read } = await import("../vendor/jsqr.js");
  return read(pixels.data, pixels.width, pixels.height, { inversionAttempts: "attemptBoth" })?.data ?? null;
}

/** Reads a code by the camera, until one is found or the button is pressed again. */
export async function scan(button) {
  const move = button.closest("[data-move]");
  const view = move.querySelector("[data-scan-view]");
  if (view.srcObject) return void stopScan(view, button);
  try {
    view.srcObject = await navigator.mediaDevices.getUserMedia({ video: { facingMode: "environment" } });
  } catch {
    return void notice("The camera cannot be used here; take a photo of the code, or type it.");
  }
  view.hidden = false;
  button.textContent = "Stop";
  await view.play();
  const canvas = document.createElement("canvas");
  const pen = canvas.getContext("2d", { willReadFrequently: true });
  const look = async () => {
    if (!view.srcObject) return;
    canvas.width = view.videoWidth;
    canvas.height = view.videoHeight;
    if (canvas.width > 0) {
      pen.drawImage(view, 0, 0);
      const found = await decode(pen.getImageData(0, 0, canvas.width, canvas.height));
      if (found) {
        stopScan(view, button);
        move.querySelector('[data-field="text"]').value = found;
        if (await hands.send({ ...hands.made(move), text: found, taken: "camera" }, move)) hands.goOn();
        return;
      }
    }
    setTimeout(look, 200);
  };
  look();
  return undefined;
}

function stopScan(view, button) {
  for (const track of view.srcObject?.getTracks() ?? []) track.stop();
  view.srcObject = null;
  view.hidden = true;
  button.textContent = "Camera";
}
