// What is in a box decides what may go into it, and that decides the mesh.
import { expect, open, ready, test } from "./fixtures.mjs";

const saved = (page) => expect(page.locator("[data-saved]")).toHaveText("Saved");
const verdict = (page) => page.locator(".device-form h2 .verdict");

async function look(page, name) {
  await open(page, "/jobs/larkfield-mill/survey?floor=ground");
  await page.locator("[data-point-row]", { hasText: name }).first().click();
  await expect(page.locator('form[data-key="point"] input[name="name"]')).toHaveValue(name);
  await ready(page);
}

test("a box without neutral: what could go there is listed, chosen, and the mesh follows", async ({ page }) => {
  await look(page, "Kitchen island");
  await expect(verdict(page)).toHaveText("fits");
  await expect(page.locator(".device-form")).toContainText("forwards: it is on the mains for good");
  await page.locator('form[data-key="point"] select[name="neutral"]').selectOption("absent");
  await expect(verdict(page)).toHaveText("does not fit");
  await expect(page.locator(".device-form")).toContainText("nothing is built on it");
  await page.locator(".candidates summary").click();
  const best = page.locator(".candidates tbody tr").first();
  await expect(best.locator(".verdict")).toHaveText("fits");
  await expect(best).toContainText("with neutral or without");
  // What cannot be there is not offered.
  await expect(page.locator(".candidates tr", { hasText: "Dimmer, slim, needs neutral" })).toHaveCount(0);
  await best.getByRole("button", { name: "Choose" }).click();
  await saved(page);
  await expect(verdict(page)).toHaveText("fits");
  await expect(page.locator(".device-form")).toContainText("does not forward");
  await page.keyboard.press("Control+z");
  await expect(verdict(page)).toHaveText("does not fit");
});

test("a load, a breaker and a wrong companion are recorded and judged where they are", async ({ page }) => {
  await look(page, "Kitchen island");
  const loads = page.locator("[data-loads]");
  const watts = loads.getByLabel("Each, W");
  await watts.fill("60");
  await watts.blur();
  await saved(page);
  await expect(verdict(page)).toHaveText("does not fit");
  await expect(page.locator(".device-form .warn").first()).toContainText("240 W of LED, and it is rated for 150 W");
  await watts.fill("");
  await watts.blur();
  await expect(verdict(page)).toHaveText("not known yet");
  await watts.fill("-3");
  await watts.blur();
  await expect(loads.locator(".field-error")).toContainText("give 0.1 to 20000 W");
  await watts.fill("9");
  await watts.blur();
  await saved(page);
  await expect(verdict(page)).toHaveText("fits");

  const breaker = page.locator('form[data-key="point"] input[name="circuit"]');
  await breaker.fill("22");
  await breaker.blur();
  await page.getByRole("button", { name: "Record this breaker" }).click();
  await page.getByRole("button", { name: "Proven just now" }).click();
  await page.getByLabel("Proven: breaker").fill("7");
  await page.getByLabel("Proven: breaker").blur();
  await expect(page.locator("[data-circuit]")).toContainText("The label is wrong: breaker 7 makes it");
  await page.getByLabel("Shares its neutral with another circuit").selectOption({ label: "yes" });
  await expect(page.locator("[data-circuit]")).toContainText("can be live with this breaker off");

  // Another place of the same lamps, with a dimmer of its own: two units would feed one lamp.
  await page.locator("[data-group] summary").click();
  await page.getByRole("button", { name: "It is one of several" }).click();
  await page.getByLabel("Add a place to the group").selectOption({ label: "Kitchen ceiling" });
  await expect(page.locator("[data-group] li")).toHaveCount(2);
  await expect(verdict(page)).toHaveText("does not fit");
  await expect(page.locator(".device-form .warn").first()).toContainText("two units would feed one lamp");
  await page.getByRole("button", { name: "Take Kitchen ceiling out" }).click();
  await expect(verdict(page)).toHaveText("fits");
  await open(page, "/jobs/larkfield-mill/handover");
  await expect(page.getByText(/Breaker \d+ is labelled wrong: breaker 7 makes its/)).toBeVisible();
});
