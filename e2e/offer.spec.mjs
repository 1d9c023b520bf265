// From an empty database to a signed offer of a house of two storeys: once by keyboard alone, once by thumb alone. Each
// key, press and tap is counted.
import { mkdtemp, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, ready, start, test as base } from "./fixtures.mjs";

/** A program without a job. */
const test = base.extend({
  app: async ({}, use) => {
    const folder = await mkdtemp(join(tmpdir(), "dot-reach-"));
    const { program, address } = start(["serve", "--db", join(folder, "jobs.db"), "--port", "0"]);
    await use(await address);
    program.kill();
    await rm(folder, { recursive: true, force: true });
  },
});

const saved = (page) => expect(page.locator("[data-saved]")).toHaveText("Saved");
// Name, room, lamps and watts of each box: a storey below and one above.
const BELOW = [["Hall switch", "Hall", 4, 8], ["Kitchen switch", "Kitchen", 6, 7], ["Living switch", "Living", 3, 9], ["Bath switch", "Bath", 2, 6]];
const ABOVE = [["Landing switch", "Landing", 2, 8], ["Bed switch", "Bed", 2, 8], ["Study switch", "Study", 2, 8]];

async function signed(page) {
  await expect(page.locator('[data-offer-signed]')).toContainText("Signed by Ada Penrose");
  await expect(page.locator('[data-offer-signed]')).toContainText("8 devices");
  // What it needs next is no signature any longer.
  await expect(page.locator(".next-line")).not.toContainText("signed");
}

test("a house of two storeys comes to a signed offer by keyboard alone", async ({ page }) => {
  let keys = 0;
  const press = async (key) => { keys += 1; await page.keyboard.press(key); };
  const type = async (text) => { keys += [...text].length; await page.keyboard.type(text); };
  /** Tab until something has the focus. */
  const tabTo = async (locator, key = "Tab") => {
    for (let n = 0; n < 60; n += 1) {
      if (await locator.evaluate((own) => own === document.activeElement).catch(() => false)) return;
      await press(key);
    }
    throw new Error(`Tab never comes to ${locator}`);
  };
  /** By the box that goes anywhere. */
  const goTo = async (words) => {
    await page.evaluate(() => document.activeElement?.blur?.());
    await press("/");
    await type(words);
    await follow();
  };
  /** Enter, and the page that it leads to: an address that looks like it may be that of the page before. */
  const follow = async () => {
    const came = page.waitForEvent("load");
    await press("Enter");
    await came;
    await ready(page);
  };
  await page.goto("/");
  await ready(page);
  await tabTo(page.getByLabel("Name", { exact: true }));
  await type("Two storeys");
  await press("Enter");
  await page.waitForURL(/\/brief/);
  await ready(page);
  await tabTo(page.getByLabel("Client"));
  await type("Ada Penrose");
  await press("Tab");
  await type("United K");
  await press("Tab");
  await type("GBP");
  await press("Tab");
  await saved(page);
  await press("Enter");
  await page.waitForURL(/\/survey/);
  await ready(page);

  // Four walls, and a storey on top with the same.
  const walls = keys;
  await page.locator(".plan").focus();
  await press("r");
  await type("10");
  await press("Tab");
  await type("8");
  await press("Enter");
  await expect(page.locator(".wall")).toHaveCount(4);
  expect(keys - walls, "four walls took three clicks and five keys").toBeLessThanOrEqual(6);
  // A hub where somebody says that it is.
  await page.locator(".plan").focus();
  await press("p");
  await tabTo(page.getByLabel("From the left of the sheet"));
  await type("5");
  await press("Tab");
  await type("4");
  await press("Enter");
  await expect(page.locator(".dot")).toHaveCount(1);
  await expect(page.getByLabel("Name of the device just placed")).toBeFocused();
  await press("Enter");
  await saved(page);
  await tabTo(page.locator(".storey-menu summary"), "Shift+Tab");
  await press("Enter");
  await press("Tab");
  await press("Tab");
  await follow();
  await expect(page.locator(".wall")).toHaveCount(4);

  // The boxes, as they are called out: letters where letters are named, Tab after each.
  const sheet = keys;
  const boxes = async (storey, all) => {
    await goTo("Point sheet");
    await page.waitForURL(/\/sheet/);
    await ready(page);
    await tabTo(page.locator('[data-part="storey-tabs"] a', { hasText: storey }), "Shift+Tab");
    await follow();
    await page.waitForURL(/floor=/);
    for (const [n, [name, room, lamps, watts]] of all.entries()) {
      // The new row is the last one.
      await tabTo(page.locator("[data-grid] td.here"));
      for (let n = 0; n < 9; n += 1) await press("ArrowDown");
      await press("Home");
      await press("ArrowRight");
      for (const cell of [name, room, "s", "p", "t", String(n + 3), "", "l", String(lamps), String(watts)]) {
        await type(cell);
        await press("Tab");
      }
      const row = page.locator(`[data-grid] tbody tr[data-name="${name}"]`);
      await expect(row.locator("td").nth(3)).toHaveText("switch");
      await expect(row.locator("td").nth(5)).toHaveText("tested");
      await expect(row.locator("td").nth(8)).toHaveText("LED");
      await expect(row.locator("td").nth(10)).toHaveText(String(watts));
    }
    await expect(page.locator("[data-grid-findings]")).toBeHidden();
    await saved(page);
  };
  await boxes("Ground floor", BELOW);
  await boxes("First floor", ABOVE);
  const perBox = (keys - sheet) / (BELOW.length + ABOVE.length);

  // What goes into each.
  await goTo("Devices");
  await page.waitForURL(/\/devices/);
  await ready(page);
  const choose = page.locator("button.primary[data-edit]").first();
  await tabTo(choose);
  await press("Enter");
  await expect(page.locator("tr[data-row]")).toHaveCount(8);

  await goTo("Bill");
  await page.waitForURL(/\/bill/);
  await ready(page);
  await tabTo(page.getByLabel("Name", { exact: true }));
  await type("Ada Penrose");
  await press("Enter");
  await signed(page);
  console.log(`by keyboard: ${keys} keys to a signed offer, ${perBox.toFixed(1)} a box`);
  expect(keys).toBeLessThan(700);
});

