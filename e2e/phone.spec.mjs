// Reach on a phone; the day has a file of its own.
import { expect, open, test } from "./fixtures.mjs";

test.use({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });

test("on a phone the reach of a device reads from verdict to staircase", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/reach?network=mesh&select=mesh-slu-flood");
  const tops = [];
  for (const part of [".row.selected", ".plan-pane", ".foot-pane"]) {
    tops.push(await page.locator(part).evaluate((e) => e.getBoundingClientRect().top + scrollY));
  }
  expect(tops).toEqual([...tops].sort((a, b) => a - b));
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
});
