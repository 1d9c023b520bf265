// What a hand does on the sheet, and what stands there then.
import { clickSheet, expect, onSheet, open, ready } from "./fixtures.mjs";

export const saved = (page) => expect(page.locator("[data-saved]")).toHaveText("Saved");
export const walls = (page) => page.locator("[data-ends]");
export const ends = (page) => walls(page).evaluateAll((all) => all.map((w) => w.dataset.ends).sort());

export async function newJob(page, name) {
  await open(page, "/");
  await page.getByLabel("Name", { exact: true }).fill(name);
  await page.getByLabel("Region").selectOption("eu");
  await page.getByRole("button", { name: "Make the job" }).click();
  await page.waitForURL(/\/brief/);
  await page.getByRole("link", { name: "Go and draw" }).click();
  await page.waitForURL(/\/survey/);
  await ready(page);
}

/** A hand that counts: each press, drag and key is one. */
export function counting(page) {
  let count = 0;
  return {
    get count() { return count; },
    async key(key) { count += 1; await page.keyboard.press(key); },
    async click(spot) { count += 1; await clickSheet(page, spot); },
    async press(locator) { count += 1; await locator.click(); },
    /** The list opens with one press, and another chooses. */
    async choose(field, words) {
      count += 2;
      const value = await field.evaluate((f, w) => [...f.options].find((o) => !o.hidden && o.textContent.includes(w)).value, words);
      await field.selectOption(value);
    },
    async drag(from, to) {
      count += 1;
      const [a, b] = [await onSheet(page, from), await onSheet(page, to)];
      await page.mouse.move(a.x, a.y);
      await page.mouse.down();
      await page.mouse.move(b.x, b.y, { steps: 6 });
      await page.mouse.up();
    },
  };
}

export async function drawOuter(page, from = [1, 1], to = [11, 8]) {
  await page.keyboard.press("r");
  await clickSheet(page, from);
  await expect(page.locator('[data-run="done"]')).toBeEnabled();
  await clickSheet(page, to);
  await expect(walls(page)).toHaveCount(4);
}
