// The first hour of a new user: a storey drawn and filled in few presses, put right by hand and keys,
// read against what is told elsewhere, printed, and done again on a phone.
import { clickSheet, expect, onSheet, open, ready, test } from "./fixtures.mjs";
import { twoRooms } from "./png.mjs";

const saved = (page) => expect(page.locator("[data-saved]")).toHaveText("Saved");
const walls = (page) => page.locator("[data-ends]");
const ends = (page) => walls(page).evaluateAll((all) => all.map((w) => w.dataset.ends).sort());

async function newJob(page, name) {
  await open(page, "/");
  await page.getByLabel("Name", { exact: true }).fill(name);
  await page.getByLabel("Region").selectOption("eu");
  await page.getByRole("button", { name: "Make the job" }).click();
  await page.waitForURL(/\/survey/);
  await ready(page);
}

/** A hand that counts: each press, drag and key is one. */
function counting(page) {
  let count = 0;
  return {
    get count() { return count; },
    async key(key) { count += 1; await page.keyboard.press(key); },
    async click(spot) { count += 1; await clickSheet(page, spot); },
    async press(locator) { count += 1; await locator.click(); },
    /** The list opens with one press, and another chooses. */
    async choose(field, words) {
      count += 2;
      const value = await field.evaluate((f, w) => [...f.options].find((o) => !o.hidden && o.textContent.includes(w)).value, words);
      await field.selectOption(value);
    },
    async drag(from, to) {
      count += 1;
      const [a, b] = [await onSheet(page, from), await onSheet(page, to)];
      await page.mouse.move(a.x, a.y);
      await page.mouse.down();
      await page.mouse.move(b.x, b.y, { steps: 6 });
      await page.mouse.up();
    },
  };
}

async function drawOuter(page, from = [1, 1], to = [11, 8]) {
  await page.keyboard.press("r");
  await clickSheet(page, from);
  await expect(page.locator('[data-run="done"]')).toBeEnabled();
  await clickSheet(page, to);
  await expect(walls(page)).toHaveCount(4);
}

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
  await page.getByLabel("Metres from the left of the sheet").fill("2");
  await page.getByLabel("Metres from the top of the sheet").fill("1,25");
  await page.keyboard.press("Enter");
  await expect(page.locator(".dot")).toHaveCount(2);
  await expect(page.locator('.dot[transform="translate(200 125)"]')).toHaveCount(1);
});

test("a double click draws nothing twice, and the plan stays where it is", async ({ page }) => {
  await newJob(page, "Twice");
  const top = () => page.locator(".plan").evaluate((plan) => plan.getBoundingClientRect().top);
  const before = await top();
  for (const name of ["Frame", "Four walls", "Wall", "Door", "Window", "Opening", "Device", "Scale", "Select"]) {
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
  await page.getByRole("button", { name: "Frame", exact: true }).click();
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

test("a source on the air stands on the plan and is dragged there", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/survey?floor=ground");
  const source = page.locator('.dot[data-kind="emitter"]');
  await expect(source).toHaveCount(1);
  const { x, y } = await source.locator("use").boundingBox().then((b) => ({ x: b.x + b.width / 2, y: b.y + b.height / 2 }));
  await page.mouse.click(x, y);
  await expect(page.getByRole("heading", { name: "Source on the air" })).toBeVisible();
  const right = page.getByLabel("Right, m", { exact: true });
  const before = await right.inputValue();
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + 80, y + 20, { steps: 6 });
  await page.mouse.up();
  await saved(page);
  await expect.poll(async () => Number(await right.inputValue())).toBeGreaterThan(Number(before) + 1);
  await page.keyboard.press("Control+z");
  await expect(right).toHaveValue(before);
});

test("the hub is tried in the open and wherever a person clicks, each with its number on the plan", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/hub?network=star");
  await expect(page.locator(".positions tr", { hasText: "in the open" })).toHaveCount(1);
  const listed = await page.locator(".positions tbody tr").count();
  await expect.poll(() => page.locator(".mark").count()).toBeGreaterThan(2);
  const spot = await onSheet(page, [12, 4]);
  await page.mouse.click(spot.x, spot.y);
  await page.waitForURL(/spots=/);
  await ready(page);
  const marked = page.locator(".positions tr", { hasText: / m right, [\d.]+ m down/ });
  await expect(marked).toHaveCount(1);
  await expect(page.locator(".positions tbody tr")).toHaveCount(listed + 1);
  const rank = await marked.locator("td").first().innerText();
  await expect(page.locator(".mark text").getByText(rank, { exact: true })).toHaveCount(1);
  await marked.getByRole("button", { name: "Stand it here" }).click();
  await saved(page);
  await expect(page.locator(".reason-line")).toContainText("places analysed");
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(page.locator(".positions tr", { hasText: "in the open" })).toHaveCount(1);
});

