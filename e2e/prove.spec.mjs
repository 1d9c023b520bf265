// Prove as a person does it: the Mill diagnosed and cured, acceptance signed, before and after read by a client.
import { expect, open, ready, test } from "./fixtures.mjs";
import { saved } from "./hand.mjs";

const MILL = "/jobs/larkfield-mill";

test("the Mill is diagnosed: the device in metal is named first, cured, and the plan learns the house", async ({ page }) => {
  await open(page, `${MILL}/prove`);
  const card = page.locator(".differs-card", { hasText: "Bath ceiling" });
  await expect(card.locator(".causes tr").first()).toContainText("in metal");
  await expect(card).toContainText("Look behind the plate");
  // What helps is tried on the server while this is read.
  await expect(page.getByText("What single change helps most")).toBeVisible();
  await page.getByText("By gain for effort").click();
  await expect(page.locator('[data-part="prove-helps"] tbody tr').first()).toContainText("at target");
  // A correction for each material, not one sentence for every link.
  await expect(page.locator('[data-part="prove-learned"] tbody tr', { hasText: "Rubble stone" }).first()).toBeVisible();
  await page.getByRole("button", { name: "Calibrate with these readings" }).click();
  await expect(page.locator('[data-part="prove-head"]')).toContainText("The plan stands on 26 readings");
  await saved(page);
  // How it stood is kept, and what differs stands beside it.
  await page.getByRole("link", { name: "As designed, built, proven" }).click();
  await ready(page);
  await expect(page.locator('[data-part="stages-kept"]')).toContainText("as designed");
  await expect(page.locator('[data-part="stages-table"] tbody tr').first()).toBeVisible();
  // It comes out of the metal: what was read of it before counts no longer. That it was done is on record: undo is of the plan.
  await page.getByRole("link", { name: "Measured against planned" }).click();
  await ready(page);
  await page.getByRole("button", { name: "Done: it is out of the metal" }).click();
  await expect(page.locator(".differs-card", { hasText: "Bath ceiling" })).toHaveCount(0);
  await page.getByRole("link", { name: "Readings", exact: true }).click();
  await ready(page);
  await page.getByText("that count no longer").click();
  await expect(page.locator("details", { hasText: "that count no longer" })).toContainText("taken out of metal");
  await page.keyboard.press("Control+z");
  await expect(page.locator("[data-saved]")).toHaveText("Undone");
  await expect(page.getByText("that count no longer")).toHaveCount(1);
});

test("the next reading is taken where it is asked for, and the list is another one then", async ({ page }) => {
  await open(page, `${MILL}/prove`);
  const first = page.locator(".next-list li").first();
  const asked = await first.innerText();
  await first.getByRole("link").click();
  await ready(page);
  await page.getByLabel("Level, dBm").fill("loud");
  await page.getByRole("button", { name: "Take it" }).click();
  await expect(page.getByRole("alert").filter({ hasText: "give a level in dBm" })).toBeVisible();
  await page.getByLabel("Level, dBm").fill("−88");
  await page.getByRole("button", { name: "Take it" }).click();
  await saved(page);
  await open(page, `${MILL}/prove`);
  await expect(page.locator(".lead")).toContainText("27 readings");
  await expect(page.locator(".next-list li").first()).not.toHaveText(asked);
});

test("acceptance is agreed, a device tested and signed for, and a client reads before and after", async ({ page }) => {
  await open(page, `${MILL}/prove/acceptance`);
  await expect(page.locator('[data-part="prove-head"]')).toContainText("Nobody has agreed");
  await page.getByRole("button", { name: "Every device" }).click();
  const rule = page.locator('form[data-key="acceptance"]');
  await rule.getByLabel("Sent at least").fill("3");
  await rule.getByLabel("Sent at least").blur();
  await saved(page);
  await rule.getByLabel("Agreed by").fill("Ada Penrose");
  await rule.getByLabel("Agreed by").blur();
  await saved(page);
  await expect(page.locator('[data-part="prove-head"]')).not.toContainText("Nobody has agreed");
  // Nobody signs without a name.
  await page.getByRole("button", { name: "Sign as it stands" }).click();
  await expect(page.getByText("give it a name")).toBeVisible();
  await page.getByLabel("Name").fill("Ada Penrose");
  await page.getByRole("button", { name: "Sign as it stands" }).click();
  await expect(page.locator('[data-part="accept-signed"]')).toContainText("Ada Penrose, client");
  await open(page, `${MILL}/prove/report`);
  await expect(page.getByRole("heading", { name: "before and after" })).toBeVisible();
  await expect(page.getByText("Surely reached")).toBeVisible();
  await expect(page.locator("article")).toContainText("Ada Penrose, client");
  await open(page, `${MILL}/prove/since`);
  await expect(page.locator(".lead")).toContainText("Proven 20");
});

test.describe("on a phone", () => {
  test.use({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });

  test("a remote is walked with: where one stands, heard or not, and what that proves", async ({ page }) => {
    await open(page, `${MILL}/walk`);
    const told = page.locator('[data-part="walk-told"]');
    await expect(told).toContainText("Not tested yet");
    await page.getByText("As it is lived with").click();
    await page.getByText("a body in the way").click();
    const plan = page.locator(".walk-plan svg");
    await plan.tap({ position: { x: 120, y: 90 } });
    await expect(page.locator("circle.stood")).toBeVisible();
    for (let n = 1; n <= 3; n += 1) {
      await page.getByRole("button", { name: "Heard", exact: true }).tap();
      await expect(told).toContainText(`${n} of ${n}`);
    }
    await expect(told).toContainText("3 of 3 shows that at least 44 % arrive");
    await page.getByRole("button", { name: "Not heard" }).tap();
    await expect(told).toContainText("3 of 4");
    await expect(page.locator(".mark")).toHaveCount(4);
    // A thumb times one: it was heard, and how long that took stands with it.
    await page.getByRole("button", { name: "Time a press" }).tap();
    await page.getByRole("button", { name: "It answers" }).tap();
    await expect(told).toContainText("4 of 5");
    const kept = await page.request.get(`${MILL}/record.json`);
    const timed = (await kept.json()).entries.map((e) => e.what).filter((w) => w.did === "pressed").pop();
    expect(timed.delay_ms).toBeGreaterThan(0);
    const width = await page.evaluate(() => document.documentElement.scrollWidth);
    expect(width).toBeLessThanOrEqual(390);
  });
});

test("what was told wrongly is struck in the journal, with its reason, and stands there struck", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/prove/readings");
  await page.request.post("/jobs/larkfield-mill/readings", {
    data: { csv: "mesh-meter,mesh-kit-isle,-31", edit_id: "wrong", client: "a" },
    headers: { origin: new URL(page.url()).origin },
  });
  await open(page, "/jobs/larkfield-mill/journal");
  await expect(page.getByRole("button", { name: "Undo in plan" })).toBeVisible();
  const line = page.locator("[data-record] tbody tr").first();
  await expect(line).toContainText("−31");
  await line.getByText("Strike", { exact: true }).click();
  await line.getByRole("button", { name: /Strike entry/ }).click();
  await expect(line.locator(".field-error")).toBeVisible();
  await line.getByLabel("Why it is wrong").fill("typed for another lamp");
  await line.getByRole("button", { name: /Strike entry/ }).click();
  await expect(page.locator("[data-record] tbody tr").first()).toContainText("typed for another lamp");
  await expect(page.locator("[data-record] tbody tr").nth(1).locator("s")).toContainText("−31");
});
