// Houses that are lived in: what runs there is taken from its hub's list and laid on the plan, and the small job beside it
// is a few cards. Cards and taps of a thumb are counted, and printed beside what they may be.
import { expect, open, test } from "./fixtures.mjs";
import { HOUSES } from "./houses.mjs";
import { as, current, database, installCode, record, serving, site, steps } from "./phone.mjs";

test.use({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });

/** A test in a house of its own, with a thumb that counts. */
function walk(title, name, body) {
  test(title, async ({ page, context }) => {
    const { db } = database(JSON.stringify(HOUSES[name]()));
    const { program, url } = await serving(db);
    try {
      await as(context, url, "Ines Calder");
      await open(page, url);
      const home = await page.locator('a[href^="/jobs/"]').first().getAttribute("href");
      await body(page, { url, id: home.split("/")[2] });
    } finally {
      program.kill();
    }
  });
}

/** A thumb: every tap, every field that is filled and every choice is one. */
class Thumb {
  taps = 0;

  cards = 0;

  async tap(what) {
    this.taps += 1;
    await what.tap();
  }

  async fill(what, text) {
    this.taps += 1;
    await what.fill(text);
  }

  async choose(what, value) {
    this.taps += 1;
    await what.selectOption(value);
  }

  async tick(box) {
    if (await box.isChecked()) return;
    this.taps += 1;
    await box.check();
    await expect(box).toBeChecked();
  }
}

const cardOf = (page) => current(page).getAttribute("data-card");

/** Does the card that is shown, as somebody does who reads it: power by its own taps, life by its own ticks, the rest with one. */
async function doCard(page, thumb, answers = async () => {}) {
  const card = await cardOf(page);
  const parts = page.locator(`[data-move][data-card="${card}"]`);
  thumb.cards += 1;
  while (await parts.and(page.locator(":not([data-done])")).count() > 0) {
    const move = await current(page).getAttribute("data-move");
    const part = page.locator(`[data-move="${move}"]`);
    if (move.startsWith("isolate")) {
      await thumb.fill(part.locator('[data-field="tester"]'), "two-pole tester 4");
      await thumb.fill(part.locator('[data-field="told"]'), "Ada, until noon");
      await thumb.choose(part.locator('[data-field="secured"]'), "lock-and-notice");
    }
    const foot = parts.locator("[data-card-foot]:not([hidden]) [data-card-done]");
    if (await foot.count() === 0) {
      await thumb.tap(part.locator("button[data-done]"));
    } else {
      await answers(parts, thumb);
      for (const box of await parts.locator("[data-check][data-alone]:not(:disabled)").all()) await thumb.tick(box);
      await expect(parts.locator("label.why:visible")).toHaveCount(0);
      await expect(foot).toBeEnabled();
      await thumb.tap(foot);
      await expect(parts.and(page.locator(":not([data-done])"))).toHaveCount(0);
    }
    await expect(page.locator(`[data-move="${move}"][data-done]`)).toHaveCount(1);
  }
}

/** Every card of every stretch of the day. */
async function toTheEnd(page, { url, id }, thumb, answers) {
  await open(page, `${url}/jobs/${id}/install`);
  const stretches = await page.locator(".stretches a").evaluateAll((all) => all.map((a) => a.getAttribute("href")));
  for (const href of stretches) {
    await open(page, `${url}${href}`);
    while (await page.locator("[data-move]:not([data-done])").count() > 0) {
      const card = await cardOf(page);
      await doCard(page, thumb, answers);
      if (await page.locator("[data-move]:not([data-done])").count() > 0) await expect.poll(() => cardOf(page)).not.toBe(card);
    }
  }
}

/** What the cards of a mesh device ask for beside ticks. */
const ofMesh = async (parts, thumb) => {
  const code = parts.and(parts.page().locator('[data-of-step="code"]:not([data-done])'));
  for (const one of await code.all()) {
    await thumb.fill(one.locator('[data-field="text"]'), installCode(await one.getAttribute("data-device")));
  }
};

/** Nothing is off, and nothing was done against a rule. */
async function ended(page, { url, id }, devices) {
  const entries = await record(page, url, id);
  expect(entries.filter((e) => e.what.why)).toEqual([]);
  const count = (did) => entries.filter((e) => e.what.did === did).length;
  expect(count("energised")).toBe(count("isolated"));
  for (const device of devices) expect(steps(entries).some((s) => s.device === device && s.step === "tested"), device).toBe(true);
  return entries;
}

