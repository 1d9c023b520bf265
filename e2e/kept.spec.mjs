// What is done is kept: without a connection, in two tabs, against others, with a slow or a broken
// channel.
import { clickSheet, expect, nothingWaits, onSheet, open, test } from "./fixtures.mjs";

const MILL = "/jobs/larkfield-mill";
const field = (page, name) => page.locator(`form[data-key="point"] [name="${name}"]`);
const saved = (page) => expect(page.locator("[data-saved]")).toHaveText(/Saved|changed it/);
const shown = async (page) => Number(await page.locator("[data-revision]").getAttribute("data-revision"));
const waiting = (page, n) => expect(page.locator("[data-saved]")).toHaveText(`${n} waiting`);

async function job(page) {
  return (await (await page.request.get(`${MILL}/larkfield-mill.json`)).json()).site;
}
const point = async (page, id) => (await job(page)).points.find((p) => p.id === id);

async function type(page, name, text) {
  await field(page, name).fill(text);
  await field(page, name).blur();
}

test("what is changed without a connection waits here and goes out in its order", async ({ page, context }) => {
  await open(page, `${MILL}/survey?point=kit-isle`);
  await context.setOffline(true);
  await type(page, "name", "Island lamps");
  await waiting(page, 1);
  await type(page, "height_m", "2.1");
  await waiting(page, 2);
  await type(page, "name", "Island lights");
  await expect(page.locator("[data-waiting]")).toContainText("3 changes wait here for the connection");
  await page.locator("[data-waiting] summary").click();
  await expect(page.locator("[data-waiting] p")).toHaveText("point: name, point: height m, point: name.");
  expect((await point(page, "kit-isle")).name).toBe("Kitchen island");
  await context.setOffline(false);
  await saved(page);
  const now = await point(page, "kit-isle");
  expect([now.name, now.height_m]).toEqual(["Island lights", 2.1]);
  await nothingWaits(page);
  // Each was one step of the journal, and each can be taken back.
  await page.keyboard.press("Escape");
  await page.locator('[data-act="undo"]').click();
  await expect(field(page, "name")).toHaveValue("Island lamps");
});

test("two tabs share one queue, and nothing of it is sent twice", async ({ page, context, app }) => {
  const other = await context.newPage();
  await open(page, `${app}${MILL}/survey?point=kit-isle`);
  await open(other, `${app}${MILL}/survey?point=kit-heat`);
  const before = await shown(page);
  await context.setOffline(true);
  await type(page, "note", "from the first tab");
  await waiting(page, 1);
  await type(other, "note", "from the second tab");
  await waiting(other, 2);
  await waiting(page, 2);
  await context.setOffline(false);
  await saved(page);
  await saved(other);
  const points = (await job(page)).points;
  const note = (id) => points.find((p) => p.id === id).note;
  expect([note("kit-isle"), note("kit-heat")]).toEqual(["from the first tab", "from the second tab"]);
  await expect.poll(() => shown(page)).toBe(before + 2);
  await other.close();
});

test("a bad gateway, no answer at all and a page that is loaded again lose nothing", async ({ page }) => {
  const edits = `**${MILL}/edits`;
  await open(page, `${MILL}/survey?point=kit-isle`);
  await page.route(edits, (route) => route.fulfill({ status: 502, contentType: "text/html", body: "<h1>Bad gateway</h1>" }));
  await type(page, "note", "behind a gateway");
  await waiting(page, 1);
  await expect(page.locator("[data-waiting]")).not.toContainText("Not taken");
  await page.unroute(edits);
  await saved(page);
  expect((await point(page, "kit-isle")).note).toBe("behind a gateway");
  // Sent, and never answered: the page is gone before anybody knows.
  await page.route(edits, () => {});
  await type(page, "note", "on its way");
  await expect(page.locator("[data-saved]")).toHaveText("Saving…");
  await page.reload();
  await page.unroute(edits);
  await expect.poll(async () => (await point(page, "kit-isle")).note).toBe("on its way");
  await nothingWaits(page);
});

test("a phone without room says at once what is not recorded", async ({ page, context }) => {
  await open(page, `${MILL}/survey?point=kit-isle`);
  await context.setOffline(true);
  await page.evaluate(() => {
    IDBObjectStore.prototype.put = () => { throw new DOMException("no room", "QuotaExceededError"); };
  });
  await type(page, "note", "no room for this");
  await expect(page.locator("[data-notice]")).toContainText("It is not recorded: write it down");
  await expect(page.locator("[data-saved]")).not.toHaveText("Saved");
  await expect(field(page, "note")).toHaveValue("no room for this");
});

