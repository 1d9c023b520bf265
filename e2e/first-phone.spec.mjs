// The first hour done again with a thumb.
import { expect, nothingWaits, onSheet, open, test } from "./fixtures.mjs";
import { ends, newJob, saved, walls } from "./hand.mjs";

test.describe("on a phone", () => {
  test.use({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });

  const tap = async (page, spot) => {
    const { x, y } = await onSheet(page, spot);
    await page.touchscreen.tap(x, y);
  };

  test("a room is drawn with a thumb, ended and taken back by buttons", async ({ page }) => {
    await newJob(page, "By thumb");
    for (const stage of await page.locator(".stages a").all()) await expect(stage).toBeInViewport({ ratio: 1 });
    await page.getByRole("button", { name: "Four walls" }).tap();
    await tap(page, [1, 1]);
    await expect(page.locator('[data-run="done"]')).toBeEnabled();
    await tap(page, [12, 8]);
    await expect(walls(page)).toHaveCount(4);
    await page.getByRole("button", { name: "Wall", exact: true }).tap();
    await tap(page, [6, 3]);
    const undo = page.getByRole("button", { name: "Undo last" });
    await expect(undo).toBeEnabled();
    await expect(undo).toBeInViewport({ ratio: 1 });
    await tap(page, [6, 6]);
    await expect(walls(page)).toHaveCount(5);
    await undo.tap();
    await expect(walls(page)).toHaveCount(4);
    await page.getByRole("button", { name: "Done", exact: true }).tap();
    await expect(undo).toBeDisabled();
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);

    // A wall that was tapped is dragged by the thumb.
    await page.getByRole("button", { name: "Select", exact: true }).tap();
    await tap(page, [12, 5]);
    await expect(page.locator("[data-end]")).toHaveCount(2);
    await page.locator(".plan").evaluate((plan, [from, to]) => {
      plan.setPointerCapture = () => {};
      const under = document.elementFromPoint(from.x, from.y);
      const finger = (type, at, on) => on.dispatchEvent(new PointerEvent(type, {
        pointerId: 61, pointerType: "touch", clientX: at.x, clientY: at.y, bubbles: true, isPrimary: true,
      }));
      finger("pointerdown", from, under);
      for (let n = 1; n <= 5; n += 1) finger("pointermove", { x: from.x + ((to.x - from.x) * n) / 5, y: from.y }, plan);
      finger("pointerup", to, plan);
    }, [await onSheet(page, [12, 5]), await onSheet(page, [11, 5])]);
    await expect.poll(() => ends(page)).toContain("11 1 11 8");

    // Two fingers zoom, and draw nothing.
    const box = () => page.locator(".plan").getAttribute("viewBox");
    const before = Number((await box()).split(" ")[2]);
    await page.locator(".plan").evaluate((plan) => {
      const { left, top, width, height } = plan.getBoundingClientRect();
      const [x, y] = [left + width / 2, top + height / 2];
      const finger = (type, id, dx) => plan.dispatchEvent(new PointerEvent(type, {
        pointerId: id, pointerType: "touch", clientX: x + dx, clientY: y, bubbles: true, isPrimary: id === 71,
      }));
      plan.setPointerCapture = () => {};
      finger("pointerdown", 71, -30);
      finger("pointerdown", 72, 30);
      for (let n = 30; n <= 90; n += 10) { finger("pointermove", 71, -n); finger("pointermove", 72, n); }
      finger("pointerup", 71, -90);
      finger("pointerup", 72, 90);
    });
    expect(Number((await box()).split(" ")[2])).toBeLessThan(before * 0.5);
    await expect(walls(page)).toHaveCount(4);
  });

  for (const stage of ["brief", "survey", "reach?network=mesh", "install", "install/work?of=7", "install/fault", "prove", "prove/readings", "walk", "handover", "journal"]) {
    test(`no list scrolls inside the page that scrolls: ${stage}`, async ({ page }) => {
      await open(page, `/jobs/larkfield-mill/${stage}`);
      const inner = await page.evaluate(() => [...document.querySelectorAll("main, main *")].filter((e) => {
        const { overflowY } = getComputedStyle(e);
        return e.checkVisibility() && ["auto", "scroll"].includes(overflowY) && e.scrollHeight > e.clientHeight + 2 && !e.closest("textarea, select");
      }).map((e) => e.className || e.tagName));
      expect(inner).toEqual([]);
      expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
    });
  }

  test("the whole list comes when it is asked for, and what waits stays in view", async ({ page, context }) => {
    await open(page, "/jobs/larkfield-mill/reach?network=mesh");
    const seen = () => page.locator(".row").evaluateAll((rows) => rows.filter((r) => r.checkVisibility()).length);
    expect(await seen()).toBeLessThanOrEqual(7);
    await page.locator("[data-all-rows]").tap();
    expect(await seen()).toBe(30);
    await open(page, "/jobs/larkfield-mill/install/work?of=hubs");
    await context.setOffline(true);
    await page.locator("[data-current] .tick-box").first().tap();
    await expect(page.locator("[data-waiting]")).toContainText("1 change waits");
    await page.evaluate(() => window.scrollTo(0, document.body.scrollHeight));
    await expect(page.locator("[data-waiting]")).toBeInViewport({ ratio: 1 });
    await context.setOffline(false);
    await nothingWaits(page);
  });
});
