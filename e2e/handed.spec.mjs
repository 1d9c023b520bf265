// What is handed over of a large house, a day of many visits, and what changed, as people look for it.
import { expect, open, test } from "./fixtures.mjs";
import { saved } from "./hand.mjs";

const LARGE = "/jobs/tern-row-guesthouse";
const site = (page, job) => page.request.get(`/jobs/${job}/${job}.json`).then(async (r) => (await r.json()).site);

test("the handover of a large house comes in parts that hold all of it", async ({ page }) => {
  await open(page, `${LARGE}/handover?all=1`);
  const names = (await site(page, "tern-row-guesthouse")).devices.map((d) => d.name).sort();
  expect(names.length).toBeGreaterThan(120);
  const ledger = page.locator("section", { has: page.locator("h2", { hasText: /^Ledger$/ }) }).locator("tbody tr td:nth-child(2)");
  const whole = await ledger.allTextContents();
  await open(page, `${LARGE}/handover`);
  // The cover says how much there is, and shows no list of it.
  await expect(page.locator(".summary").first()).toContainText(String(names.length));
  await expect(ledger).toHaveCount(0);
  const parts = page.locator('nav[aria-label="Parts of the handover"] a:not(.button)');
  const links = await parts.evaluateAll((all) => all.map((a) => a.href));
  expect(links.length).toBeGreaterThan(2);
  const listed = [];
  let pages = 0;
  for (const link of links) {
    await open(page, link);
    await expect(parts.and(page.locator("[aria-current]"))).toHaveCount(1);
    const further = await page.locator('nav[aria-label="Pages of the ledger"] a').evaluateAll((all) => all.map((a) => a.href));
    if (further.length === 0) listed.push(...await ledger.allTextContents());
    for (const href of further) {
      pages += 1;
      await open(page, href);
      listed.push(...await ledger.allTextContents());
    }
  }
  expect(pages).toBeGreaterThan(1);
  expect(listed.sort()).toEqual(whole.sort());
});

test("the household and the electrician get of the handover what they need", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/handover");
  const headings = () => page.locator("article h2").allTextContents();
  const whole = await headings();
  const readers = page.getByRole("navigation", { name: "Whom it is for" });
  await readers.getByRole("link", { name: "For the household" }).click();
  await expect(readers.locator("[aria-current]")).toHaveText("For the household");
  const household = await headings();
  expect(household).toEqual(expect.arrayContaining(["What keys, scenes and times do", "Cautions"]));
  for (const none of ["Ledger", "Readings", "Work on site", "Power off and on"]) expect(household).not.toContain(none);
  await readers.getByRole("link", { name: "For the electrician" }).click();
  const electrician = await headings();
  expect(electrician).toContain("Cautions");
  for (const none of ["Ledger", "What keys, scenes and times do", "Who gets the house", "Join codes"]) expect(electrician).not.toContain(none);
  // Nothing stands in a part that is not in the whole.
  for (const heading of [...household, ...electrician]) expect(whole).toContain(heading);
});

test("the rooms are agreed on by name, and again once one is renamed", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/prove/names");
  const rooms = page.locator('[data-part="rooms"]');
  await expect(rooms).toContainText("Nobody of the household has agreed");
  await rooms.getByRole("button", { name: "They agree" }).click();
  await expect(rooms.getByRole("alert").or(page.locator("[data-notice]:visible"))).toBeVisible();
  await rooms.getByLabel("Agreed with").fill("Alma Reed");
  await page.keyboard.press("Enter");
  await expect(rooms).toContainText(/Alma Reed agreed to it .*\./);
  await expect(rooms.getByRole("button")).toHaveCount(0);
  const first = (await site(page, "larkfield-mill")).rooms[0];
  const renamed = { do: "set", kind: "room", id: first.id, field: "name", value: "Counting house" };
  await page.request.post("/jobs/larkfield-mill/edits", { data: { edit: renamed, edit_id: "rooms-renamed", client: "test" } });
  await expect(rooms).toContainText("new since: Counting house");
  await expect(rooms.getByRole("button", { name: "They agree" })).toBeVisible();
});

test("of many visits the one in hand stands open", async ({ page }) => {
  await open(page, `${LARGE}/install`);
  const visits = page.locator("details.visit[id]");
  expect(await visits.count()).toBeGreaterThan(4);
  await expect(page.locator("details.visit[id][open]")).toHaveCount(1);
  await visits.last().locator("summary").first().click();
  await expect(page.locator("details.visit[id][open]")).toHaveCount(2);
});

test("the plan is asked to be kept as designed before the first box is opened", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/install");
  const asked = page.locator(".alert", { hasText: "not kept as designed yet" });
  await asked.getByRole("button", { name: "Keep it as designed" }).click();
  await expect(asked).toHaveCount(0);
  await open(page, "/jobs/larkfield-mill/prove/stages");
  await expect(page.locator("main")).toContainText("As designed");
});

test("what changed is looked for by thing, person and day", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/survey?point=kit-isle");
  await page.locator('[data-key="point"] [name="note"]').fill("behind the oven");
  await page.keyboard.press("Tab");
  await saved(page);
  const shown = async (query) => {
    await open(page, `/jobs/larkfield-mill/journal?${query}`);
    return page.locator('[data-part="changes"] tbody tr').count();
  };
  const today = new Date().toISOString().slice(0, 10);
  const all = await shown("");
  expect(all).toBeGreaterThan(0);
  const { name } = (await site(page, "larkfield-mill")).points.find((p) => p.id === "kit-isle");
  expect(await shown(`of=${encodeURIComponent(name)}`)).toBeGreaterThan(0);
  expect(await shown("of=nothing+like+it")).toBe(0);
  await expect(page.locator(".empty-text")).toContainText("None of the newest changes");
  expect(await shown("who=Nobody+of+ours")).toBe(0);
  expect(await shown(`on=${today}`)).toBeGreaterThan(0);
  expect(await shown("on=2001-01-01")).toBe(0);
});

test("a job goes only for who writes its name", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/journal");
  const form = page.locator("details.delete");
  await form.locator("summary").click();
  const name = await form.locator("b").textContent();
  await form.getByRole("textbox").fill("The mill");
  await form.getByRole("button", { name: "Delete it" }).click();
  await expect(form.getByRole("alert")).toContainText("write the name of the job");
  await form.getByRole("textbox").fill(name);
  await form.getByRole("button", { name: "Delete it" }).click();
  await page.waitForURL(/\/$/);
  await expect(page.locator('a[href^="/jobs/larkfield-mill"]')).toHaveCount(0);
});
