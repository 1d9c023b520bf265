// A storey drawn and filled in few presses, put right by hand and keys.
import { clickSheet, expect, onSheet, ready, test } from "./fixtures.mjs";
import { counting, drawOuter, ends, newJob, saved, walls } from "./hand.mjs";
import { twoRooms } from "./png.mjs";

test("a first storey and its devices take half the presses they took", async ({ page }) => {
  await newJob(page, "In few presses");
  const hand = counting(page);
  // Six walls and eleven openings took 33; the storey makes itself.
  await hand.key("r");
  await hand.drag([1, 1], [11, 8]);
  await expect(walls(page)).toHaveCount(4);
  await hand.key("w");
  await hand.drag([6, 1], [6, 8]);
  await expect(walls(page)).toHaveCount(5);
  await hand.drag([1, 4.5], [6, 4.5]);
  await expect(walls(page)).toHaveCount(6);
  const gaps = page.locator(".gap");
  const dropped = async (spots, each) => {
    for (const spot of spots) {
      const before = await gaps.count();
      await hand.click(spot);
      await expect(gaps).toHaveCount(before + each);
    }
  };
  await hand.key("d");
  await dropped([[6, 2.6], [6, 6.6], [9, 8]], 1);
  await hand.key("n");
  await hand.key("2");
  await dropped([[3, 1], [11, 4.4], [1, 2.6], [3.2, 8]], 2);
  await expect(gaps).toHaveCount(11);
  expect(hand.count).toBeLessThanOrEqual(16);

  // Eleven devices of six kinds took 40.
  const devices = counting(page);
  const kinds = page.getByLabel("Device to place");
  await devices.key("p");
  const plan = [
    ["Hub", [[1.4, 1.6]]],
    ["Switch, no neutral", [[5.6, 2], [5.6, 5.4], [6.4, 3.4]]],
    ["Plug-in socket", [[2, 7.4], [10.4, 2]]],
    ["Sensor, battery", [[3, 4], [8, 1.6], [10, 7]]],
    ["Hand remote", [[4, 6], [8.6, 5]]],
  ];
  let placed = 0;
  for (const [kind, spots] of plan) {
    // The hub is the first of the list.
    if (kind !== "Hub") await devices.choose(kinds, kind);
    for (const spot of spots) {
      await devices.click(spot);
      placed += 1;
      await expect(page.locator(".dot")).toHaveCount(placed);
      await expect(page.getByLabel("Name of the device just placed")).toBeFocused();
    }
  }
  expect(placed).toBe(11);
  expect(devices.count).toBeLessThanOrEqual(20);
  const names = await page.locator(".dot").evaluateAll((dots) => dots.map((d) => d.getAttribute("aria-label")));
  expect(new Set(names).size).toBe(11);
  expect(names.every((name) => /^[A-Z]\d+ Ground floor /.test(name))).toBe(true);
});

test("lengths are typed without the mouse, and a run ends where it meets a wall", async ({ page }) => {
  await newJob(page, "By keys");
  await page.locator(".plan").focus();
  await page.keyboard.press("r");
  await page.keyboard.type("8");
  await page.keyboard.press("Tab");
  await page.keyboard.type("6,5");
  await page.keyboard.press("Enter");
  await expect(walls(page)).toHaveCount(4);
  expect(await ends(page)).toEqual(["0 0 8 0", "0 6.5 0 0", "8 0 8 6.5", "8 6.5 0 6.5"]);
  // A start measured from the corner along a wall, a length, an angle.
  await page.keyboard.press("w");
  const on = await onSheet(page, [1, 0.05]);
  await page.mouse.move(on.x, on.y);
  await page.keyboard.type("3.2");
  await page.keyboard.press("Enter");
  await expect(page.locator('[data-run="undo"]')).toBeEnabled();
  await page.keyboard.type("2.5");
  await page.keyboard.press("Tab");
  await page.keyboard.type("-90");
  await page.keyboard.press("Enter");
  await expect(walls(page)).toHaveCount(5);
  expect(await ends(page)).toContain("3.2 0 3.2 2.5");
  await page.keyboard.type("4.8");
  await page.keyboard.press("Tab");
  await page.keyboard.type("0");
  await page.keyboard.press("Enter");
  await expect(walls(page)).toHaveCount(6);
  expect(await ends(page)).toContain("3.2 2.5 8 2.5");
  // Undo last takes the wall and goes on from where it began; Done ends.
  await page.getByRole("button", { name: "Undo last" }).click();
  await expect(walls(page)).toHaveCount(5);
  await page.getByRole("button", { name: "Done" }).click();
  await expect(page.locator('[data-run="done"]')).toBeDisabled();

  // The arrows walk a cross over the sheet; Enter presses there.
  await page.locator(".plan").focus();
  await page.keyboard.press("p");
  await page.keyboard.press("ArrowRight");
  const words = await page.locator(".overlay-text").innerHTML();
  await page.keyboard.press("Enter");
  await expect(page.locator(".dot")).toHaveCount(1);
  const [right, down] = words.split(", ").map(Number);
  await expect(page.getByLabel("Right, m", { exact: true })).toHaveValue(right.toFixed(2));
  await expect(page.getByLabel("Down, m", { exact: true })).toHaveValue(down.toFixed(2));
  await page.keyboard.press("Enter");
  await page.getByLabel("From the left of the sheet").fill("2");
  await page.getByLabel("From the top of the sheet").fill("1,25");
  await page.keyboard.press("Enter");
  await expect(page.locator(".dot")).toHaveCount(2);
  await expect(page.locator('.dot[transform="translate(200 125)"]')).toHaveCount(1);
});

