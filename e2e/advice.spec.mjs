// The adviser: what is out is cured, one repeater refused and another taken, all of it undone.
import { expect, open, ready, test } from "./fixtures.mjs";

const advice = (page) => page.locator('[data-part="advice"]');

test("the wing that is out is cured by the adviser, a repeater is refused with its reason, another taken", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/advice?network=mesh&hub=stays");
  await expect(advice(page)).toContainText("53 of 53 devices at target");
  await expect(advice(page)).toContainText("proven: less is not enough");
  const first = page.locator(".picks tbody tr").first();
  const refused = await first.locator("td").nth(1).innerText();
  const before = await page.locator(".picks tbody tr").count();
  expect(before).toBeGreaterThan(1);
  await first.getByRole("button", { name: /^Not / }).click();
  // Solved again without it: it is on the list of what was overruled, and no longer among what repeats.
  const overruled = page.locator(".rulings li");
  await expect(overruled).toHaveCount(1);
  await expect(advice(page)).toContainText("less is not enough");
  const place = refused.split(" at ")[1].split("\n")[0];
  await expect(page.locator(".picks tbody")).not.toContainText(`at ${place}`);
  await overruled.getByLabel("because").fill("The client wants nothing visible there");
  await overruled.getByLabel("because").blur();
  await expect(page.locator("[data-saved]")).toContainText("Saved");
  // Another is taken: it is on the plan, and no longer to be bought.
  const count = await page.locator(".picks tbody tr").count();
  await page.locator(".picks tbody tr").first().getByRole("button", { name: /^Take / }).click();
  await expect(page.locator(".picks tbody tr")).toHaveCount(count - 1);
  // The rest in one change, and all of it back.
  if (count > 1) await page.getByRole("button", { name: "Do all of it" }).click();
  await expect(advice(page)).toContainText("Nothing is needed");
  await open(page, "/jobs/larkfield-mill/handover");
  await expect(page.locator("main")).toContainText("The client wants nothing visible there");
  await open(page, "/jobs/larkfield-mill/advice?network=mesh&hub=stays");
  if (count > 1) await page.locator('[data-act="undo"]').click();
  await page.locator('[data-act="undo"]').click();
  await expect(page.locator(".picks tbody tr")).toHaveCount(count);
});

test("a variant is branched off from the advice, compared with another, taken and undone", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/advice?network=mesh");
  await expect(advice(page)).toContainText("less is not enough");
  await page.getByLabel("as a variant, called").fill("As advised");
  await page.locator("[data-branch]", { hasText: "as a variant" }).getByRole("button", { name: "Branch off" }).click();
  await page.waitForURL(/as-advised\/reach/);
  await expect(page.locator(".variant-name")).toContainText("As advised");
  // What is in the variant is not in the plan.
  await page.locator(".variant-name").click();
  await page.waitForURL(/\/variants/);
  await ready(page);
  await page.getByLabel("A new variant, called").fill("As it is");
  await page.getByRole("button", { name: "Branch off" }).click();
  await page.waitForURL(/as-it-is\/reach/);
  await open(page, "/jobs/larkfield-mill/variants");
  const table = page.locator("table.variants");
  await expect(table.locator("thead th")).toHaveText(["What", "The plan", "As advised", "As it is"]);
  const at = table.locator("tbody tr", { hasText: "devices at target" }).locator("td");
  const count = async (n) => Number((await at.nth(n).innerText()).split(" of ")[0]);
  expect(await count(1)).toBeGreaterThan(await count(0));
  expect(await count(2)).toBe(await count(0));
  await expect(page.locator(".differences li").first()).toContainText("Hub");
  await expect(page.locator("section.card", { hasText: "As it is" })).toContainText("Nothing differs");
  await page.getByRole("button", { name: "Take As advised" }).click();
  await expect(at.nth(0)).toHaveText(await at.nth(1).innerText());
  // The others stay to be looked at, and the change is one that is undone.
  await expect(table.locator("thead th")).toHaveCount(4);
  await ready(page);
  await page.locator('[data-act="undo"]').click();
  await expect(page.locator('[data-act="redo"]')).toBeEnabled();
  await open(page, "/jobs/larkfield-mill/variants");
  expect(await count(0)).toBeLessThan(await count(1));
});

test("the command box names the adviser; a wrong name of a variant is told beside its field", async ({ page }) => {
  await open(page, "/jobs/flat-12-quay-court/variants");
  await page.getByRole("button", { name: "Branch off" }).click();
  await expect(page.getByRole("alert")).toContainText("give it a name");
  const command = page.locator("[data-command]");
  await command.fill("Hub and repeaters");
  await command.press("Enter");
  await page.waitForURL(/\/advice/);
  await expect(advice(page)).toContainText("devices at target");
});
