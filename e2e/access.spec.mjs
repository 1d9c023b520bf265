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

for (const scheme of ["light", "dark"]) {
  test(`no screen has a serious barrier in ${scheme}`, async ({ page }) => {
    await page.emulateMedia({ colorScheme: scheme });
    const found = {};
    for (const address of await every(page)) {
      await open(page, address);
      const here = await barriers(page, scheme);
      if (here.length > 0) found[address] = here;
      const scrolls = await page.evaluate(() => document.documentElement.scrollHeight > innerHeight + 1 || document.documentElement.scrollWidth > innerWidth + 1);
      if (scrolls) found[`${address} scrolls`] = true;
    }
    expect(found).toEqual({});
  });
}

for (const [as, size] of [["on a phone", { width: 390, height: 844 }], ["with twice the text", { width: 1280, height: 800 }]]) {
  test(`no screen has a serious barrier ${as}, nor is wider than it`, async ({ page }) => {
    await page.setViewportSize(size);
    const found = {};
    for (const address of await every(page)) {
      await open(page, address);
      if (as !== "on a phone") await page.evaluate(() => document.documentElement.style.setProperty("font-size", "175%"));
      const here = await barriers(page, "phone");
      if (here.length > 0) found[address] = here;
      const wide = await page.evaluate(() => document.documentElement.scrollWidth);
      if (wide > size.width) found[`${address} is ${wide} wide`] = true;
    }
    expect(found).toEqual({});
  });
}