test("a double click draws nothing twice, and the plan stays where it is", async ({ page }) => {
  await newJob(page, "Twice");
  const top = () => page.locator(".plan").evaluate((plan) => plan.getBoundingClientRect().top);
  const before = await top();
  for (const name of ["Several", "Four walls", "Wall", "Door", "Window", "Opening", "Device", "Scale", "Select"]) {
    await page.getByRole("button", { name, exact: true }).click();
    expect(await top(), name).toBe(before);
  }
  await drawOuter(page);
  expect(await top()).toBe(before);
  await page.keyboard.press("w");
  const spot = await onSheet(page, [4, 4]);
  await page.mouse.dblclick(spot.x, spot.y);
  await expect(page.locator('[data-run="done"]')).toBeEnabled();
  await clickSheet(page, [5, 4]);
  await expect(walls(page)).toHaveCount(5);
  expect(await ends(page)).toContain("4 4 5 4");
  await page.keyboard.press("Escape");
  await page.keyboard.press("Escape");

  // Zoom has bounds; a double click, the button and the key show the whole plan again.
  const box = () => page.locator(".plan").getAttribute("viewBox");
  const whole = await box();
  for (const act of [() => page.mouse.dblclick(spot.x, spot.y), () => page.getByRole("button", { name: "Fit" }).click(), () => page.keyboard.press("0")]) {
    await page.mouse.move(spot.x, spot.y);
    for (let n = 0; n < 40; n += 1) await page.mouse.wheel(0, -400);
    const [, , width] = (await box()).split(" ").map(Number);
    expect(width).toBeGreaterThanOrEqual(149);
    await act();
    expect(await box()).toBe(whole);
  }
  for (let n = 0; n < 60; n += 1) await page.mouse.wheel(0, 400);
  const [, , wide] = (await box()).split(" ").map(Number);
  expect(wide).toBeLessThanOrEqual(Math.max(2000, 3 * Number(whole.split(" ")[2])));
});

test("walls and their ends are dragged with what is joined, by hand and by arrows", async ({ page }) => {
  await newJob(page, "Moved");
  await drawOuter(page);
  await page.keyboard.press("w");
  await clickSheet(page, [6, 1]);
  await expect(page.locator('[data-run="done"]')).toBeEnabled();
  await clickSheet(page, [6, 8]);
  await expect(walls(page)).toHaveCount(5);
  await page.keyboard.press("v");
  const hand = counting(page);
  await hand.drag([6, 4], [7, 4]);
  await expect.poll(() => ends(page)).toContain("7 1 7 8");
  // Chosen, it shows its ends; the outer wall takes its corners along.
  await hand.drag([11, 4], [12.5, 4]);
  await expect.poll(() => ends(page)).toContain("12.5 1 12.5 8");
  expect(await ends(page)).toContain("1 1 12.5 1");
  await expect(page.locator("[data-end]")).toHaveCount(2);
  await hand.drag([12.5, 8], [12.5, 9]);
  await expect.poll(() => ends(page)).toContain("12.5 1 12.5 9");
  expect(await ends(page)).toContain("12.5 9 1 8");
  await page.keyboard.press("Control+z");
  await expect.poll(() => ends(page)).toContain("12.5 8 1 8");
  await page.locator('[data-end="a"]').focus();
  await page.keyboard.press("ArrowUp");
  await expect.poll(() => ends(page)).toContain("12.5 0.9 12.5 8");
  await page.keyboard.press("Control+z");
  await clickSheet(page, [7, 4]);
  await expect(page.locator("[data-chosen-words]")).toHaveText("1 wall");
  await page.locator(".plan").focus();
  await page.keyboard.press("Control+ArrowLeft");
  await expect.poll(() => ends(page)).toContain("6 1 6 8");

  // A frame takes several; they move, go and come back as one.
  const before = await ends(page);
  await page.getByRole("button", { name: "Several", exact: true }).click();
  await hand.drag([0.4, 0.4], [13.2, 8.6]);
  await expect(page.locator("[data-chosen-words]")).toHaveText("5 walls");
  await hand.drag([6, 4], [6.5, 4.5]);
  await expect.poll(() => ends(page)).toContain("6.5 1.5 6.5 8.5");
  await page.keyboard.press("Control+z");
  await expect.poll(() => ends(page)).toEqual(before);
  await page.keyboard.press("Delete");
  await expect(walls(page)).toHaveCount(0);
  await expect(page.locator("[data-notice]")).toContainText("5 walls gone.");
  await page.locator("[data-notice]").getByRole("button", { name: "Undo" }).click();
  await expect.poll(() => ends(page)).toEqual(before);
});