test("the filter looks in every network; the tools say what they hold; terms explain themselves", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/reach?network=star");
  const tools = page.locator(".reach-tools");
  await expect(tools).toBeInViewport({ ratio: 1 });
  await expect(tools).toContainText("closed metal cabinet");
  await page.getByPlaceholder(/Filter/).fill("kitchen island");
  await expect(page.locator(".found-in")).toContainText(/Nothing of “kitchen island” in Shades and lamps\. \d in Lighting mesh/);
  await page.locator(".found-in a").click();
  await expect(page.locator(".row .name", { hasText: "Kitchen island" })).toBeVisible();
  const target = page.locator(".facts details", { hasText: "Target" });
  await target.locator("summary").click();
  await expect(target.locator("p")).toBeVisible();
  await page.getByPlaceholder(/Filter/).fill("no such thing");
  await expect(page.locator(".found-in")).toContainText("Nothing of “no such thing” in Lighting mesh. In no other network.");
  await open(page, "/jobs/larkfield-mill/schools");
  await expect(page.getByText("A school is a way of reckoning")).toBeVisible();
});

test("the file of a job that is here brings it up to date, and that is undone", async ({ page }) => {
  await open(page, "/jobs/flat-12-quay-court/survey");
  const file = async () => (await page.request.get("/jobs/flat-12-quay-court/flat-12-quay-court.json")).text();
  const first = await file();
  await page.locator("[data-point-row]").first().click();
  await ready(page);
  const name = page.getByLabel("Name of the place");
  await name.fill("Renamed meanwhile");
  await name.blur();
  await saved(page);
  await page.request.post("/jobs/flat-12-quay-court/edits", { data: { edit_id: "gone", client: "other", edit: { do: "remove", kind: "floor", id: JSON.parse(first).site.floors[0].id } } });
  expect(await file()).not.toBe(first);
  await open(page, "/");
  await page.getByLabel("Job file (JSON)").setInputFiles({ name: "job.json", mimeType: "application/json", buffer: Buffer.from(first) });
  await page.getByRole("button", { name: "Open", exact: true }).click();
  await expect(page.getByText("Flat 12, Quay Court is here already")).toBeVisible();
  await expect(page.getByText("The file holds just what is here.")).toBeHidden();
  await page.getByRole("button", { name: "Bring it up to date" }).click();
  await page.waitForURL(/\/jobs\/flat-12-quay-court\/reach/);
  await ready(page);
  expect(await file()).toBe(first);
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(page.locator("[data-saved]")).toHaveText("Undone");
  expect(await file()).not.toBe(first);
});

test("400 dots are one stop of the Tab key, with arrows inside", async ({ page }) => {
  await open(page, "/jobs/tern-row-guesthouse/survey");
  expect(await page.locator(".dot").count()).toBeGreaterThan(50);
  await expect(page.locator('.dot[tabindex="0"]')).toHaveCount(1);
  await page.locator('.dot[tabindex="0"]').focus();
  const focused = () => page.evaluate(() => document.activeElement.dataset.point);
  const first = await focused();
  const places = await page.locator(".dot").evaluateAll((all) => all.map((d) => d.getAttribute("transform")));
  const seen = new Set([first]);
  for (const key of ["ArrowLeft", "ArrowUp", "ArrowRight", "ArrowDown", "ArrowLeft", "ArrowUp"]) {
    await page.keyboard.press(key);
    seen.add(await focused());
  }
  expect(seen.size).toBeGreaterThan(3);
  await expect(page.locator('.dot[tabindex="0"]')).toHaveCount(1);
  expect(await page.locator(".dot").evaluateAll((all) => all.map((d) => d.getAttribute("transform")))).toEqual(places);
});

/** Small print: every visible text with how large it is drawn, in pixels of the window. */
const sizes = (page) => page.evaluate(() => {
  const found = [];
  const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  for (let node = walk.nextNode(); node; node = walk.nextNode()) {
    const holder = node.parentElement;
    if (!node.data.trim() || !holder.checkVisibility() || holder.closest("option, title, .sr-only, script")) continue;
    const size = parseFloat(getComputedStyle(holder).fontSize);
    const drawn = holder.ownerSVGElement ? holder.getScreenCTM() : null;
    found.push({ text: node.data.trim().slice(0, 30), svg: Boolean(drawn), size: drawn ? size * Math.hypot(drawn.a, drawn.b) : size });
  }
  return found;
});

