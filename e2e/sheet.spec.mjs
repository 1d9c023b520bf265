// The survey at the speed of speech: a room by keyboard alone, pasted tables, a thumb on a phone.
import { clickSheet, expect, open, ready, test } from "./fixtures.mjs";

const saved = (page) => expect(page.locator("[data-saved]")).toHaveText("Saved");
const row = (page, name) => page.locator(`[data-grid] tbody tr[data-name="${name}"]`);
const cells = async (page, name) => row(page, name).locator("td").allInnerTexts();

test("a room is surveyed by keyboard alone, a switch point in twelve keys beyond its names", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/sheet?floor=stone");
  await page.locator("[data-grid] .here").press("End");
  for (let n = 0; n < 40; n += 1) await page.keyboard.press("ArrowDown");
  await page.keyboard.press("Home");
  await page.keyboard.press("ArrowRight");
  await page.keyboard.type("Hoist loft door");
  await page.keyboard.press("Tab");
  await page.keyboard.type("Hoist loft");
  let keys = 0;
  const press = async (key) => { keys += 1; await page.keyboard.press(key); };
  await press("Tab");
  // Kind, box, neutral by a letter each; the breaker; the group by its name, which stands in for one key
  // a letter; the load, how many, and the watts of each.
  await press("s");
  await press("p");
  await press("t");
  await press("7");
  await press("Tab");
  await page.keyboard.type("Stair");
  await press("Tab");
  await press("l");
  await press("4");
  await press("Tab");
  await press("8");
  await press("Tab");
  expect(keys).toBeLessThanOrEqual(12);
  await expect(row(page, "Hoist loft door")).toHaveCount(1);
  await expect.poll(() => cells(page, "Hoist loft door")).toEqual(
    expect.arrayContaining(["Hoist loft door", "Hoist loft", "switch", "plastic", "tested", "7", "Stair", "LED", "4", "8"]),
  );
  // Another place, alike, and filled down from the first.
  for (let n = 0; n < 40; n += 1) await page.keyboard.press("ArrowDown");
  await page.keyboard.press("Home");
  await page.keyboard.press("ArrowRight");
  await page.keyboard.type("Hoist loft stair head");
  await page.keyboard.press("Tab");
  await page.keyboard.press("Tab");
  await expect(row(page, "Hoist loft stair head")).toHaveCount(1);
  await expect.poll(() => cells(page, "Hoist loft stair head")).toEqual(expect.arrayContaining(["Hoist loft", "plastic"]));
  // What nobody can choose is said, and nothing is lost.
  for (let n = 0; n < 2; n += 1) await page.keyboard.press("ArrowRight");
  await page.keyboard.type("zz");
  await page.keyboard.press("Enter");
  await expect(page.locator("[data-grid-findings]")).toContainText("is none of t tested, s seen");
  const places = await page.locator("[data-grid] tbody tr").count();
  await page.keyboard.press("Control+z");
  await expect(page.locator("[data-grid] tbody tr")).toHaveCount(places - 1);
});

for (const [when, wait] of [["while nothing is answered yet", 700], ["once it is saved", 0]]) {
  test(`a page that was asked for before takes nothing of a row typed meanwhile, ${when}`, async ({ page, context, app }) => {
    const address = `${app}/jobs/larkfield-mill/sheet?floor=stone`;
    const other = await context.newPage();
    await open(page, address);
    await open(other, address);
    // The page is on its way when the row is begun.
    let release;
    const gate = new Promise((done) => { release = done; });
    let held = false;
    const asked = new Promise((done) => {
      page.route("**/sheet?floor=stone", async (route) => {
        if (held) return route.continue();
        held = true;
        const response = await route.fetch();
        done();
        await gate;
        await route.fulfill({ response });
      });
    });
    await page.route("**/edits", async (route) => {
      await new Promise((done) => { setTimeout(done, wait); });
      await route.continue();
    });
    await other.locator("[data-grid] tbody tr").first().locator("td").nth(2).click();
    await other.keyboard.type("Sluice");
    await other.keyboard.press("Tab");
    await asked;
    for (let n = 0; n < 40; n += 1) await page.keyboard.press("ArrowDown");
    await page.keyboard.press("Home");
    await page.keyboard.press("ArrowRight");
    for (const cell of ["Hoist loft door", "Hoist loft", "s"]) {
      await page.keyboard.type(cell);
      await page.keyboard.press("Tab");
    }
    if (wait === 0) await saved(page);
    const came = page.waitForEvent("requestfinished", (request) => request.headers()["x-anew"] !== undefined);
    release();
    await came;
    for (const cell of ["p", "t", "7", "", "l", "4", "8"]) {
      await page.keyboard.type(cell);
      await page.keyboard.press("Tab");
    }
    await expect.poll(() => cells(page, "Hoist loft door")).toEqual(
      expect.arrayContaining(["Hoist loft door", "Hoist loft", "switch", "plastic", "tested", "7", "LED", "4", "8"]),
    );
    await other.close();
  });
}

