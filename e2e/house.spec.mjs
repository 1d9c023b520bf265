// A person's whole job: a house of their own from a plan image to the handover.
import { readFile } from "node:fs/promises";
import { clickSheet, expect, onSheet, open, ready, test } from "./fixtures.mjs";
import { twoRooms } from "./png.mjs";

const tool = (page, name) => page.getByRole("button", { name, exact: true }).click();
const saved = (page) => expect(page.locator("[data-saved]")).toHaveText("Saved");

/** The value of the choice with these words; keys and systems stand beside some of them. */
const valueOf = (page, label, words) => page.getByLabel(label).evaluate(
  (field, words) => [...field.options].find((o) => !o.hidden && o.textContent.includes(words)).value, words,
);
const kindOf = (page, kind) => valueOf(page, "Device to place", kind);
const networkOf = (page, network) => valueOf(page, "Network of new devices", network);

async function place(page, network, kind, name, spot) {
  await tool(page, "Device");
  await page.getByLabel("Network of new devices").selectOption(await networkOf(page, network));
  await page.getByLabel("Device to place").selectOption(await kindOf(page, kind));
  const before = page.url();
  await clickSheet(page, spot);
  await expect.poll(() => page.url(), "the new point is looked at").not.toBe(before);
  // A name is asked for at once: what is typed takes the place of what is offered.
  const asked = page.getByLabel("Name of the device just placed");
  await expect(asked).toBeFocused();
  await expect(asked).not.toHaveValue("");
  await page.keyboard.type(name);
  await page.keyboard.press("Enter");
  await saved(page);
  const field = page.locator('form[data-key="device"] input[name="name"]');
  await expect(field).toHaveValue(name);
}

