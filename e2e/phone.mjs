// A day on a phone, as a hand does it: the program over a database that outlives it, a card at a time.
import fs from "node:fs";
import http from "node:http";
import os from "node:os";
import path from "node:path";
import { execFileSync } from "node:child_process";
import { fileURLToPath } from "node:url";
import { expect, start } from "./fixtures.mjs";

export const binary = process.env.DOT_REACH ?? fileURLToPath(new URL("../target/release/dot-reach", import.meta.url));
export const AT = "2026-03-14T10:00:00Z";

/** The program over a database that outlives it, on a port that stays. */
export async function serving(db, port = 0) {
  const { program, address } = start(["serve", "--db", db, "--port", String(port)]);
  return { program, url: await address };
}

export const gone = (program) => new Promise((resolve) => {
  program.once("exit", resolve);
  program.kill("SIGKILL");
});

/** A database with one job. */
export function database(job) {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), "day-"));
  const [file, db] = [path.join(folder, "job.json"), path.join(folder, "jobs.db")];
  fs.writeFileSync(file, job);
  execFileSync(binary, ["import", "--db", db, file]);
  return { db, file, folder };
}

export const current = (page) => page.locator("[data-move][data-current]");
export const key = (page) => current(page).getAttribute("data-move");

export async function site(page, url, job = "larkfield-mill") {
  return (await (await page.request.get(`${url}/jobs/${job}/${job}.json`)).json()).site;
}

/** What happened, in the order of the record. */
export async function record(page, url, job = "larkfield-mill") {
  return (await (await page.request.get(`${url}/jobs/${job}/record.json`)).json()).entries;
}

export const steps = (entries) => entries.map((e) => e.what).filter((what) => what.did === "stepped");

/** What was looked at of a device: ticked by itself, or with its step. */
export const lookedAt = (entries, device) => entries.map((e) => e.what).filter((w) => w.device === device).flatMap((w) => {
  if (w.did === "ticked") return [w.check];
  return w.did === "stepped" ? w.checks ?? [] : [];
});

/** A line to the program at `url` that holds back what a page asks for anew while `slow` is so many milliseconds. */
export async function slowLine(url) {
  const { port } = new URL(url);
  const line = { slow: 0, held: 0 };
  const onward = ({ method, headers, url: path }) => ({ port, host: "127.0.0.1", method, headers, path });
  const server = http.createServer(async (asked, answer) => {
    if (line.slow > 0 && asked.headers["x-anew"]) {
      line.held += 1;
      await new Promise((resolve) => { setTimeout(resolve, line.slow); });
    }
    const further = http.request(onward(asked), (came) => {
      answer.writeHead(came.statusCode, came.headers);
      came.pipe(answer);
    });
    further.on("error", () => answer.destroy());
    asked.pipe(further);
  });
  server.on("upgrade", (asked, socket, head) => {
    const further = http.request(onward(asked));
    further.on("upgrade", (came, other) => {
      socket.write(`HTTP/1.1 101 Switching Protocols\r\n${Object.entries(came.headers).map(([k, v]) => `${k}: ${v}`).join("\r\n")}\r\n\r\n`);
      other.pipe(socket).pipe(other);
      for (const end of [socket, other]) end.on("error", () => { socket.destroy(); other.destroy(); });
    });
    further.on("error", () => socket.destroy());
    further.end(head);
  });
  await new Promise((resolve) => { server.listen(0, "127.0.0.1", resolve); });
  line.url = `http://127.0.0.1:${server.address().port}`;
  line.end = () => { server.closeAllConnections(); server.close(); };
  return line;
}

/** Says who is at work: a cookie, as the jobs page sets it. */
export async function as(context, url, who) {
  await context.addCookies([{ name: "who", value: encodeURIComponent(who), url }]);
}

export async function tickAll(page) {
  const card = current(page);
  for (const box of await card.locator("[data-check]").all()) if (!(await box.isChecked())) await box.check();
}