test("the scale takes its length first or last, and the image steps back behind the walls", async ({ page }) => {
  for (const first of [true, false]) {
    await newJob(page, first ? "Length first" : "Length last");
    await page.getByRole("button", { name: "Add a storey" }).click();
    await page.waitForURL(/floor=/);
    await ready(page);
    await page.getByLabel("Plan image").setInputFiles({ name: "plan.png", mimeType: "image/png", buffer: twoRooms() });
    await expect(page.getByText("The scale is a guess")).toBeVisible();
    await ready(page);
    await page.keyboard.press("s");
    const length = page.getByLabel("True length between the two places");
    if (first) await length.fill("14");
    await clickSheet(page, [50 * 15 / 800, 50 * 15 / 800]);
    await clickSheet(page, [750 * 15 / 800, 50 * 15 / 800]);
    if (!first) {
      await expect(length).toBeFocused();
      await page.keyboard.type("14");
      await page.keyboard.press("Enter");
    }
    await expect(page.getByText("The scale is set")).toBeVisible();
    const wide = await page.locator(".plan image").evaluate((i) => Number(i.getAttribute("width")) / 100);
    expect(wide).toBeCloseTo(16, 1);
  }
  await ready(page);
  const seen = () => page.locator(".plan image").evaluate((i) => Number(getComputedStyle(i).opacity));
  const before = await seen();
  await page.getByLabel("How strongly it is seen").focus();
  await page.keyboard.press("Home");
  expect(await seen()).toBeLessThan(before);
});

test("a storey is named by its place, takes over walls, and the tool stays in hand", async ({ page }) => {
  await newJob(page, "Storeys");
  // Without a storey the tools offer one; the first press makes it too.
  await page.keyboard.press("w");
  await expect(page.getByRole("button", { name: "Begin with the ground floor" })).toBeVisible();
  await drawOuter(page);
  await expect(page.getByRole("button", { name: "Begin with the ground floor" })).toBeHidden();
  await page.keyboard.press("p");
  // Every system can be chosen, those in use first; a new network is made by the first device.
  const networks = page.getByLabel("Network of new devices");
  const groups = await networks.locator("optgroup").evaluateAll((all) => all.map((g) => [g.label, g.children.length]));
  expect(groups).toEqual([["in this job", 3], ["not yet used", 5]]);
  await networks.selectOption("new:thread");
  await page.getByLabel("Device to place").selectOption("sensor-battery");
  await clickSheet(page, [3, 3]);
  await expect(page.getByLabel("Name of the device just placed")).toHaveValue("Ground floor sensor");
  await page.keyboard.press("Enter");
  await page.getByText("Add a storey").click();
  await page.getByRole("button", { name: "on top, with the walls of Ground floor" }).click();
  await expect(page.locator('[data-part="storey-tabs"] a[aria-current]')).toHaveText("First floor");
  await ready(page);
  await expect(walls(page)).toHaveCount(4);
  await expect(page.locator('[data-tool="place"]')).toHaveAttribute("aria-pressed", "true");
  await expect(networks.locator("option:checked")).toHaveText("Thread");
  await expect(page.getByLabel("Device to place")).toHaveValue("sensor-battery");
  await clickSheet(page, [3, 3]);
  await expect(page.getByLabel("Name of the device just placed")).toHaveValue("First floor sensor");
  await page.keyboard.press("Enter");
  await page.locator('form[data-key="point"] [name="room"]').fill("Landing");
  await page.locator('form[data-key="point"] [name="room"]').blur();
  await saved(page);
  await clickSheet(page, [4, 4]);
  await expect(page.getByLabel("Name of the device just placed")).toHaveValue("Landing sensor");
});