test("a house of one's own, from its plan image to its handover", async ({ page }) => {
  await open(page, "/");
  await page.getByLabel("Name", { exact: true }).fill("Two rooms");
  await page.getByLabel("Region").selectOption("eu");
  await page.getByRole("button", { name: "Make the job" }).click();
  await page.waitForURL(/\/jobs\/two-rooms\/brief/);
  await page.getByRole("link", { name: "Go and draw" }).click();
  await page.waitForURL(/\/jobs\/two-rooms\/survey/);
  await ready(page);

  // The plan image, and its scale by two clicks and a typed length.
  await tool(page, "Add a storey");
  await page.waitForURL(/floor=/);
  await ready(page);
  await page.getByLabel("Plan image").setInputFiles({ name: "plan.png", mimeType: "image/png", buffer: twoRooms() });
  await expect(page.getByText("The scale is a guess")).toBeVisible();
  await ready(page);
  await tool(page, "Scale");
  await page.getByLabel("True length between the two places").fill("14");
  // 15 m across 800 pixels is the first guess: the outer walls stand 700 pixels apart.
  const guess = 15 / 800;
  await clickSheet(page, [50 * guess, 50 * guess]);
  await clickSheet(page, [750 * guess, 50 * guess]);
  await expect(page.getByText("The scale is set")).toBeVisible();
  await ready(page);
  const k = 0.02; // 14 m over 700 pixels
  const image = await page.locator(".plan image").evaluate((i) => ["x", "y", "width"].map((a) => Number(i.getAttribute(a)) / 100));
  expect(image[2]).toBeCloseTo(800 * k, 2);
  const at = ([x, y]) => [image[0] + x * k, image[1] + y * k];

  // The outer walls by clicks, the wall between by a typed length.
  await tool(page, "Wall");
  await page.getByLabel("Construction of new walls").selectOption({ label: "Single brick 102 mm" });
  for (const [drawn, corner] of [[50, 50], [750, 50], [750, 450], [50, 450], [50, 50]].entries()) {
    await clickSheet(page, at(corner));
    await expect(page.locator(".wall")).toHaveCount(drawn);
  }
  // The run ended where it began.
  await page.getByLabel("Construction of new walls").selectOption({ label: "Stud wall, 12.5 mm board both sides" });
  await clickSheet(page, at([400, 50]));
  await expect(page.locator('[data-run="done"]')).toBeEnabled();
  await page.getByLabel("Length of the next wall").fill("8");
  await clickSheet(page, at([402, 300]));
  await expect(page.locator(".wall")).toHaveCount(5);
  await page.keyboard.press("Escape");
  await page.getByText("5 walls as a table").click();
  await expect(page.locator(".wall-table td.num").filter({ hasText: "8.00" }).first()).toBeVisible();
  await tool(page, "Door");
  await clickSheet(page, at([400, 250]));
  await expect(page.locator(".gap.door")).toHaveCount(1);

  // A hub and six devices.
  await place(page, "Zigbee", "Hub", "My hub", at([100, 100]));
  await place(page, "Zigbee", "Switch, needs neutral", "Hall switch", at([360, 120]));
  await page.locator('form[data-key="point"] select[name="neutral"]').selectOption({ label: "absent, tested" });
  await expect(page.locator(".device-form h2 .verdict")).toHaveText(/does not fit/i);
  await expect(page.locator(".device-form .warn").first()).toContainText("it has none");
  await page.locator('form[data-key="point"] select[name="neutral"]').selectOption("seen");
  await expect(page.locator(".device-form h2 .verdict")).toHaveText("not known yet");
  await place(page, "Zigbee", "Plug-in socket", "Desk plug", at([700, 100]));
  await place(page, "Zigbee", "Sensor, battery", "Window sensor", at([720, 400]));
  await place(page, "Zigbee", "Hand remote, battery", "Remote", at([420, 420]));
  await place(page, "Z-Wave", "Hub", "Second hub", at([120, 300]));
  await place(page, "Z-Wave", "Switch, no neutral needed", "Bed switch", at([600, 430]));

  // Reach: everything is near, until the hub stands at the far end of a metal-lined room.
  await page.getByRole("link", { name: "Design", exact: true }).click();
  await ready(page);
  await page.getByRole("link", { name: /^Zigbee/ }).first().click();
  const row = (name) => page.locator(".row").filter({ hasText: name }).first();
  await row("Window sensor").locator("button.line").click();
  await expect(row("Window sensor").locator(".details")).toContainText("1 hop, 0 repeaters: My hub › Window sensor");
  await expect(page.locator(".stair")).toHaveCount(1);
  const margin = () => row("Window sensor").locator(".line .num").nth(1).innerText();
  const before = await margin();

  // Drag the hub: the ledger follows while it moves; undo brings the first number back.
  const hub = await onSheet(page, at([100, 100]));
  const there = await onSheet(page, at([690, 380]));
  await page.mouse.move(hub.x, hub.y);
  await page.mouse.down();
  await page.mouse.move(hub.x + 60, hub.y + 30, { steps: 4 });
  await expect.poll(margin, "the ledger follows the hand").not.toBe(before);
  await page.mouse.move(there.x, there.y, { steps: 8 });
  await page.mouse.up();
  await saved(page);
  await expect.poll(async () => parseFloat(await margin())).toBeGreaterThan(parseFloat(before) + 10);
  await page.keyboard.press("Control+z");
  await expect.poll(margin).toBe(before);
  await page.keyboard.press("Control+Shift+z");
  await expect.poll(margin).not.toBe(before);
  await page.keyboard.press("Control+z");
  await expect.poll(margin).toBe(before);

  // Prove: three readings, one typed and two pasted; they teach an offset.
  await page.getByRole("link", { name: "Prove", exact: true }).click();
  await ready(page);
  await page.getByRole("link", { name: "Readings", exact: true }).click();
  await ready(page);
  await page.getByLabel("From", { exact: true }).fill("My hub");
  await page.getByLabel("To", { exact: true }).fill("Hall switch");
  await page.getByLabel("Level, dBm").fill("-52");
  await page.getByLabel("or many lines").fill("My hub,Desk plug,-63,2026-05-02 10:00\nMy hub,Window sensor,-70,2026-05-02 10:05\n");
  await page.getByRole("button", { name: "Take the readings" }).click();
  await expect(page.getByRole("status").filter({ hasText: "taken" })).toHaveText("3 taken.");
  await expect(page.locator('[data-part="prove-table"] tbody tr')).toHaveCount(3);
  await page.getByRole("link", { name: "Measured against planned" }).click();
  await ready(page);
  await page.getByRole("button", { name: "Calibrate with these readings" }).click();
  await expect(page.locator('[data-part="prove-head"]')).toContainText("The plan stands on 3 readings");

  // Out and in again, equal.
  await page.getByRole("link", { name: "Handover", exact: true }).click();
  await expect(page.getByRole("heading", { name: "Two rooms" })).toBeVisible();
  const [file] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name: "Job file", exact: true }).click()]);
  const first = await readFile(await file.path());
  await open(page, "/");
  await page.getByLabel("Job file (JSON)").setInputFiles({ name: "job.json", mimeType: "application/json", buffer: first });
  await page.getByRole("button", { name: "Open", exact: true }).click();
  // It is here already, and just so: another copy is a choice.
  await expect(page.getByText("Two rooms is here already")).toBeVisible();
  await expect(page.getByText("The file holds just what is here.")).toBeVisible();
  await page.getByRole("button", { name: "Another copy" }).click();
  await page.waitForURL(/\/jobs\/two-rooms-2\/reach/);
  const again = await page.request.get("/jobs/two-rooms-2/two-rooms-2.json");
  // A copy is another job: all but its own id is as it was.
  const all = (text) => ({ ...JSON.parse(text), id: "" });
  expect(all(await again.text())).toEqual(all(first.toString()));
});