function told(title, thumb, most) {
  console.log(`${title}: ${thumb.cards} cards, ${thumb.taps} taps; at most ${most.cards} and ${most.taps}`);
  expect(thumb.cards).toBeLessThanOrEqual(most.cards);
  expect(thumb.taps).toBeLessThanOrEqual(most.taps);
}

walk("one switch beside a hub that runs: eight cards, with every step of safety", "beside-a-hub", async (page, job) => {
  const thumb = new Thumb();
  await toTheEnd(page, job, thumb, ofMesh);
  told("One switch beside a hub that runs", thumb, { cards: 8, taps: 25 });
  const entries = await ended(page, job, ["hall-switch"]);
  // Each thing that was looked at stands on record by itself.
  const looked = entries.map((e) => e.what).filter((w) => w.did === "ticked" && w.device === "hall-switch");
  const own = steps(entries).map((s) => s.step);
  for (const step of ["dead", "noted", "wired", "checked", "dry-fitted", "powered", "tested", "closed"]) expect(own).toContain(step);
  expect(looked.length).toBeGreaterThan(25);
  // Neither hub nor plug is bought or joined.
  expect(steps(entries).filter((s) => s.device !== "hall-switch")).toEqual([]);
  await open(page, `${job.url}/jobs/${job.id}/bill`);
  await expect(page.locator("main")).toContainText("Switch, needs neutral");
  await expect(page.locator("main")).not.toContainText("Plug-in socket");
});

walk("a switch without neutral and a button in a rented flat, beside a hub that runs", "rented", async (page, job) => {
  const thumb = new Thumb();
  await toTheEnd(page, job, thumb, ofMesh);
  // 38 cards and 70 taps before.
  told("A switch and a button in a rented flat", thumb, { cards: 14, taps: 40 });
  await ended(page, job, ["hall-switch", "button"]);
  await open(page, `${job.url}/jobs/${job.id}/handover`);
  await expect(page.locator("main")).not.toContainText("against the rule");
});

walk("a hub's list of forty is laid on the plan, each with a tap", "forty", async (page, job) => {
  const rooms = ["Hall", "Kitchen", "Study", "Parlour"];
  const kinds = ["dimmer", "plug-in socket", "motion sensor", "hand remote", "lamp"];
  const lines = Array.from({ length: 40 }, (_, n) => `${rooms[n % 4]} ${kinds[n % 5]} ${n};${n + 2};${kinds[n % 5]};${rooms[n % 4]}`);
  await open(page, `${job.url}/jobs/${job.id}/existing`);
  // What is no list says so beside the field, and nothing typed is lost.
  const thumb = new Thumb();
  await page.getByLabel("The list, pasted").fill(["name;number;model;room", ...lines, lines[3], "Hub;;hub;"].join("\n"));
  await page.getByRole("button", { name: "Take it in" }).tap();
  await expect(page.locator("[data-list-told]")).toContainText("40 taken in");
  await expect(page.locator("[data-list-findings]")).toContainText("stands in the list twice");
  await expect(page.locator("[data-list-findings]")).toContainText("is on the plan already");
  for (let left = 40; left > 0; left -= 1) {
    const card = page.locator("[data-entry]");
    const entry = await card.getAttribute("data-entry");
    const room = (await card.locator("h2").innerText()).split(" ")[0];
    // The room by its name stands first.
    const first = card.locator(".lay-at").last().locator("button").first();
    await expect(first).toHaveText(room);
    await thumb.tap(first);
    await expect(page.locator(`[data-entry="${entry}"]`)).toHaveCount(0);
  }
  console.log(`A hub's list of forty: ${thumb.taps} taps, ${thumb.taps / 40} each`);
  expect(thumb.taps / 40).toBeLessThan(2);
  const { devices, points, hub_entries: left } = await site(page, job.url, job.id);
  expect(left).toEqual([]);
  const there = devices.filter((d) => d.already_there === "yes");
  expect(there.length).toBe(41);
  const places = points.filter((p) => there.some((d) => d.point === p.id)).map((p) => p.at.join());
  expect(new Set(places).size).toBe(places.length);
  // Nothing of it is bought, and none of it is a card; undo takes the last one off the plan again.
  await open(page, `${job.url}/jobs/${job.id}/install`);
  await expect(page.locator(".stretches")).toHaveCount(0);
  await open(page, `${job.url}/jobs/${job.id}/existing`);
  await expect(page.locator("main")).toContainText("Nothing waits");
});
