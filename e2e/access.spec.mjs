// Every screen, light and dark, on a desk and on a phone: no serious finding of the checker, and
// at 1280 by 800 the page itself does not scroll.
import { barriers } from "./barriers.mjs";
import { expect, open, test } from "./fixtures.mjs";

const SCREENS = [
  "/", "/catalogue",
  ...["brief", "survey", "survey?point=kit-isle", "survey?wall=w013", "reach", "install", "install/work?of=7", "install/work?of=hubs", "install/electrician", "install/fault?symptom=flicker", "prove", "prove/readings", "prove/acceptance", "prove/stages", "walk", "handover", "journal", "air", "schools", "constructions", "hub", "controls"]
    .map((page) => `/jobs/larkfield-mill/${page}`),
  "/jobs/flat-12-quay-court/air", "/jobs/tern-row-guesthouse/reach?network=mesh2",
];

for (const scheme of ["light", "dark"]) {
  test(`no screen has a serious barrier in ${scheme}`, async ({ page }) => {
    await page.emulateMedia({ colorScheme: scheme });
    const found = {};
    for (const address of SCREENS) {
      await open(page, address);
      const here = await barriers(page, scheme);
      if (here.length > 0) found[address] = here;
      const scrolls = await page.evaluate(() => document.documentElement.scrollHeight > innerHeight + 1 || document.documentElement.scrollWidth > innerWidth + 1);
      if (scrolls) found[`${address} scrolls`] = true;
    }
    expect(found).toEqual({});
  });
}

test("no screen has a serious barrier on a phone, nor is wider than it", async ({ page }) => {
  await page.setViewportSize({ width: 390, height: 844 });
  const found = {};
  for (const address of SCREENS) {
    await open(page, address);
    const here = await barriers(page, "phone");
    if (here.length > 0) found[address] = here;
    const wide = await page.evaluate(() => document.documentElement.scrollWidth);
    if (wide > 390) found[`${address} is ${wide} wide`] = true;
  }
  expect(found).toEqual({});
});
