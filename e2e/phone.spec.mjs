// The run sheet in one hand: thumb-sized, in order, and without a signal for a while.
import { expect, open, ready, test } from "./fixtures.mjs";

test.use({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });

test("ticks are kept, also those made without a connection", async ({ page, context }) => {
  await open(page, "/jobs/larkfield-mill/install");
  await expect(page.getByText("Prove dead with a tester known to work")).toBeVisible();
  const headings = await page.locator(".stage-block h2").allInnerTexts();
  const order = ["Hub", "Repeaters", "Other mains", "Battery", "Remotes"];
  expect(headings.map((h) => order.findIndex((o) => h.startsWith(o)))).toEqual([0, 1, 2, 3, 4]);

  // Nothing is wider than the screen, and a tick is large enough for a thumb.
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
  const first = page.locator(".task.next .tick-box");
  for (const box of await first.all()) expect((await box.boundingBox()).height).toBeGreaterThanOrEqual(44);

  const task = page.locator(".task").first();
  const id = await task.getAttribute("id");
  await page.locator(`#${id}`).getByText("Code kept").tap();
  await expect(page.locator(`#${id} input:checked`)).toHaveCount(1);
  await expect(page.locator("[data-saved]")).toHaveText("Saved");
  await page.reload();
  await expect(page.locator(`#${id} input:checked`)).toHaveCount(1);
  await ready(page);
  await context.setOffline(true);
  await page.locator(`#${id}`).getByText("Joined in place").tap();
  await expect(page.locator("[data-saved]")).toContainText("waiting");
  await page.locator(`#${id}`).getByText("Tested, plate on").tap();
  await context.setOffline(false);
  await expect(page.locator(`#${id}`)).toHaveClass(/complete/, { timeout: 15_000 });
  await page.reload();
  await expect(page.locator(`#${id} input:checked`)).toHaveCount(3);
  await expect(page.locator(".progress")).toContainText("1 of ");
});

test("on a phone the reach of a device reads from verdict to staircase", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/reach?network=mesh&select=mesh-slu-flood");
  const tops = [];
  for (const part of [".row.selected", ".plan-pane", ".foot-pane"]) {
    tops.push(await page.locator(part).evaluate((e) => e.getBoundingClientRect().top + scrollY));
  }
  expect(tops).toEqual([...tops].sort((a, b) => a - b));
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
});
