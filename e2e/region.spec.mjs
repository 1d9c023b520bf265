// What a hand types and draws: lengths in any unit, a region's own words, one press for one thing.
import { expect, open, ready, test } from "./fixtures.mjs";

const saved = (page) => expect(page.locator("[data-saved]")).toHaveText("Saved");
const site = (page, job = "larkfield-mill") => page.request.get(`/jobs/${job}/${job}.json`).then(async (r) => (await r.json()).site);
const field = (page, name) => page.locator(`form[data-key="point"] [name="${name}"]`).first();

test("any length is typed with its unit; in an American house feet and inches are shown and meant", async ({ page, app }) => {
  await open(page, `${app}/jobs/larkfield-mill/survey?point=kit-isle`);
  const height = async () => (await site(page)).points.find((p) => p.id === "kit-isle").height_m;
  await field(page, "height_m").fill("3'6\"");
  await field(page, "height_m").blur();
  await saved(page);
  expect(await height()).toBeCloseTo(1.0668, 6);
  await expect(field(page, "height_m")).toHaveValue("1.07");
  await field(page, "height_m").fill("waist");
  await field(page, "height_m").blur();
  await expect(page.locator(".field-error[data-shown]")).toContainText("“waist” is no length; write a length as 3.8 m");
  await field(page, "height_m").fill("1.2");
  await field(page, "height_m").blur();
  await saved(page);
  // The country of the house says how its lengths are written, and what its parts are called.
  await page.goto(`${app}/jobs/larkfield-mill/brief`);
  await ready(page);
  await page.locator('[name="wiring_country"]').selectOption("us");
  await saved(page);
  await page.goto(`${app}/jobs/larkfield-mill/survey?point=kit-isle`);
  await ready(page);
  await expect(page.getByLabel(/^Height, ft/).first()).toHaveValue("3′ 11¼″");
  await expect(page.getByLabel("Depth, in", { exact: true }).first()).toHaveValue(/″$/);
  await expect(page.locator('form[data-key="point"] select[name="kind"]').first()).toContainText("receptacle");
  await expect(page.locator('form[data-key="point"] select[name="kind"]').first()).not.toContainText("socket");
  await expect(page.locator("[data-scale-bar]")).toContainText("ft");
  await field(page, "height_m").fill("4");
  await field(page, "height_m").blur();
  await saved(page);
  expect(await height()).toBeCloseTo(1.2192, 6);
  await page.goto(`${app}/jobs/larkfield-mill/handover`);
  await ready(page);
  await expect(page.locator("main")).toContainText("Lengths are in feet and inches; the files keep metres.");
  const csv = await (await page.request.get(`${app}/jobs/larkfield-mill/points.csv`)).text();
  expect(csv).toMatch(/1\.2192/);
  expect(csv).not.toContain("″");
  // Whoever sits here may want metres in every job.
  await page.goto(`${app}/jobs/larkfield-mill/brief`);
  await ready(page);
  const again = page.waitForEvent("load");
  await page.getByLabel("Lengths on my screen, in every job").selectOption("metric");
  await again;
  await ready(page);
  await page.goto(`${app}/jobs/larkfield-mill/survey?point=kit-isle`);
  await ready(page);
  await expect(page.getByLabel(/^Height, m/).first()).toHaveValue("1.22");
});

test("walls are typed in feet, and Enter repeats nothing that is drawn", async ({ page, app }) => {
  const made = await page.request.post(`${app}/jobs`, { data: { name: "Hand", region: "us", confidence: 0.95 } });
  const { location } = await made.json();
  const job = location.match(/jobs\/([^/?]+)/)[1];
  await open(page, `${app}/jobs/${job}/survey`);
  await page.locator(".plan").focus();
  await page.keyboard.press("r");
  await page.keyboard.type("32'6\"");
  await page.keyboard.press("Tab");
  await page.keyboard.type("24 ft");
  await page.keyboard.press("Enter");
  await expect(page.locator(".wall")).toHaveCount(4);
  await saved(page);
  const { walls } = await site(page, job);
  const sides = walls.map((w) => Math.hypot(w.b[0] - w.a[0], w.b[1] - w.a[1])).sort((a, b) => a - b);
  expect(sides[0]).toBeCloseTo(7.315, 2);
  expect(sides[3]).toBeCloseTo(9.906, 2);
  await page.locator(".plan").focus();
  for (let n = 0; n < 3; n += 1) await page.keyboard.press("Enter");
  await expect(page.locator("[data-hint]")).toContainText("That is drawn.");
  await expect(page.locator(".wall")).toHaveCount(4);
  await expect(page.locator("[data-notice]")).toBeHidden();
});

test("twenty quick undos ask for nothing that is refused", async ({ page, app }) => {
  await open(page, `${app}/jobs/larkfield-mill/survey?point=kit-isle`);
  const refused = [];
  page.on("response", (r) => { if (r.status() >= 400) refused.push(`${r.status()} ${r.url()}`); });
  for (let n = 0; n < 20; n += 1) {
    await field(page, "note").fill(`note ${n}`);
    await field(page, "note").blur();
    await saved(page);
  }
  await page.locator(".plan").focus();
  for (let n = 0; n < 20; n += 1) await page.keyboard.press("Control+z");
  await expect.poll(async () => (await site(page)).points.find((p) => p.id === "kit-isle").note).not.toMatch(/^note/);
  await expect(page.locator("[data-saved]")).toHaveText("Undone");
  expect(refused).toEqual([]);
});

test("what does not fit leads to where that is mended, and words are explained by one tap", async ({ page, app }) => {
  await open(page, `${app}/jobs/larkfield-mill/survey?point=kit-isle`);
  await field(page, "neutral").selectOption("absent");
  await saved(page);
  const way = page.locator(".ways li", { hasText: "relay module up at the fitting" }).first();
  await expect(way).toBeVisible();
  const before = (await site(page)).points.length;
  await way.getByRole("button", { name: "Plan it there" }).click();
  await expect.poll(async () => (await site(page)).points.length).toBe(before + 1);
  const { points, groups, devices } = await site(page);
  const fitting = points.find((p) => p.id === "kit-isle-fitting");
  expect(fitting.kind).toBe("ceiling");
  expect(groups.some((g) => g.places.includes(fitting.id) && g.places.includes("kit-isle"))).toBe(true);
  expect(devices.some((d) => d.point === fitting.id)).toBe(true);
  await page.getByRole("button", { name: "Words", exact: true }).click();
  await expect(page.locator("#words")).toBeVisible();
  await expect(page.locator("#words dt", { hasText: "inrush" })).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(page.locator("#words")).toBeHidden();
});