test("what waits outlives a new release", async ({ page, context }) => {
  await open(page, `${MILL}/survey?point=kit-isle`);
  await context.setOffline(true);
  await type(page, "note", "done before the release");
  await waiting(page, 1);
  await page.route(`**${MILL}/edits`, async (route) => {
    const answer = await route.fetch();
    await route.fulfill({ response: answer, headers: { ...answer.headers(), "x-build": "another" } });
  });
  await context.setOffline(false);
  await expect(page.locator("[data-notice]")).toContainText("The program was renewed");
  expect((await point(page, "kit-isle")).note).toBe("done before the release");
  await page.locator("[data-notice]").getByRole("button", { name: "Load it again" }).click();
  await expect(field(page, "note")).toHaveValue("done before the release");
});

test("what was refused stays in view until a person decides", async ({ page, context, app }) => {
  await open(page, `${MILL}/survey?point=kit-isle`);
  await context.setOffline(true);
  await type(page, "height_m", "2.1");
  await waiting(page, 1);
  const edit = { do: "set", kind: "point", id: "kit-isle", field: "height_m", value: 1.9 };
  const taken = await page.request.post(`${app}${MILL}/edits`, { data: { edit, edit_id: "theirs", client: "another" } });
  expect(taken.ok()).toBe(true);
  await context.setOffline(false);
  const refused = page.locator("[data-waiting] .refused");
  await expect(refused).toContainText("Theirs: 1.9; yours: 2.1");
  await expect(page.locator("[data-saved]")).toHaveText("1 not taken");
  await page.reload();
  await expect(refused).toContainText("Theirs: 1.9; yours: 2.1");
  await refused.getByRole("button", { name: "Keep mine" }).click();
  await expect(refused).toHaveCount(0);
  await expect.poll(async () => (await point(page, "kit-isle")).height_m).toBe(2.1);
});

test("a wall ends where it was snapped, however slow the answer", async ({ page }) => {
  await page.routeWebSocket(/\/live(\?|$)/, (socket) => {
    const server = socket.connectToServer();
    server.onMessage((message) => setTimeout(() => socket.send(message), 1200));
  });
  await open(page, `${MILL}/survey?floor=bothy`);
  const walls = async () => (await job(page)).walls.filter((w) => w.floor === "bothy");
  const before = await walls();
  const [from, to] = [before[0].a, before[0].b];
  await page.keyboard.press("w");
  // A hand is a few centimetres off, and goes on moving while the answers are under way.
  await clickSheet(page, [from[0] + 0.07, from[1] + 0.05]);
  await clickSheet(page, [(from[0] + to[0]) / 2 + 1.1, (from[1] + to[1]) / 2 + 0.9]);
  for (let n = 0; n < 5; n += 1) {
    const { x, y } = await onSheet(page, [from[0] + n * 0.3, from[1] + n * 0.2]);
    await page.mouse.move(x, y);
  }
  await expect.poll(async () => (await walls()).length).toBe(before.length + 1);
  const made = (await walls()).find((w) => !before.some((b) => b.id === w.id));
  expect(made.a).toEqual(from);
});

test("a channel that drops ends no live preview, and what was missed is asked for", async ({ page, app }) => {
  let first = true;
  await page.routeWebSocket(/\/live(\?|$)/, (socket) => {
    const server = socket.connectToServer();
    socket.onMessage((message) => {
      // The first question takes the channel with it.
      if (first && message.includes('"preview"')) {
        first = false;
        server.close();
        socket.close();
      } else server.send(message);
    });
    server.onMessage((message) => socket.send(message));
  });
  await open(page, `${MILL}/reach?network=mesh&floor=ground&select=mesh-kit-isle`);
  const before = await shown(page);
  const at = (await point(page, "kit-isle")).at;
  const from = await onSheet(page, at);
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move(from.x + 20, from.y + 8, { steps: 3 });
  await expect.poll(() => first).toBe(false);
  const edit = { do: "set", kind: "job", id: "job", field: "note", value: "while the channel was gone" };
  await page.request.post(`${app}${MILL}/edits`, { data: { edit, edit_id: "missed", client: "another" } });
  await page.waitForFunction(() => document.documentElement.dataset.live === "true");
  await page.mouse.move(from.x + 50, from.y + 20, { steps: 6 });
  await expect.poll(() => page.evaluate(() => Number(document.documentElement.dataset.previewed ?? 0))).toBeGreaterThan(0);
  await page.mouse.up();
  await saved(page);
  await expect.poll(() => shown(page)).toBe(before + 2);
});

test("words for those who cannot see are there for those who cannot see", async ({ page }) => {
  await open(page, `${MILL}/prove/readings`);
  for (const hidden of await page.locator(".sr-only").all()) {
    expect(await hidden.evaluate((e) => getComputedStyle(e).display)).not.toBe("none");
  }
  await expect(page.getByRole("columnheader", { name: "Remove" })).toHaveCount(1);
});
