// Plans of other programs come in as one change; a storey goes out and an independent reader reads it.
import { execFileSync } from "node:child_process";
import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, open, ready, test } from "./fixtures.mjs";

const job = async (page, id = "larkfield-mill") => (await (await page.request.get(`/jobs/${id}/${id}.json`)).json()).site;

test("a DXF is looked at, its layers chosen, taken in as one change and undone", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/plans");
  const before = (await job(page)).walls.length;
  await page.locator("input[name=file]").setInputFiles("crates/formats/tests/samples/room-two-lines.dxf");
  await expect(page.locator("[data-plan-layers] tr")).toHaveCount(2);
  await page.locator("[name=floor]").selectOption({ label: "Bothy" });
  await page.locator("[name=two]").check();
  await expect(page.locator("[data-plan-sums]")).toHaveText("4 walls with 1 opening. The drawing is then 4.00 m across.");
  await expect(page.locator("[data-plan-findings]")).toContainText("texts left out: 1");
  await page.locator("[data-plan-layers] select").last().selectOption("walls stud-wall");
  await page.getByRole("button", { name: "Take it in" }).click();
  await page.waitForURL(/survey\?floor=bothy/);
  await ready(page);
  const after = await job(page);
  expect(after.walls.length).toBe(before + 4);
  expect(after.walls.filter((w) => w.construction === "stud-wall" && w.floor === "bothy").length).toBe(4);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await job(page)).walls.length).toBe(before);
});