test("a table from a spreadsheet is pasted, its bad cells named; the sheet goes out as CSV", async ({ page, context }) => {
  await context.grantPermissions(["clipboard-read", "clipboard-write"]);
  await open(page, "/jobs/larkfield-mill/sheet?floor=ground&point=kit-main");
  const here = page.locator("[data-grid] .here");
  await expect(here).toHaveText("Kitchen ceiling");
  await here.press("ArrowRight");
  for (let n = 0; n < 3; n += 1) await page.keyboard.press("ArrowRight");
  await page.evaluate(() => navigator.clipboard.writeText("absent\t12\nmaybe\t12"));
  await page.keyboard.press("Control+v");
  await expect(page.locator("[data-grid-findings]")).toContainText("line 2");
  await expect.poll(() => cells(page, "Kitchen ceiling")).toEqual(expect.arrayContaining(["absent", "12"]));
  await expect.poll(() => cells(page, "Kitchen island")).toEqual(expect.arrayContaining(["seen", "12"]));
  const answer = await page.request.get("/jobs/larkfield-mill/points.csv");
  const columns = ["tag", "name", "room", "kind", "box", "neutral", "circuit", "group", "load", "count", "watts", "dims", "depth", "gangs"];
  const rest = ["earth", "note", "storey", "right_m", "down_m", "height_m"];
  expect((await answer.text()).split("\n")[0].split(",")).toEqual([...columns, ...rest]);
  // A file in another encoding is refused in words.
  const latin = Buffer.from("name\nK\u00fc\n", "latin1");
  await page.locator("[data-bring-points]").setInputFiles({ name: "points.csv", mimeType: "text/csv", buffer: latin });
  await expect(page.locator("[data-grid-findings]")).toContainText("save the table as CSV, UTF-8");
});

test("plan and sheet follow each other, and every fact says who found it out and how", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/sheet?floor=ground");
  await page.locator('.plan .dot[data-point="slu-light"]').click();
  await expect(page.locator("[data-grid] .here")).toHaveText("Sluice gallery");
  await expect(page.locator('.plan .dot[data-point="slu-light"]')).toHaveClass(/selected/);
  await page.locator("[data-how]").selectOption("told");
  await row(page, "Sluice gallery").locator("td").nth(6).click();
  await page.keyboard.type("9");
  await page.keyboard.press("Enter");
  await saved(page);
  await page.goto("/jobs/larkfield-mill/survey?point=slu-light");
  await ready(page);
  await page.locator("details[data-keep='facts'] summary").click();
  const fact = page.locator(".facts-table tr", { hasText: "breaker" });
  await expect(fact.locator("select")).toHaveValue("told");
});

test("a room is named by a click, an area drawn by its corners, tags can be switched off", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/survey?floor=stone");
  await page.keyboard.press("m");
  await clickSheet(page, [3, 7]);
  await expect(page.locator(".plan .room-name", { hasText: "Room" })).toHaveCount(1);
  await page.keyboard.type("Miller's floor");
  await page.keyboard.press("Enter");
  await expect(page.locator(".plan .room-name", { hasText: "Miller's floor" })).toHaveCount(1);
  await page.locator('[data-tool="area"]').click();
  await page.locator('[data-option="area-what"]').selectOption("stairwell");
  for (const corner of [[7, 1], [8, 1], [8, 2.4], [7, 2.4]]) await clickSheet(page, corner);
  await clickSheet(page, [7, 1]);
  await saved(page);
  const job = await (await page.request.get("/jobs/larkfield-mill/larkfield-mill.json")).json();
  const slab = job.site.slabs.find((s) => s.id === "s-under-stone");
  expect(slab.voids).toEqual([[[7, 1], [8, 1], [8, 2.4], [7, 2.4]]]);
  await page.locator("[data-labels]").click();
  await expect(page.locator(".plan .dot-name .tag").first()).toBeHidden();
  // Where no walls close, it is said.
  await page.keyboard.press("Escape");
  await page.keyboard.press("m");
  await clickSheet(page, [-0.8, -0.8]);
  await expect(page.locator("[data-notice]")).toContainText("no walls close around that place");
});

test.describe("on a phone", () => {
  test.use({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });
  test("one point a screen: thumbs choose, the camera's picture is kept without what it says of itself", async ({ page }) => {
    await open(page, "/jobs/larkfield-mill/sheet?point=kit-main");
    const card = page.locator("[data-card]");
    await expect(card).toContainText("Kitchen ceiling");
    await card.getByRole("group", { name: "Neutral" }).getByRole("button", { name: "absent" }).tap();
    const absent = card.getByRole("group", { name: "Neutral" }).getByRole("button", { name: "absent" });
    await expect(absent).toHaveAttribute("aria-pressed", "true");
    await expect(card.locator(".verdict")).toHaveText("does not fit");
    const box = await card.getByRole("button", { name: "metal" }).boundingBox();
    expect(box.height).toBeGreaterThanOrEqual(44);
    await card.locator("input[type=file]").setInputFiles("docs/screenshots/air.png");
    const photos = async () => (await (await page.request.get("/jobs/larkfield-mill/larkfield-mill.json")).json()).site.photos;
    await expect.poll(async () => (await photos()).length).toBe(1);
    const [kept] = await photos();
    expect(kept.point).toBe("kit-main");
    const photo = await page.request.get(`/images/${kept.image}`);
    expect(photo.headers()["content-type"]).toBe("image/jpeg");
    await card.getByRole("link", { name: "next" }).tap();
    await expect(page.locator("[data-card]")).toContainText("Kitchen island");
  });
});
