// A test gets `app`: the program, started for it alone, with its demo jobs. A page that throws,
// breaks the content policy or logs an error fails its test.
import { spawn } from "node:child_process";
import { fileURLToPath } from "node:url";
import { expect, test as base } from "@playwright/test";

const binary = process.env.DOT_REACH ?? fileURLToPath(new URL("../target/release/dot-reach", import.meta.url));

/** Starts the program; resolves with its address once it says that it is ready. */
export function start(args) {
  const program = spawn(binary, args, { stdio: ["ignore", "pipe", "inherit"] });
  const address = new Promise((resolve, reject) => {
    let said = "";
    program.stdout.on("data", (bytes) => {
      said += bytes;
      const found = said.match(/http:\/\/[\d.]+:\d+/);
      if (found) resolve(found[0]);
    });
    program.once("exit", (code) => reject(new Error(`the program ended with ${code}`)));
  });
  return { program, address };
}

export const test = base.extend({
  app: async ({}, use) => {
    const { program, address } = start(["demo", "--port", "0"]);
    await use(await address);
    program.kill();
  },
  baseURL: async ({ app }, use) => use(app),
  page: async ({ page }, use) => {
    const troubles = [];
    page.on("pageerror", (error) => troubles.push(error.message));
    page.on("console", (message) => {
      // What is not there or not allowed, and a lost connection, the browser logs by itself; a refusal is an answer.
      const expected = /status of (40[0134]|408|413|429|502)|ERR_INTERNET_DISCONNECTED|ERR_FAILED|ERR_CONNECTION_REFUSED|ERR_CONNECTION_RESET|ERR_EMPTY_RESPONSE|ERR_ABORTED/;
      if (message.type() === "error" && !expected.test(message.text())) {
        troubles.push(message.text());
      }
    });
    await use(page);
    expect(troubles, "the page stayed free of errors").toEqual([]);
  },
});

/** Waits until the page listens and its live channel stands, where it has one: whoever has some pages alone has none. */
export async function ready(page) {
  await page.waitForFunction(() => document.documentElement?.dataset.ready === "true");
  await page.waitForFunction(() => document.body && (!document.body.dataset.job || "alone" in document.body.dataset) || document.documentElement?.dataset.live === "true");
}

/** Opens a page of the program and waits until it is ready. */
export async function open(page, address) {
  await page.goto(address);
  await ready(page);
}

/** Waits until the page has read what it keeps, and nothing of it waits or was refused. */
export const nothingWaits = (page) => expect(page.locator("[data-waiting][data-read][hidden]")).toHaveCount(1);

/** A point of the plan, given in metres on the sheet, in pixels of the window. */
export function onSheet(page, [x, y]) {
  return page.evaluate(([x, y]) => {
    const matrix = document.querySelector(".plan[data-plan]").getScreenCTM();
    const place = new DOMPoint(x * 100, y * 100).matrixTransform(matrix);
    return { x: place.x, y: place.y };
  }, [x, y]);
}

export async function clickSheet(page, spot) {
  const { x, y } = await onSheet(page, spot);
  await page.mouse.click(x, y);
}

export { expect };