test("what is no plan is refused beside the file, and nothing is lost", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/plans");
  const choose = (name, buffer) => page.locator("input[name=file]").setInputFiles({ name, mimeType: "application/octet-stream", buffer });
  const error = page.locator("[data-plan-error]");
  const big = join(mkdtempSync(join(tmpdir(), "plan-")), "big.dxf");
  writeFileSync(big, Buffer.alloc(34 * 1024 * 1024, "0\nLINE\n"));
  await page.locator("input[name=file]").setInputFiles(big);
  await expect(error).toContainText("32 MB is the most");
  await choose("bomb.svg", Buffer.from('<!DOCTYPE svg [<!ENTITY a "b">]><svg xmlns="http://www.w3.org/2000/svg">&a;</svg>'));
  await expect(error).toContainText("save it as plain SVG without them");
  await choose("words.txt", Buffer.from("just words"));
  await expect(error).toContainText("neither DXF nor SVG nor GeoJSON");
  const drawn = '<g id="Walls"><path d="M0 0H8V6" stroke="black" fill="none"/></g>';
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><script>alert(1)</script>${drawn}</svg>`;
  await choose("run.svg", Buffer.from(svg));
  await expect(page.locator("[data-plan-findings]")).toContainText("nothing in a plan is run");
  await page.locator("[name=unit]").fill("0");
  await page.locator("[name=unit]").blur();
  await expect(page.locator("[data-plan-findings]")).toContainText("a unit of the file is");
});

test("a page of a PDF is drawn here and lies under the sheet at its own scale", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/plans");
  await page.locator("input[name=file]").setInputFiles("e2e/samples/two-pages.pdf");
  await expect(page.locator("[data-plan-sums]")).toHaveText("Page 1 of 2.");
  await page.locator("[name=page]").selectOption("2");
  await page.locator("[name=scale]").fill("50");
  await page.locator("[name=scale]").blur();
  // 720 by 576 points are 10 by 8 inches: at 1 : 50 that is 12.70 by 10.16 m.
  await expect(page.locator("[data-plan-size]")).toContainText("12.70 by 10.16 m");
  await page.getByRole("button", { name: "Take it in" }).click();
  await page.waitForURL(/survey\?floor=/);
  await ready(page);
  await expect(page.locator(".plan image")).toHaveCount(1);
  const { floors } = await job(page);
  const { underlay } = floors.find((f) => f.id === "ground");
  expect(underlay.width_px * underlay.metres_per_px).toBeCloseTo(12.7, 1);
  expect(underlay.scaled).toBe(true);
});

test("a storey that goes out as DXF is read by an independent reader", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/plans");
  const answer = await page.request.get("/jobs/larkfield-mill/plan?floor=ground&format=dxf");
  const file = join(mkdtempSync(join(tmpdir(), "plan-")), "ground.dxf");
  writeFileSync(file, await answer.body());
  const told = JSON.parse(execFileSync(process.env.PYTHON ?? "python3", ["e2e/read_dxf.py", file], { encoding: "utf8" }));
  const walls = (await job(page)).walls.filter((w) => w.floor === "ground");
  expect(told.errors).toBe(0);
  expect(told.unit).toBe(6);
  const length = walls.reduce((sum, { a, b }) => sum + Math.hypot(a[0] - b[0], a[1] - b[1]), 0);
  expect(told.wall_length).toBeCloseTo(length, 6);
  expect(told.walls).toBe(walls.length);
  expect(told.texts).toContain("K4");
});

test("the Mill's bill is whole, printed and taken along", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/bill");
  const total = parseFloat(await page.locator("[data-bill-total]").innerText());
  const costs = await page.locator(".bill-page h2 .quiet").allInnerTexts();
  expect(costs.map(parseFloat).reduce((a, b) => a + b, 0)).toBeCloseTo(total, 2);
  const csv = await (await page.request.get("/jobs/larkfield-mill/bill.csv")).text();
  expect(Number(csv.trim().split("\n").at(-1).split(",")[4])).toBeCloseTo(total, 2);
  await expect(page.locator(".bill tr", { hasText: "Wired companion" })).toContainText("14.00");
  // A price of this job's own changes the sum by as much as was bought.
  await page.goto("/jobs/larkfield-mill/library");
  await ready(page);
  await page.getByRole("button", { name: "Change A visit" }).click();
  const visit = page.locator('form[data-id="call-out"] input');
  await visit.fill("80");
  await visit.blur();
  await expect(page.locator("[data-saved]")).toHaveText("Saved");
  await page.goto("/jobs/larkfield-mill/bill");
  await ready(page);
  const visits = Number(await page.locator(".bill tr", { hasText: "A visit" }).locator("td").nth(1).innerText());
  const now = async () => parseFloat(await page.locator("[data-bill-total]").innerText());
  await expect.poll(now).toBeCloseTo(total + 20 * visits, 2);
  await page.emulateMedia({ media: "print" });
  await expect(page.locator(".under-head")).toBeHidden();
  expect((await page.pdf({ format: "A4" })).length).toBeGreaterThan(10_000);
});

test("the firm's library is begun with by new jobs, and jobs keep what they began with", async ({ page }) => {
  await open(page, "/library");
  await page.goto("/jobs/library/library?kind=dimmer-neutral");
  await ready(page);
  await page.getByRole("button", { name: "own, to change it" }).click();
  const price = page.locator('form[data-key="device-kind"] [name="fit.price"]');
  await expect(price).toBeEnabled();
  await price.fill("-3");
  await price.blur();
  await expect(page.locator(".field-error")).toContainText("give 0 to");
  await price.fill("51.5");
  await price.blur();
  await expect(page.locator("[data-saved]")).toHaveText("Saved");
  const made = await page.request.post("/jobs", { data: { name: "Orchard Lodge", region: "eu", confidence: 0.95 } });
  const { location } = await made.json();
  expect(location).toBe("/jobs/orchard-lodge/brief");
  await page.locator('form[data-key="device-kind"] [name="fit.price"]').fill("60");
  await page.locator('form[data-key="device-kind"] [name="fit.price"]').blur();
  await expect(page.locator("[data-saved]")).toHaveText("Saved");
  const kinds = (await job(page, "orchard-lodge")).kinds;
  expect(kinds.find((k) => k.id === "dimmer-neutral").fit.price).toBe(51.5);
  await page.goto("/");
  await expect(page.locator("main")).not.toContainText("Library of the firm");
});
