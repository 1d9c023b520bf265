// Choices side by side, the brief held against the survey, the visit before the day.
import { expect, open, ready, test } from "./fixtures.mjs";

const saved = (page) => expect(page.locator("[data-saved]")).toHaveText("Saved");
const site = async (page) => (await (await page.request.get("/jobs/larkfield-mill/larkfield-mill.json")).json()).site;

test("what could go to a box stands side by side with what it does to the mesh, and why it was chosen is kept", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/choices?point=kit-main");
  // What works the load, and what stands beside that.
  const rows = page.locator(".choices:not([data-keep='rejected'] .choices) tbody tr");
  await expect(rows.filter({ hasText: "planned" })).toContainText("Switch, needs neutral");
  const tried = rows.filter({ hasText: /gains|loses|the mesh stays|worst margin/ });
  expect(await tried.count()).toBeGreaterThan(3);
  const remote = rows.filter({ hasText: "Remote on a plate" });
  await expect(remote).toContainText("It switches nothing itself");
  await remote.getByRole("button", { name: "Choose" }).click();
  await expect(rows.filter({ hasText: "planned" })).toContainText("Remote on a plate");
  await page.getByLabel("Why this one").fill("The client has the lamps already.");
  await page.getByLabel("Why this one").blur();
  await saved(page);
  const device = (await site(page)).devices.find((d) => d.id === "mesh-kit-main");
  expect([device.kind, device.why]).toEqual(["remote-plate", "The client has the lamps already."]);
  await page.keyboard.press("Tab");
  await page.locator("body").press("Control+z");
  await page.locator("body").press("Control+z");
  await expect(rows.filter({ hasText: "planned" })).toContainText("Switch, needs neutral");
  await page.locator("[data-keep='rejected'] summary").click();
  await expect(page.locator("[data-keep='rejected'] tbody tr").first()).toBeVisible();
});

test("four schools for a stair of three places: one is chosen for all of them and undone", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/choices?point=land-light");
  await expect(page.locator(".card")).toHaveCount(4);
  const companions = page.locator(".card", { hasText: "wired companions of its family" });
  await expect(companions).toContainText("the travellers stay");
  await companions.getByRole("button", { name: "Choose it for all places" }).click();
  await saved(page);
  const places = ["hall-stair", "land-light", "stone-stair"];
  await expect.poll(async () => (await site(page)).devices.filter((d) => places.includes(d.point)).length).toBe(3);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await site(page)).devices.filter((d) => places.includes(d.point)).length).toBe(2);
});

test("the brief names people, platforms and wishes, and says what is not met", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/brief");
  await page.getByRole("button", { name: "Add a wish" }).click();
  const wish = page.locator(".wish-form", { has: page.locator('input[value="Light"]') });
  await expect(wish).toContainText("No point is to meet it yet.");
  await wish.getByLabel("What").fill("Reading light by voice");
  await wish.getByLabel("What").blur();
  const named = page.locator(".wish-form", { has: page.locator('input[value="Reading light by voice"]') });
  await named.getByLabel("voice").check();
  await named.getByLabel("Add a point that meets it").selectOption({ label: "L6 Reading lamp" });
  await expect(named).toContainText("Met.");
  await page.locator('form[data-id="hub"] [name="in_charge"]').uncheck();
  await expect(page.locator("[data-part='brief-open']")).toContainText("No platform is in charge");
  await page.locator('form[data-key="job"] [name="built"]').fill("20000");
  await page.locator('form[data-key="job"] [name="built"]').blur();
  await expect(page.locator(".field-error")).toContainText("give 1000 to 2100");
});

test("boxes to open are one list before the day, with wrong labels and shared neutrals beside them", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/previsit");
  await expect(page.locator(".previsit tbody tr").first()).toContainText("Bothy ceiling");
  await expect(page.locator(".previsit tr", { hasText: "Stair, foot" })).toContainText("shares its neutral: all that share it go off together");
  await expect(page.locator(".caution")).toContainText("prove every conductor in the box dead");
  // The panel as printed and as proven, with what each breaker feeds.
  await expect(page.locator(".panel tr", { hasText: "6: the label is wrong" })).toContainText("U3");
  await page.locator(".previsit a", { hasText: "Bothy ceiling" }).click();
  await ready(page);
  // What the switch there is follows from its signs, with the reasons.
  await expect(page.locator("[data-keep='signs'] summary")).toContainText("one-way switch");
  await page.locator('[name="signs.terminals"]').fill("4");
  await page.locator('[name="signs.terminals"]').blur();
  await expect(page.locator("[data-keep='signs'] summary")).toContainText("double-pole switch");
});
