// Wrong input: answered beside its field, in words that say what to do, and nothing is lost.
import { clickSheet, expect, open, ready, test } from "./fixtures.mjs";
import { png } from "./png.mjs";

const saved = (page) => expect(page.locator("[data-saved]")).toHaveText("Saved");

test("images that are none, too large or damaged", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/survey?floor=bothy");
  const field = page.getByLabel("Plan image");
  const error = page.locator(".underlay-form .field-error");
  const bring = (buffer) => field.setInputFiles({ name: "plan.png", mimeType: "image/png", buffer });
  await bring(Buffer.alloc(0));
  await expect(error).toHaveText(/the file is empty/);
  await bring(Buffer.from("this is a shopping list, not a picture"));
  await expect(error).toHaveText(/neither a PNG nor a JPEG/);
  await bring(png(10_000, 10_000));
  await expect(error).toHaveText(/10000 × 10000 pixels; the most is 40 million/);
  await bring(png(300, 300).subarray(0, 60));
  await expect(error).toHaveText(/damaged/);
  await expect(page.locator(".plan image")).toHaveCount(0);
});

test("a broken job file", async ({ page }) => {
  await open(page, "/");
  const field = page.getByLabel("Job file (JSON)");
  const error = page.locator("form", { has: field }).locator(".field-error");
  for (const [text, words] of [
    ["", /empty/],
    ['{"format": "dot-reach-job", "version": 1, "site":', /this is no job file that was written here/],
    [
      '{"format": "shopping", "version": 1, "site": {"job": {"name": "x", "region": "eu", "confidence": 0.9}}}',
      /of the kind “shopping”/,
    ],
    ['{"format": "dot-reach-job", "version": 99, "site": {"job": {"name": "x", "region": "eu", "confidence": 0.9}}}', /version 99/],
  ]) {
    await field.setInputFiles({ name: "job.json", mimeType: "application/json", buffer: Buffer.from(text) });
    await page.getByRole("button", { name: "Open", exact: true }).click();
    await expect(error).toHaveText(words);
  }
});

test("of ten lines of readings three are bad: seven are taken, three listed by line", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/prove/readings");
  const before = await page.locator('[data-part="prove-table"] tbody tr').count();
  const good = (level) => `mesh-meter,mesh-util-light,${level},2026-04-01 10:00`;
  const lines = [
    good(-60), good(-61), "mesh-meter,nobody,-60,2026-04-01", good(-62), "mesh-meter,mesh-util-light,loud,2026-04-01",
    good(-63), good(-64), "mesh-meter,mesh-util-light,-60,yesterday", good(-65), good(-66),
  ];
  await page.getByLabel("or many lines").fill(lines.join("\n"));
  await page.getByRole("button", { name: "Take the readings" }).click();
  await expect(page.getByRole("status").filter({ hasText: "taken" })).toHaveText("7 taken.");
  const bad = page.locator(".field-errors li");
  await expect(bad).toHaveText([
    /line 1: no device is called “nobody”/, /line 2: “loud” is no level/, /line 3: “yesterday” is no time/,
  ]);
  await expect(page.locator('[data-part="prove-table"] tbody tr')).toHaveCount(before + 7);
  await expect(page.getByLabel("or many lines")).toHaveValue([2, 4, 7].map((n) => lines[n]).join("\n"));
});

test("a wall of no length, a height in words, a device outside the plan", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/survey?floor=ground");
  await page.getByText(/walls as a table/).click();
  for (const name of ["ax", "bx"]) await page.locator(`.typed-wall input[name="${name}"]`).fill("3");
  for (const name of ["ay", "by"]) await page.locator(`.typed-wall input[name="${name}"]`).fill("2,5");
  await page.getByRole("button", { name: "Draw it" }).click();
  await expect(page.locator('.typed-wall .field-error')).toHaveText(/at least 5 cm long/);
  await expect(page.locator('.typed-wall input[name="ax"]')).toHaveValue("3");

  const height = page.locator('form[data-key="floor"] input[name="height_m"]');
  await height.fill("high");
  await height.blur();
  await expect(page.locator(".field-error[data-shown]")).toContainText("“high” is no length; write a length as 3.8 m");
  await expect(height).toHaveValue("high");
  await height.fill("0");
  await height.blur();
  await expect(page.locator(".field-error[data-shown]")).toHaveText(/is 0.00 m; give 1 to 20 m/);
  await height.fill("2.6");
  await height.blur();
  await saved(page);
  await expect(page.locator(".field-error[data-shown]")).toHaveCount(0);

  await page.getByRole("link", { name: "Kitchen island", exact: true }).click();
  await expect(page.locator('form[data-key="point"] input[name="name"]')).toHaveValue("Kitchen island");
  await ready(page);
  await page.locator("summary", { hasText: "More of the place" }).click();
  const right = page.locator('input[name="at.0"]');
  await right.fill("95");
  await right.blur();
  await expect(page.locator("[data-mismatch]")).toContainText(/outside the drawn plan.*Draw the building there/);
  await expect(right).toHaveValue("95.00");
});

test("two windows on one device: the second is told, and may keep its own", async ({ page, context, app }) => {
  const other = await context.newPage();
  const address = `${app}/jobs/larkfield-mill/survey?point=kit-isle`;
  await open(page, address);
  await open(other, address);
  const name = (p) => p.locator('form[data-key="point"] input[name="name"]');
  // The second window does not hear of it: its channel is closed before the first one saves.
  await other.evaluate(() => { document.body.dataset.revision = "0"; });
  await other.route("**/survey**", (route) => route.abort());
  await name(page).fill("Island pendant");
  await name(page).blur();
  await saved(page);
  await other.evaluate(() => { document.body.dataset.revision = "0"; });
  await name(other).fill("Island lamps");
  await name(other).blur();
  const notice = other.locator("[data-notice]");
  await expect(notice).toContainText("changed Island pendant (name) after you saw it (revision 1).");
  await expect(notice).toContainText("Theirs: “Island pendant”; yours: “Island lamps”.");
  await expect(name(other)).toHaveValue("Island lamps");
  await other.unroute("**/survey**");
  await notice.getByRole("button", { name: "Keep mine" }).click();
  await expect(name(page)).toHaveValue("Island lamps");
  await other.close();
});

test("drawing: a click that is not on a wall opens nothing, Escape leaves the tool", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/survey?floor=ground");
  await page.keyboard.press("d");
  await clickSheet(page, [3, 3]);
  await expect(page.locator("[data-hint]")).toHaveText(/not on a wall/);
  await page.keyboard.press("Escape");
  await expect(page.getByRole("button", { name: "Select", exact: true })).toHaveAttribute("aria-pressed", "true");
  await ready(page);
});
