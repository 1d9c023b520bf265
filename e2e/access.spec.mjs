// Every screen, light and dark, on a desk, on a phone and with twice the text: no serious finding of the checker, and
// at 1280 by 800 the page itself does not scroll.
import { barriers } from "./barriers.mjs";
import { expect, open, test } from "./fixtures.mjs";

const MILL = "/jobs/larkfield-mill";
// What stands in no row of the work, or shows more of a page that does.
const BESIDE = [
  "/", "/catalogue", "/jobs/flat-12-quay-court/air", "/jobs/tern-row-guesthouse/reach?network=mesh2",
  ...["survey?point=kit-isle", "survey?wall=w013", "choices?point=land-light", "assumptions", "install/work?of=7", "install/work?of=hubs",
    "install/fault?symptom=flicker", "prove/report", "walk", "round"].map((page) => `${MILL}/${page}`),
];

/** The address of every page: those to which the signposts of each stage lead, and those beside them. */
async function every(page) {
  const found = new Set();
  const lead = (row) => page.locator(`${row} a`).evaluateAll((all) => all.map((a) => a.getAttribute("href")));
  await open(page, `${MILL}/brief`);
  for (const stage of await lead(".stages")) {
    await open(page, stage);
    for (const address of [stage, ...await lead(".pages-row")]) found.add(address);
  }
  expect(found.size).toBeGreaterThan(28);
  return [...found, ...BESIDE];
}

const DESK = { width: 1280, height: 800 };
const PHONE = { width: 390, height: 844 };
const wide = (page) => page.evaluate(() => document.documentElement.scrollWidth);

/** All that bars somebody from a page, by how it is looked at. */
async function found(page, address) {
  await page.setViewportSize(DESK);
  await page.emulateMedia({ colorScheme: "light" });
  await open(page, address);
  const all = { light: await barriers(page, "light") };
  const high = await page.evaluate(() => document.documentElement.scrollHeight);
  if (high > DESK.height + 1 || await wide(page) > DESK.width + 1) all.light.push("the page itself scrolls");
  await page.emulateMedia({ colorScheme: "dark" });
  // Colours that go over into each other are looked at once they are there.
  await page.evaluate(() => Promise.all(document.getAnimations().map((running) => running.finished)));
  all.dark = await barriers(page, "dark");
  await page.evaluate(() => document.documentElement.style.setProperty("font-size", "175%"));
  all.twice = await barriers(page, "phone");
  if (await wide(page) > DESK.width) all.twice.push(`${await wide(page)} wide`);
  await page.setViewportSize(PHONE);
  await open(page, address);
  all.phone = await barriers(page, "phone");
  if (await wide(page) > PHONE.width) all.phone.push(`${await wide(page)} wide`);
  return Object.entries(all).flatMap(([as, what]) => what.map((w) => `${address}, ${as}: ${w}`));
}

// In halves, which run beside each other.
for (const half of [0, 1]) {
  test(`no screen has a serious barrier in light, in dark, with twice the text or on a phone: half ${half + 1}`, async ({ page }) => {
    const all = [];
    for (const address of (await every(page)).filter((_, n) => n % 2 === half)) all.push(...await found(page, address));
    expect(all).toEqual([]);
  });
}
