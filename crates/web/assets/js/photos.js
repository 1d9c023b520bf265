// Photos: made small here, kept with the edit that names them, also where there is no signal.
import { edit, newId, notice } from "./job.js";

// The longer side of a photo, in pixels: enough to read a terminal's print.
const PHOTO_PX = 1600;

/** A picture as a small JPEG, with its pixels where they are wanted. */
export async function small(file) {
  const picture = await createImageBitmap(file);
  const k = Math.min(1, PHOTO_PX / Math.max(picture.width, picture.height));
  const canvas = document.createElement("canvas");
  canvas.width = Math.max(1, Math.round(picture.width * k));
  canvas.height = Math.max(1, Math.round(picture.height * k));
  const pen = canvas.getContext("2d", { willReadFrequently: true });
  pen.drawImage(picture, 0, 0, canvas.width, canvas.height);
  const blob = await new Promise((resolve) => canvas.toBlob(resolve, "image/jpeg", 0.85));
  return { blob, pixels: () => pen.getImageData(0, 0, canvas.width, canvas.height) };
}

/** Keeps a photo of a point. */
export async function keepPhoto(file, point, shows) {
  let made;
  try {
    made = await small(file);
  } catch {
    return void notice("this is no picture that can be read; choose a PNG or JPEG");
  }
  const by = document.querySelector("[data-who]")?.dataset.who ?? "";
  const value = { id: newId("f"), point, shows, image: "the-photo", at: new Date().toISOString(), by };
  try {
    await edit({ do: "put", kind: "photo", value }, { photo: made.blob, words: "a photo" });
  } catch (refused) {
    notice(refused.message);
  }
  return undefined;
}