/** Does the move that is shown, as a person would; `more` fills what the card asks for. */
export async function doMove(page, more = async () => {}) {
  const was = await key(page);
  const card = page.locator(`[data-move="${was}"]`);
  await more(card);
  await tickAll(page);
  const button = card.locator("button[data-done]");
  await expect(button).toBeEnabled();
  // Each tick brings the card anew: the button that is measured may just have gone.
  await expect.poll(async () => (await button.boundingBox())?.height ?? 0).toBeGreaterThanOrEqual(48);
  await button.tap();
  // It goes on by itself, unless nothing is left. It is looked at each frame, where an assertion looks once a second.
  await page.waitForFunction((was) => {
    const all = [...document.querySelectorAll("[data-move]")];
    const isOver = (m) => "done" in m.dataset || "waits" in m.dataset;
    const at = all.findIndex((m) => m.dataset.move === was);
    return at >= 0 && isOver(all[at]) && (all.slice(at + 1).every(isOver) || document.querySelector("[data-current]")?.dataset.move !== was);
  }, was);
  return was;
}

export async function fillIsolation(card) {
  await card.locator('[data-field="tester"]').fill("two-pole tester 4");
  await card.locator('[data-field="told"]').fill("Ada, until noon");
  await card.locator('[data-field="secured"]').selectOption("lock-and-notice");
}

/** An install code, its checksum with it, of sixteen bytes drawn from a name. */
export function installCode(name) {
  const bytes = new Array(16).fill(7);
  for (let n = 0; n < name.length; n += 1) bytes[n % 16] = (bytes[n % 16] * 31 + name.charCodeAt(n)) & 255;
  let crc = 0xffff;
  for (const byte of bytes) {
    crc ^= byte;
    for (let bit = 0; bit < 8; bit += 1) crc = crc & 1 ? (crc >> 1) ^ 0x8408 : crc >> 1;
  }
  crc = ~crc & 0xffff;
  return [...bytes, crc & 255, crc >> 8].map((b) => b.toString(16).padStart(2, "0")).join("").toUpperCase();
}

/** What stands on the label of a device: of the mesh an install code. */
export const codeOf = (device) => (device.startsWith("mesh") || device.length < 3 ? installCode(device) : `LABEL ${device}`);

export const because = (words) => async (card) => {
  const why = card.locator('[data-field="why"]');
  if (await why.isVisible()) await why.fill(words);
};

/** Brings the hubs of the job to where they let devices in, by the interface that pages use. */
export async function hubsReady(page, url) {
  const all = await site(page, url);
  const hubs = all.devices.filter((d) => /^hub/.test(d.kind));
  for (const hub of hubs) {
    for (const step of ["placed", "powered", "phone", "firmware", "clock"]) await takeAll(page, url, hub.id, step);
  }
}

let edits = 0;
export async function act(page, url, edit, job = "larkfield-mill") {
  edits += 1;
  const answer = await page.request.post(`${url}/jobs/${job}/edits`, {
    data: { edit, edit_id: `day-${process.pid}-${edits}`, client: "test" }, headers: { origin: url },
  });
  return { ok: answer.ok(), told: await answer.json() };
}

/** Ticks what a step asks for and takes it; the checks are read off the page. */
export async function takeAll(page, url, device, step, more = {}, job = "larkfield-mill") {
  const all = await site(page, url, job);
  const words = checksOf[step] ?? [];
  for (const check of words) await act(page, url, { do: "check", device, step, check, on: true }, job);
  const by = { by: "Ines Calder", at: AT };
  const known = all.devices.find((d) => d.id === device);
  expect(known, device).toBeTruthy();
  return act(page, url, { do: "take-step", device, step, ...by, ...more }, job);
}

export const checksOf = {
  placed: ["where", "battery"], powered: ["on-off", "dim", "hold", "light"],
  phone: ["same-wifi", "bluetooth", "system", "mail", "owner"], firmware: ["updated"], clock: ["time", "place"],
};
