// What a clock and a voice do: a schedule that fights is found and mended, a scene is told in seconds, names are told apart.
import { expect, open, test } from "./fixtures.mjs";
import { saved } from "./hand.mjs";

const site = (page, job = "larkfield-mill") => page.request.get(`/jobs/${job}/${job}.json`).then(async (r) => (await r.json()).site);
const rule = async (page, id) => (await site(page)).rules.find((r) => r.id === id);

test("a schedule that fights is found with its date and mended by keyboard", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/schedules?on=2027-01-01");
  const wrong = page.locator('[data-part="sense"]');
  await expect(wrong).toContainText("Another rule wants something else of it");
  await expect(wrong.locator("tr", { hasText: "At 20 minutes after sunset: Reading lamp on" }).first()).toContainText("2027-05-15");
  const off = page.locator('form[data-id="reading-off"]');
  await off.getByLabel("At", { exact: true }).focus();
  await page.keyboard.press("Control+a");
  await page.keyboard.type("25:30");
  await page.keyboard.press("Tab");
  await expect(off.getByRole("alert")).toContainText("22:30");
  await page.keyboard.press("Shift+Tab");
  await page.keyboard.press("Control+a");
  await page.keyboard.type("23:30");
  await page.keyboard.press("Tab");
  await saved(page);
  await expect.poll(async () => (await rule(page, "reading-off")).when.at).toBe("23:30");
  await expect(wrong).not.toContainText("Another rule wants");
  // What is left is said with its day; the lamps over the worktop rest at the weekend.
  await expect(wrong).toContainText("Saturday");
  // One for the weekend too, and the year is clean.
  for (const id of ["worktop-on", "worktop-off"]) {
    await page.locator(`form[data-id="${id}"]`).getByLabel("Days").selectOption({ label: "every day" });
    await expect.poll(async () => (await rule(page, id)).only ?? []).toEqual([]);
  }
  await expect(wrong).toContainText("nothing of them speaks against itself");
});

test("a time is added in words of the sun, read back, and taken away again", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/schedules?on=2027-06-21");
  const form = page.locator('form[data-new-rule="time"]');
  await form.getByLabel("What").selectOption({ label: "Sluice gallery" });
  await form.getByRole("textbox").fill("noon");
  await form.getByRole("button", { name: "Add this time" }).click();
  await expect(form.getByRole("alert").or(page.locator("[data-notice]"))).toContainText("sunset-15");
  await form.getByRole("textbox").fill("sunset -15");
  await form.getByRole("button", { name: "Add this time" }).click();
  const made = page.locator('[data-part="times"] form', { hasText: "Sluice gallery" });
  await expect(made).toContainText("At 15 minutes before sunset: Sluice gallery on, by the hub.");
  await expect(page.locator('[data-part="sense"]')).toContainText("no time ever switches it off");
  await expect(page.locator('[data-part="day"]')).toContainText("Sluice gallery on");
  await made.getByRole("button", { name: /^Remove/ }).click();
  await expect(made).toHaveCount(0);
});

test("a scene of eight lamps is told in seconds, one by one and at once", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/schedules");
  const scene = page.locator('[data-part="scenes"] section').first();
  await expect(scene.getByLabel("Scene", { exact: true })).toHaveValue("Evening");
  await expect(scene).toContainText(/8 messages, \d+\.\d s one by one; as a scene of the system \d+\.\d s/);
  await scene.getByRole("button", { name: "Take Hall ceiling out of Evening" }).click();
  await expect(scene).toContainText("7 messages");
  await scene.getByLabel("Add to Evening").selectOption({ label: "Study desk lamp" });
  await expect(scene).toContainText("8 messages");
  await expect(scene).toContainText("Study desk lamp");
});

test("near-twins get a better name, and a phrase is tried", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/spoken");
  const twins = page.locator('[data-part="twins"]');
  await expect(twins).toContainText("Bothy ceiling");
  await twins.getByRole("button", { name: "Call it Bothy light" }).click();
  await expect(twins).not.toContainText("Bothy ceiling");
  await page.getByLabel("Say").fill("Turn off the bathroom");
  await page.keyboard.press("Enter");
  await page.waitForURL(/say=/);
  await expect(page.locator("main")).toContainText("Turn off the bathroom: all of the room");
  await expect(page.locator("main")).toContainText("Bath fan moves too");
});
