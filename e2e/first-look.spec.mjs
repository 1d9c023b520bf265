// What a first look asks: places that move, tools that speak, files that are known again, one Tab stop.
import { expect, onSheet, open, ready, test } from "./fixtures.mjs";
import { saved } from "./hand.mjs";

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
  await expect(page.locator(".reason-line")).toContainText("The hub");
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(page.locator(".positions tr", { hasText: "in the open" })).toHaveCount(1);
});

test("the filter looks in every network; the tools say what they hold; terms explain themselves", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/reach?network=star");
  const fact = (name) => page.locator(".facts details", { has: page.locator("summary", { hasText: name }) });
  const tools = fact(/^Hub/);
  await expect(tools).toBeInViewport({ ratio: 1 });
  await expect(tools).toContainText("closed metal cabinet");
  await page.getByPlaceholder(/Filter/).fill("kitchen island");
  await expect(page.locator(".found-in")).toContainText(/Nothing of “kitchen island” in Shades and lamps\. \d in Lighting mesh/);
  await page.locator(".found-in a").click();
  await expect(page.locator(".row .name", { hasText: "Kitchen island" })).toBeVisible();
  const target = fact(/^Target/);
  await target.locator("summary").click();
  await expect(target.locator("p")).toBeVisible();
  await page.getByPlaceholder(/Filter/).fill("no such thing");
  await expect(page.locator(".found-in")).toContainText("Nothing of “no such thing” in Lighting mesh. In no other network.");
  await open(page, "/jobs/larkfield-mill/schools");
  await expect(page.getByText("Three models of what a house does")).toBeVisible();
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
