// Planning in the demo house: what needs someone, what-ifs, the staircase, the other storeys.
import { expect, open, ready, test } from "./fixtures.mjs";

const row = (page, name) => page.locator(".row").filter({ has: page.getByText(name, { exact: true }) });

test("a planner finds what is out, why, and moves the hub into the open", async ({ page }) => {
  await open(page, "/");
  await page.getByRole("link", { name: /Larkfield Mill/ }).click();
  await page.waitForURL(/reach/);
  await ready(page);
  // The network with the most trouble stands open, its worst device first.
  await expect(page.locator(".row").first()).toHaveClass(/out/);
  const out = await page.locator(".row.out").count();
  expect(out).toBeGreaterThan(0);
  await expect(page.locator(".details .reason")).toContainText(/too far|cannot answer|Only/);
  const finding = page.locator(".row", { has: page.locator(".line .name", { hasText: /^Hub, / }) }).first();
  await finding.locator("button.line").click();
  await expect(page.locator(".details")).toContainText("closed metal cabinet");
  // What is told of the device may grow while the hand is on its way.
  await expect(async () => {
    if (!/\/survey/.test(page.url())) await page.locator(".details").getByRole("link", { name: "Open in Survey" }).click();
    await page.waitForURL(/\/survey/, { timeout: 10_000 });
  }).toPass();
  await ready(page);
  await page.locator('form[data-key="point"] select[name="mounting"]').selectOption({ label: "in the open" });
  await expect(page.locator("[data-saved]")).toHaveText("Saved");
  await page.getByRole("link", { name: "Design", exact: true }).click();
  await ready(page);
  await expect.poll(() => page.locator(".row.out").count()).toBeLessThan(out);
});

test("a plug that is promised to stay in carries others, and takes them down when it dies", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/reach?network=star&select=star-wing-rem");
  await expect(page.locator(".row.selected .reason")).toContainText("Only Sluice uplighter would carry it");
  await open(page, "/jobs/larkfield-mill/survey?point=slu-lamp");
  await page.getByLabel("someone can cut its supply").uncheck();
  await expect(page.locator("[data-saved]")).toHaveText("Saved");

  await open(page, "/jobs/larkfield-mill/reach?network=star&select=star-slu-lamp");
  await expect(row(page, "Hoist loft remote")).not.toHaveClass(/ out/);
  const details = page.locator(".row.selected .details");
  await expect(details).toContainText("these are lost");
  const lost = (await details.innerText()).match(/these are lost: (.*)\./)[1].split(", ");
  expect(lost).toContain("Hoist loft remote");
  await page.getByRole("button", { name: "What if it is off?" }).click();
  await expect(page.locator(".whatifs")).toContainText("Sluice uplighter is off");
  for (const name of lost) await expect(row(page, name)).toHaveClass(/out/);
  await page.getByRole("button", { name: "Sluice uplighter is off ×" }).click();
  for (const name of lost) await expect(row(page, name)).not.toHaveClass(/ out/);
});

test("the staircase names every wall, and a step shows its wall on the plan", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/reach?network=mesh&select=mesh-slu-light");
  const step = page.locator(".terms li[data-wall-ref]").first();
  await expect(step).toBeVisible();
  const wall = await step.getAttribute("data-wall-ref");
  await step.click();
  await expect(page.locator(`.wall[data-wall="${wall}"]`)).toHaveClass(/shown/);
  // The terms add up to the level that arrives.
  const stair = page.locator(".stair").first();
  const number = (text) => parseFloat(text.replace("−", "-"));
  const losses = await stair.locator(".terms li:not(.other-way) .num").allInnerTexts();
  const sent = number((await stair.locator(".start-text").innerHTML()).trim());
  const received = number(await stair.locator(".line-text.strong").innerHTML());
  const sum = losses.reduce((total, text) => total + number(text), sent);
  expect(Math.abs(sum - received)).toBeLessThan(0.06 * losses.length);
});

test("the section opens a storey; doors and the command box go where they say", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/reach?network=star");
  await page.locator(".storeys").getByRole("link", { name: "First floor" }).click();
  await page.waitForURL(/floor=first/);
  await ready(page);
  await expect(page.getByRole("group", { name: "Plan of First floor" })).toBeVisible();
  const lines = () => page.locator('[data-part="plan-lines"] .contour.target').getAttribute("d");
  const shut = await lines();
  await page.getByLabel("How doors stand").selectOption("open");
  await expect.poll(lines).not.toBe(shut);
  await page.keyboard.press("Escape");
  await page.locator("h2").first().click();
  await page.keyboard.press("/");
  await page.keyboard.type("Bothy heater, Heating");
  await page.keyboard.press("Enter");
  await page.waitForURL(/select=heat-both-heat/);
  await expect(page.locator(".row.selected .name")).toHaveText("Bothy heater");
});

test("by keyboard alone: a dot is chosen, moved and put back", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/reach?network=mesh&floor=ground");
  const dot = page.locator('.dot[data-device="mesh-kit-isle"]');
  await dot.focus();
  await page.keyboard.press("Enter");
  await expect(page.locator(".row.selected .name")).toHaveText("Kitchen island");
  const place = () => dot.getAttribute("transform");
  const before = await place();
  await dot.focus();
  await page.keyboard.press("Shift+ArrowLeft");
  await expect.poll(place).not.toBe(before);
  await page.keyboard.press("Control+z");
  await expect.poll(place).toBe(before);
});