for (const address of ["/", "/jobs/larkfield-mill/survey", "/jobs/larkfield-mill/reach?network=mesh", "/jobs/larkfield-mill/install", "/jobs/larkfield-mill/prove", "/jobs/larkfield-mill/handover", "/jobs/larkfield-mill/air", "/jobs/larkfield-mill/hub", "/jobs/larkfield-mill/controls"]) {
  test(`small print can be read, and twice as large nothing is lost: ${address}`, async ({ page }) => {
    await open(page, address);
    const small = (await sizes(page)).filter(({ svg, size }) => size < (svg ? 10.95 : 11.95));
    expect(small).toEqual([]);
    await page.evaluate(() => { document.documentElement.style.fontSize = "200%"; });
    const lost = await page.evaluate(() => {
      const out = [];
      for (const control of document.querySelectorAll("button, input, select, textarea, a, summary, .name")) {
        if (!control.checkVisibility({ checkVisibilityCSS: true }) || control.closest(".skip, svg, .notice, .waiting")) continue;
        const box = control.getBoundingClientRect();
        if (box.width === 0) continue;
        // What cannot be scrolled into view is lost; a name is lost where nothing of it is left.
        let [left, right] = [box.left, box.right];
        for (let holder = control.parentElement; holder; holder = holder.parentElement) {
          if (["auto", "scroll"].includes(getComputedStyle(holder).overflowX)) { left = 0; right = 0; break; }
        }
        if (left < -1 || right > innerWidth + 1 || (control.matches(".name") && box.width < 40)) out.push(control.outerHTML.slice(0, 80));
      }
      return out;
    });
    expect(lost).toEqual([]);
  });
}

test("nothing is cut off under the decibel pane, and no name of a level lies on a line", async ({ page }) => {
  for (const look of ["network=star", "network=mesh&floor=stone", "network=mesh&select=mesh-kit-isle"]) {
    await open(page, `/jobs/larkfield-mill/reach?${look}`);
    const pane = await page.locator(".stairs").boundingBox();
    for (const terms of await page.locator(".terms").all()) {
      const { y, height } = await terms.boundingBox();
      expect(await terms.evaluate((e) => e.scrollHeight - e.clientHeight), look).toBeLessThanOrEqual(1);
      expect(y + height, look).toBeLessThanOrEqual(pane.y + pane.height + 1);
    }
    expect(await page.locator(".stairs").evaluate((e) => e.scrollWidth - e.clientWidth), look).toBeLessThanOrEqual(1);
    const crossed = await page.locator(".stair svg").evaluateAll((all) => all.flatMap((svg) => {
      const lines = [...svg.querySelectorAll(".wants, .needs-line, .quiet-line")].map((l) => l.getBBox());
      const names = [...svg.querySelectorAll(".line-text")].map((t) => [t.textContent, t.getBBox()]);
      return names.filter(([, n]) => lines.some((l) => l.x + l.width > n.x + 1 && l.y > n.y && l.y < n.y + n.height)).map(([text]) => text);
    }));
    expect(crossed, look).toEqual([]);
  }
});

test("Reach and handover print as sheets", async ({ page }) => {
  await page.setViewportSize({ width: 703, height: 1009 });
  await open(page, "/jobs/larkfield-mill/reach?network=mesh&floor=ground");
  await page.emulateMedia({ media: "print" });
  await expect(page.getByRole("heading", { name: "Larkfield Mill: Ground floor, Lighting mesh" })).toBeVisible();
  await expect(page.locator(".legend")).toBeVisible();
  for (const part of [".head", ".reach-tools", ".section-pane", ".foot-pane", ".ledger-tools", ".zoom"]) {
    await expect(page.locator(part)).toBeHidden();
  }
  // The whole ledger, not what fits a pane.
  const rows = page.locator(".row");
  expect(await rows.last().evaluate((row) => row.closest(".ledger").scrollHeight - row.closest(".ledger").clientHeight)).toBeLessThanOrEqual(1);
  await page.emulateMedia({ media: null });
  await open(page, "/jobs/larkfield-mill/handover");
  await page.emulateMedia({ media: "print" });
  await expect(page.locator(".handover .legend")).toBeVisible();
  const labels = (await sizes(page)).filter(({ svg }) => svg);
  expect(labels.length).toBeGreaterThan(20);
  // 7 pt are 9.33 CSS pixels.
  expect(labels.filter(({ size }) => size < 9.33)).toEqual([]);
  const tall = await page.locator(".sheet-print").evaluateAll((all) => Math.max(...all.map((f) => f.getBoundingClientRect().height)));
  expect(tall, "what does not fit any more leaves less than half a page").toBeLessThan(1009 / 2);
});

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

  for (const stage of ["brief", "survey", "reach?network=mesh", "install", "prove", "handover", "journal"]) {
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
    await open(page, "/jobs/larkfield-mill/install");
    await context.setOffline(true);
    await page.locator(".tick-box").first().tap();
    await expect(page.locator("[data-waiting]")).toContainText("1 change waits");
    await page.evaluate(() => window.scrollTo(0, document.body.scrollHeight));
    await expect(page.locator("[data-waiting]")).toBeInViewport({ ratio: 1 });
    await expect(page.locator("[data-saved]")).toBeInViewport();
    await context.setOffline(false);
    await expect(page.locator("[data-waiting]")).toBeHidden({ timeout: 15_000 });
  });
});
