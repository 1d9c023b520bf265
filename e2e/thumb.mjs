// What a thumb does on the cards of a day: every tap, every field that is filled and every choice is counted.
import { expect, open, test } from "./fixtures.mjs";
import { as, current, database, installCode, record, serving, steps } from "./phone.mjs";

/** A test in a house of its own, of which `make` gives the job file. */
export function walk(title, make, body) {
  test(title, async ({ page, context }) => {
    const { db } = database(JSON.stringify(make()));
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
export class Thumb {
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

/** Until all of these moves are over; it looks at each frame, where an assertion looks once a second. */
export const over = (page, moves) => page.waitForFunction((moves) => {
  const left = [...document.querySelectorAll("[data-move]:not([data-done])")];
  const isInHand = moves.includes(document.querySelector("[data-current]")?.dataset.move);
  return left.every((m) => !moves.includes(m.dataset.move)) && (left.length === 0 || !isInHand);
}, moves);

export const cardOf = (page) => current(page).getAttribute("data-card");

/** Does the card that is shown, as somebody does who reads it: power by its own taps, life by its own ticks, the rest with one. */
export async function doCard(page, thumb, answers = async () => {}) {
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
      // Nothing goes on record against a rule, or for want of something, without its reason.
      const unsaid = parts.locator('label.why:visible [data-field="why"]');
      await expect.poll(() => unsaid.evaluateAll((all) => all.filter((i) => !i.value).length)).toBe(0);
      await expect(foot).toBeEnabled();
      const left = await parts.and(page.locator(":not([data-done])")).evaluateAll((all) => all.map((m) => m.dataset.move));
      await thumb.tap(foot);
      await over(page, left);
    }
    // The page goes on by itself: what is done is not the one in hand.
    await over(page, [move]);
    await expect(page.locator(`[data-move="${move}"][data-done]`)).toHaveCount(1);
  }
}

/** Every card of every stretch of the day. */
export async function toTheEnd(page, { url, id }, thumb, answers) {
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
export const ofMesh = async (parts, thumb) => {
  const code = parts.and(parts.page().locator('[data-of-step="code"]:not([data-done])'));
  for (const one of await code.all()) {
    await thumb.fill(one.locator('[data-field="text"]'), installCode(await one.getAttribute("data-device")));
  }
};

/** Nothing is off, and nothing was done against a rule. */
export async function ended(page, { url, id }, devices) {
  const entries = await record(page, url, id);
  expect(entries.filter((e) => e.what.why)).toEqual([]);
  const count = (did) => entries.filter((e) => e.what.did === did).length;
  expect(count("energised")).toBe(count("isolated"));
  for (const device of devices) expect(steps(entries).some((s) => s.device === device && s.step === "tested"), device).toBe(true);
  return entries;
}

export function told(title, thumb, most) {
  console.log(`${title}: ${thumb.cards} cards, ${thumb.taps} taps; at most ${most.cards} and ${most.taps}`);
  expect(thumb.cards).toBeLessThanOrEqual(most.cards);
  expect(thumb.taps).toBeLessThanOrEqual(most.taps);
}
