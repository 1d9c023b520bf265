// Several on one job: who else is there and where, and their news.
import { expect, open, ready, test } from "./fixtures.mjs";

const MILL = "/jobs/larkfield-mill";

/** Another person in a browser of their own. */
async function joins(browser, app, who, options = {}) {
  const context = await browser.newContext(options);
  if (who) await context.addCookies([{ name: "who", value: encodeURIComponent(who), url: app }]);
  return { context, page: await context.newPage() };
}

const here = (page) => page.locator("[data-here]");

test("who else is on the job stands in the head, with the page they are on, and goes when they go", async ({ browser, app }) => {
  const ines = await joins(browser, app, "Ines Calder");
  const otto = await joins(browser, app, "Otto Winn", { viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });
  await open(ines.page, `${app}${MILL}/survey`);
  await expect(here(ines.page)).toBeHidden();
  await open(otto.page, `${app}${MILL}/install`);
  await expect(here(ines.page)).toHaveText("Also here: Otto Winn, Day");
  await expect(here(otto.page)).toHaveText("Also here: Ines Calder, Survey");
  expect(await otto.page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
  // A second window of the same person is nobody else; another job is elsewhere.
  const second = await ines.context.newPage();
  await open(second, `${app}${MILL}/reach`);
  await expect(here(otto.page)).toHaveText("2 others here");
  await expect(here(second)).toHaveText("Also here: Otto Winn, Day");
  await second.close();
  await expect(here(otto.page)).toHaveText("Also here: Ines Calder, Survey");
  // What one does, the other hears of by name.
  await otto.page.evaluate(async () => {
    const { edit } = await import("/assets/js/job.js");
    await edit({ do: "set", kind: "job", id: "job", field: "client", value: "Ada Quill" });
  });
  await expect(ines.page.locator("[data-saved]")).toHaveText("Otto Winn changed it");
  // Without a line nobody is said to be there; back again they are.
  await otto.context.setOffline(true);
  await open(ines.page, `${app}${MILL}/brief`);
  await otto.context.setOffline(false);
  await ready(otto.page);
  await expect(here(otto.page)).toHaveText("Also here: Ines Calder, Brief");
  await otto.context.close();
  await expect(here(ines.page)).toBeHidden();
  const nameless = await joins(browser, app, "");
  await open(nameless.page, `${app}${MILL}/prove`);
  await expect(here(ines.page)).toHaveText("Also here: Somebody, Prove");
  await nameless.context.close();
  await ines.context.close();
});