test.describe("by thumb", () => {
  test.use({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });

  test("a house of two storeys comes to a signed offer by thumb alone", async ({ page }) => {
    let [taps, letters] = [0, 0];
    const tap = async (locator) => { taps += 1; await locator.tap(); };
    /** A field is tapped and filled by the phone's own keyboard. */
    const fill = async (locator, text) => {
      taps += 1;
      letters += [...text].length;
      await locator.tap();
      await locator.fill(text);
    };
    const choose = async (locator, label) => { taps += 2; await locator.selectOption({ label }); };
    await page.goto("/");
    await ready(page);
    await fill(page.getByLabel("Name", { exact: true }), "Two storeys");
    await tap(page.getByRole("button", { name: "Make the job" }));
    await page.waitForURL(/\/brief/);
    await ready(page);
    await fill(page.getByLabel("Client"), "Ada Penrose");
    await choose(page.getByLabel("Country of the house"), "United Kingdom");
    await fill(page.getByLabel("Currency"), "GBP");
    await page.getByLabel("Currency").blur();
    await saved(page);
    await tap(page.getByRole("link", { name: "Go and draw" }));
    await page.waitForURL(/\/survey/);
    await ready(page);

    await tap(page.getByRole("button", { name: "Four walls" }));
    await fill(page.getByLabel("How far across"), "10");
    await fill(page.getByLabel("How far down"), "8");
    await page.keyboard.press("Enter");
    await expect(page.locator(".wall")).toHaveCount(4);
    await tap(page.getByRole("button", { name: "Device", exact: true }));
    await fill(page.getByLabel("From the left of the sheet"), "5");
    await fill(page.getByLabel("From the top of the sheet"), "4");
    await tap(page.getByRole("button", { name: "Place", exact: true }));
    await expect(page.locator(".dot")).toHaveCount(1);
    await saved(page);
    await tap(page.locator(".storey-menu summary"));
    await tap(page.getByRole("button", { name: "on top, with the walls of Ground floor" }));
    await page.waitForURL(/floor=/);
    await ready(page);

    const before = taps;
    for (const [storey, all] of [["Ground floor", BELOW], ["First floor", ABOVE]]) {
      await tap(page.locator(".pages-row a", { hasText: "Point sheet" }));
      await page.waitForURL(/\/sheet/);
      await ready(page);
      await tap(page.locator('[data-part="storey-tabs"] a', { hasText: storey }));
      await page.waitForURL(/floor=/);
      await ready(page);
      for (const [n, [name, room, lamps, watts]] of all.entries()) {
        await fill(page.getByLabel("Name of a new place"), name);
        await tap(page.getByRole("button", { name: "Add the place" }));
        const card = page.locator(`[data-card]`, { hasText: name });
        await expect(card).toBeVisible();
        const group = (heading) => card.locator(".card-field", { has: page.getByRole("heading", { name: heading, exact: true }) });
        const press = async (heading, words) => {
          await tap(group(heading).getByRole("button", { name: words, exact: true }));
          await expect(group(heading).getByRole("button", { name: words, exact: true })).toHaveAttribute("aria-pressed", "true");
        };
        const typed = async (heading, text) => {
          await fill(group(heading).locator("input"), text);
          await group(heading).locator("input").blur();
          await saved(page);
        };
        await typed("Room", room);
        await press("Kind", "switch");
        await press("Box", "plastic");
        await press("Neutral", "tested");
        await typed("Breaker", String(n + 3));
        await press("Load", "LED");
        await typed("Lamps", String(lamps));
        await typed("W each", String(watts));
      }
    }
    const perBox = (taps - before) / (BELOW.length + ABOVE.length);
    await tap(page.locator(".stages a", { hasText: "Design" }));
    await ready(page);
    await tap(page.locator(".pages-row a", { hasText: "Devices" }));
    await page.waitForURL(/\/devices/);
    await ready(page);
    await tap(page.locator("button.primary[data-edit]").first());
    await expect(page.locator("tr[data-row]")).toHaveCount(8);
    await tap(page.locator(".stages a", { hasText: "Offer" }));
    await page.waitForURL(/\/bill/);
    await ready(page);
    await fill(page.getByLabel("Name", { exact: true }), "Ada Penrose");
    await tap(page.getByRole("button", { name: "Sign the offer" }));
    await signed(page);
    console.log(`by thumb: ${taps} taps and ${letters} letters to a signed offer, ${perBox.toFixed(1)} taps a box`);
    expect(taps).toBeLessThan(170);
  });
});
