// A firm on a server of its own: its owner at a desk, and others whom they let in.
import { createHmac } from "node:crypto";
import { execFileSync } from "node:child_process";
import fs from "node:fs";
import os from "node:os";
import path from "node:path";
import { expect, open, start } from "./fixtures.mjs";
import { binary } from "./phone.mjs";

export const PASSWORD = "kettle orbit lantern moss";
export const PHONE = { viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true };

/** What a page says of failures, in its order; whoever asks for none holds it against nothing. */
function listening(page) {
  const troubles = [];
  page.on("pageerror", (error) => troubles.push(error.message));
  return troubles;
}

/** A server with one firm, the owner of it at a desk, and the Mill as its job. */
export async function founded(browser) {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), "firm-"));
  const { program, address } = start(["serve", "--data", folder, "--port", "0"]);
  const link = new Promise((resolve) => {
    let said = "";
    program.stdout.on("data", (bytes) => {
      said += bytes;
      const found = said.match(/\/in\/[\w-]+/);
      if (found) resolve(found[0]);
    });
  });
  const url = await address;
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  const desk = await context.newPage();
  const troubles = listening(desk);
  await open(desk, url + await link);
  await desk.getByLabel("Name of the firm").fill("Quayside Electric");
  await fillIn(desk, "Ines Calder", "ines@quay.example");
  await expect(desk).toHaveURL(`${url}/`);
  const sent = await desk.request.post(`${url}/jobs/import`, {
    headers: { origin: url },
    multipart: { file: { name: "mill.json", mimeType: "application/json", buffer: execFileSync(binary, ["standin", "larkfield-mill"]) } },
  });
  expect(sent.ok(), await sent.text()).toBe(true);
  const close = async () => {
    await context.close();
    program.kill();
    expect(troubles).toEqual([]);
  };
  return { url, desk, program, folder, close };
}

async function fillIn(page, name, login) {
  await page.getByLabel("Your name").fill(name);
  await page.getByLabel("Mail address or name to sign in by").fill(login);
  await page.getByLabel("Password").fill(PASSWORD);
  await page.getByRole("button", { name: "Come in" }).click();
}

/** The owner lets somebody in, who follows the link in a browser of their own. */
export async function letIn(browser, { desk, url }, name, part, options = {}) {
  await open(desk, `${url}/people`);
  const form = desk.locator("form", { hasText: "Let somebody in" });
  await form.locator('[name="name"]').fill(name);
  await form.locator('[name="role"]').selectOption(part);
  await form.getByRole("button", { name: "Make a link" }).click();
  await expect(form.getByLabel("The link")).toHaveValue(/\/in\//);
  const link = await form.getByLabel("The link").inputValue();
  const context = await browser.newContext(options);
  const page = await context.newPage();
  await open(page, link);
  await expect(page.locator("h1")).toHaveText("Come in to Quayside Electric");
  await fillIn(page, name, loginOf(name));
  await expect(page).toHaveURL(`${url}/`);
  return { context, page, name };
}

export const loginOf = (name) => name.split(" ")[0].toLowerCase();

export async function signIn(page, name) {
  await page.getByLabel("Mail address or name").fill(loginOf(name));
  await page.getByLabel("Password").fill(PASSWORD);
  await page.getByRole("button", { name: "Sign in", exact: true }).click();
}

/** Somebody's card on the page of the firm's people. */
export async function cardOf({ desk, url }, name) {
  await open(desk, `${url}/people`);
  return desk.locator(".person", { hasText: name });
}

/** The six digits of a secret at this moment, as an authenticator tells them. */
export function codeNow(secret) {
  const signs = "ABCDEFGHIJKLMNOPQRSTUVWXYZ234567";
  const bits = [...secret].map((sign) => signs.indexOf(sign).toString(2).padStart(5, "0")).join("");
  const key = Buffer.from((bits.match(/.{8}/g) ?? []).map((byte) => parseInt(byte, 2)));
  const counter = Buffer.alloc(8);
  counter.writeBigUInt64BE(BigInt(Math.floor(Date.now() / 30_000)));
  const hash = createHmac("sha1", key).update(counter).digest();
  const at = hash[19] & 15;
  return String((hash.readUInt32BE(at) & 0x7fffffff) % 1_000_000).padStart(6, "0");
}
