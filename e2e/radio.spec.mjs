// The radio heart on screen: the air, three schools, the calculator, surfaces, chances.
import { clickSheet, expect, open, ready, test } from "./fixtures.mjs";

const saved = (page) => expect(page.locator("[data-saved]")).toHaveText("Saved");

test("a planner chooses the channel that the adviser scores best", async ({ page }) => {
  await open(page, "/jobs/flat-12-quay-court/reach?network=thread");
  await page.getByRole("link", { name: "Channels and the air" }).click();
  await ready(page);
  const rows = page.locator(".channels tbody tr");
  await expect(rows).toHaveCount(16);
  await expect(page.locator(".channels tr.selected td").first()).toHaveText("15");
  const best = rows.filter({ hasText: "Best." });
  const channel = await best.locator("td").first().innerText();
  await best.getByRole("button").click();
  await saved(page);
  await expect(page.locator(".channels tr.selected td").first()).toHaveText(channel);
  // A busy mesh on the same channel costs repeats at once.
  const sends = async () => Number(await page.locator(".channels tr.selected td").nth(6).innerText());
  const before = await sends();
  await page.getByRole("button", { name: "Add a foreign mesh" }).click();
  await saved(page);
  const made = page.locator("form.thing", { hasText: "802.15.4 channel" }).last();
  await made.getByLabel("802.15.4 channel").fill(channel);
  await made.getByLabel("802.15.4 channel").blur();
  await made.getByLabel("Busy, 0 to 1").fill("0.6");
  await made.getByLabel("Busy, 0 to 1").blur();
  await expect.poll(sends).toBeGreaterThan(before);
  await saved(page);
  await made.getByLabel("802.15.4 channel").fill("40");
  await made.getByLabel("802.15.4 channel").blur();
  await expect(page.locator(".field-error[data-shown], [data-notice]:visible")).toContainText("11 to 26");
});

test("a scan comes in by lines; bad ones are named and kept", async ({ page }) => {
  await open(page, "/jobs/flat-12-quay-court/air");
  const lines = ["time,channel,dBm", "2026-02-03 18:20,wifi 3/40,-61", "2026-02-03 18:21,z22,-70", "2026-02-03 18:22,99,-50", "soon,6,-50"];
  await page.getByLabel("Lines of time, channel or name, dBm").fill(lines.join("\n"));
  await page.getByRole("button", { name: "Take the scan" }).click();
  await expect(page.getByRole("status").filter({ hasText: "taken" })).toHaveText("2 taken.");
  await expect(page.locator(".field-errors li")).toHaveText([/line 1: .*11 to 26/, /line 2: “soon” is no time/]);
  await expect(page.locator('[data-part="air-scans"]')).toContainText("Wi-Fi 3, 40 MHz");
});

test("a construction is built from layers and used on the plan", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/constructions");
  const straight = page.locator(".calculator tbody tr", { hasText: "2440 MHz" }).locator("td").nth(1);
  await expect(straight).not.toHaveText("");
  const light = parseFloat(await straight.innerText());
  const layers = page.getByLabel("Layers from face to face");
  await layers.fill("concrete:200");
  await expect.poll(async () => parseFloat(await straight.innerText())).toBeGreaterThan(light + 10);
  for (const [text, words] of [["cheese:10", /no material is called “cheese”/], ["brick:0", /0.01 to 5000 mm/], ["brick", /not material:millimetres/], [Array(200).fill("brick:1").join(","), /1 to 64 layers/]]) {
    await layers.fill(text);
    await expect(page.locator(".calculator .field-error:visible")).toHaveText(words);
    await expect(layers).toHaveValue(text);
  }
  await layers.fill("concrete:150,air:40,plasterboard:12.5");
  await page.getByLabel("Name", { exact: true }).fill("Lined concrete");
  await page.getByRole("button", { name: "Use it in this job" }).click();
  await expect(page.locator('[data-part="own-constructions"]')).toContainText("Lined concrete");
  await open(page, "/jobs/larkfield-mill/survey?wall=w013");
  await page.locator('form[data-key="wall"] select[name="construction"]').selectOption({ label: "Lined concrete" });
  await saved(page);
});

test("three schools stand side by side and say what they assume", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/schools?network=mesh");
  await expect(page.locator(".three .card h2")).toHaveText(["Wall by wall", "Site-general", "Rule of thumb"]);
  await expect(page.locator("tbody tr.differs").first()).toBeVisible();
  await expect(page.getByText("more than 10 dB")).toBeVisible();
});

test("a press anywhere on the plan asks about that spot; surfaces and exports follow", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/reach?network=mesh&floor=first");
  await clickSheet(page, [15, 2.4]);
  await expect(page.locator(".foot-head h2")).toContainText(/^Where the decibels go: Hub, Zigbee.* and a sensor at this spot$/);
  await expect(page.locator(".spot")).toHaveCount(1);
  await page.getByLabel("What the plan shows").selectOption({ label: "hops" });
  await expect(page.locator(".legend")).toContainText("1 hop");
  await page.getByLabel("Height of what is carried").fill("2,2");
  await page.getByLabel("Height of what is carried").blur();
  await page.waitForURL(/height=2/);
  const answer = async (name) => {
    const href = await page.getByRole("link", { name, exact: true }).getAttribute("href");
    return (await page.request.get(href)).text();
  };
  await expect.poll(() => answer("CSV")).toMatch(/^x_m,y_m,hops/);
  const geo = JSON.parse(await answer("GeoJSON"));
  expect(geo.type).toBe("FeatureCollection");
  expect(geo.features.length).toBeGreaterThan(3);
});

test("many houses are drawn, with progress, and the chance stands beside each device", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/reach?network=heat");
  await page.getByRole("button", { name: "How sure is all of it?" }).click();
  await expect(page.locator(".facts")).toContainText("All reached");
  await expect(page.locator(".details")).toContainText(/Reached in \d+ % of 2000 houses drawn/);
});

test("a data sheet beyond what the region allows is kept and found, with the limit named", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/survey?point=kit-isle");
  await page.getByText("Data sheet", { exact: true }).click();
  const tx = page.locator('input[name="sheet.tx_dbm"]');
  await tx.fill("30");
  await tx.blur();
  await expect(page.locator("[data-mismatch]")).toContainText("may radiate 20.0 dBm (EN 300 328");
  await expect(page.locator("[data-mismatch]")).toContainText("Set the power that its sheet states for this region");
  // What was opened stays open.
  await tx.fill("19");
  await tx.blur();
  await saved(page);
  await expect(page.locator("[data-mismatch]")).toHaveCount(0);
});
