// Walks of someone new: why is a device out, and what to do; in the Mill, the flat and the guesthouse.
import { expect, open, ready, test } from "./fixtures.mjs";

const row = (page, name) => page.locator(".row").filter({ has: page.getByText(name, { exact: true }) });
const saved = (page) => expect(page.locator("[data-saved]")).toHaveText("Saved");

test("the Mill: the reason names what would carry it, the cure is one screen away", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/reach?network=heat");
  const worst = page.locator(".row").first();
  await expect(worst).toHaveClass(/out/);
  await expect(worst.locator(".name")).toHaveText("Hoist loft radiator");
  await expect(worst.locator(".reason")).toContainText("Only Yard room plug would carry it, and it could forward, but someone can cut its supply");
  // Whom it names is found by typing, opened, and agreed to stay in.
  await page.getByPlaceholder(/^Filter/).fill("yard room plug");
  await expect(page.locator(".row")).toHaveCount(1);
  await row(page, "Yard room plug").locator("button.line").click();
  await expect(page.locator(".row.selected .name")).toHaveText("Yard room plug");
  await ready(page);
  await page.locator(".details").getByRole("link", { name: "Open in Survey" }).click();
  await ready(page);
  await page.getByLabel("someone can cut its supply").uncheck();
  await saved(page);
  await open(page, "/jobs/larkfield-mill/reach?network=heat&select=heat-wing-heat");
  await expect(page.locator(".row.selected")).not.toHaveClass(/ out/);
  await expect(page.locator(".details")).toContainText("Yard room plug › Hoist loft radiator");
  await expect(page.locator(".details")).toContainText("Lost if this one dies: Yard room plug");
  await expect(page.locator(".details")).toContainText(/Its CR2450 lasts about [\d.]+ ± [\d.]+ years here, with 40 events a day/);
  // And its breaker: switched off in a what-if, the radiator goes with it.
  await page.getByLabel("Breaker to switch off in a what-if").selectOption("12");
  await expect(page.locator(".whatifs")).toContainText("breaker 12 is off");
  await expect(row(page, "Hoist loft radiator")).toHaveClass(/out/);
  await page.getByRole("button", { name: /breaker 12 is off/ }).click();
  await expect(row(page, "Hoist loft radiator")).not.toHaveClass(/ out/);
});

test("the Mill: the hub moves to the best of the surveyed places, and back", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/hub?network=star");
  await expect(page.locator(".reason-line")).toContainText("The hub moves");
  const best = page.locator('[data-part="hub-positions"] tbody tr').first();
  const name = await best.locator("td").nth(1).locator("a").innerText();
  await best.getByRole("button", { name: "Stand it here" }).click();
  await saved(page);
  await expect(page.locator("tr.selected td").nth(1)).toContainText(name);
  await expect(page.locator(".reason-line")).not.toContainText("The hub moves");
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(page.locator("tr.selected td").nth(1)).toHaveText(/^Meter cupboard/);

  // The router moves to the living room: the place beside it becomes a candidate, though nobody surveyed it.
  await open(page, "/jobs/larkfield-mill/air");
  const right = page.getByLabel("Right, m");
  await right.fill("14");
  await right.blur();
  await saved(page);
  await open(page, "/jobs/larkfield-mill/hub?network=star");
  const beside = page.locator(".positions tr", { hasText: "Beside Router" });
  await expect(beside.locator("td").nth(10)).toHaveText("0");
  await beside.getByRole("button", { name: "Stand it here" }).click();
  await saved(page);
  await expect(page.locator("tr.selected td").nth(1)).toHaveText(/^Beside Router/);
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(page.locator("tr.selected td").nth(1)).toHaveText(/^Meter cupboard/);
  await expect(beside).toHaveCount(1);
});

test("the Mill: a remote bound directly outlives the hub", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/controls");
  await page.getByLabel("Controller", { exact: true }).selectOption({ label: "Sofa remote, Shades and lamps" });
  await page.getByLabel("Load", { exact: true }).selectOption({ label: "Living shade, yard, Shades and lamps" });
  await page.getByLabel("How it is controlled").selectOption("hub");
  await page.getByRole("button", { name: "Add the control" }).click();
  const made = page.locator("tr[data-controller]").filter({ hasText: "Living shade, yard" });
  const left = page.locator(".outages tbody tr", { hasText: "Living shade, yard" }).getByRole("cell");
  await expect(made).toHaveCount(1);
  const outage = (n) => made.locator("td").nth(7 + n);
  await expect(outage(2)).toHaveText("dead");
  // What works the shade while all is well, then with no internet, router, hub, phone, any one repeater gone.
  const remote = "Sofa remote";
  await expect(left).toHaveText([/Living shade, yard/, `${remote}, phone at home, phone away`, `${remote}, phone at home`, remote, "nothing", remote, `${remote}, phone at home, phone away`]);
  const slow = Number(await made.locator("td").nth(5).innerText());
  await made.locator("select").selectOption("direct");
  await expect(outage(2)).toHaveText("works");
  await expect(left.nth(4)).toHaveText(remote);
  expect(Number(await made.locator("td").nth(5).innerText())).toBeLessThan(slow);
  await page.getByLabel("Load", { exact: true }).selectOption({ label: "Kitchen ceiling, Lighting mesh" });
  await page.getByLabel("How it is controlled").selectOption("direct");
  await page.getByRole("button", { name: "Add the control" }).click();
  await expect(page.locator("tr[data-controller]").filter({ hasText: "Kitchen ceiling" })).toContainText("different networks");
});

test("the Mill: a lamp that is out is told what would help, tries it, and does it", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/reach?network=star&select=star-both-lamp");
  const cures = page.locator(".cures li");
  await expect(cures.first()).toContainText(/Agree that Sluice uplighter stays on/);
  await expect(cures.filter({ hasText: "closed metal cabinet" })).toHaveCount(1);
  // The pane shows the link that the reason speaks of.
  await expect(page.locator(".details .reason")).toContainText("Only Sluice uplighter would carry it");
  await expect(page.locator(".stair figcaption").first()).toContainText("Sluice uplighter");
  const verdict = page.locator(".row.selected .line .verdict");
  await expect(verdict).toHaveText("not reached");
  await cures.first().getByRole("button", { name: "Try it" }).click();
  await expect(page.locator("[data-notice]")).toContainText("nothing is changed yet");
  await expect(verdict).toHaveText("good");
  await page.locator("[data-notice]").getByRole("button", { name: "Put it back" }).click();
  await expect(verdict).toHaveText("not reached");
  await cures.first().getByRole("button", { name: "Do it" }).click();
  await saved(page);
  await expect(verdict).toHaveText("good");
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(verdict).toHaveText("not reached");
});

test("the flat: Thread repeats itself beside the Wi-Fi until it changes channel", async ({ page }) => {
  await open(page, "/jobs/flat-12-quay-court/reach?network=thread");
  const sends = async () => Number(await page.locator(".channels tr.selected td").nth(6).innerText());
  await expect(page.locator(".finding").filter({ hasText: "one border router only" })).toBeVisible();
  await page.getByRole("link", { name: "Channels and the air" }).click();
  await ready(page);
  const before = await sends();
  expect(before).toBeGreaterThan(1.02);
  await page.locator(".channels tr", { hasText: "Best." }).getByRole("button").click();
  await saved(page);
  await expect.poll(sends).toBeLessThan(before);
});

test("the guesthouse: sixty devices stay readable, and a limit names itself", async ({ page }) => {
  await open(page, "/jobs/tern-row-guesthouse/reach?network=mesh3");
  await expect(page.locator('.ledger-head .count')).toHaveText(/^\d\d devices$/);
  await page.getByPlaceholder(/^Filter/).fill("room 304");
  await expect(page.locator('.ledger-head .count')).toHaveText(/^7 of \d\d devices$/);
  await expect(page.locator(".dot.aside").first()).toBeVisible();
  expect(await page.locator('[data-part="plan-dots"] .dot:not(.aside)').count()).toBeLessThanOrEqual(8);
  // Columns of one's own, sorted either way by their heads; the address keeps them.
  const chooser = page.locator(".columns");
  await chooser.getByText("Columns", { exact: true }).click();
  for (const column of ["via", "ms"]) {
    await chooser.getByRole("checkbox", { name: new RegExp(`^${column} `) }).check();
    await expect(page.locator(".ledger-head button.cell", { hasText: column })).toBeVisible();
  }
  for (const column of [/^hops /, /^± dB /]) await chooser.getByRole("checkbox", { name: column }).uncheck();
  await expect(page.locator(".ledger-head button.cell")).toHaveText(["dB", "ms", "via"]);
  await page.keyboard.press("Escape");
  await expect(chooser.getByRole("checkbox").first()).toBeHidden();
  const delays = async () => (await page.locator(".row .cell:nth-of-type(4)").allTextContents()).filter((t) => t !== "–").map(Number);
  const head = page.locator(".ledger-head").getByRole("button", { name: "ms" });
  await head.click();
  await expect(head).toHaveText("ms ↑");
  const upward = await delays();
  expect(upward.length).toBeGreaterThan(3);
  expect(upward).toEqual(upward.toSorted((a, b) => a - b));
  await head.click();
  await expect(head).toHaveText("ms ↓");
  expect(await delays()).toEqual(upward.toReversed());
  await page.reload();
  await ready(page);
  await expect(page.locator(".ledger-head button.cell")).toHaveText(["dB", "ms ↓", "via"]);
  await page.getByRole("button", { name: "worst first" }).click();
  await expect(head).toHaveText("ms");

  await page.getByRole("link", { name: "Brief", exact: true }).click();
  await ready(page);
  const form = page.locator(".network-form").filter({ has: page.locator('input[value="Floor 3 lighting"]') });
  await form.getByLabel("Devices a hub").fill("60");
  await form.getByLabel("Devices a hub").blur();
  await saved(page);
  await open(page, "/jobs/tern-row-guesthouse/reach?network=mesh3");
  await expect(page.locator(".row").first()).toHaveClass(/out/);
  await expect(page.locator(".details .reason")).toHaveText(/is full: it takes 60 devices. Use a second hub./);
});

test("several systems and hubs live in one job, none helping another", async ({ page }) => {
  await open(page, "/jobs/flat-12-quay-court/brief");
  for (const system of ["Bluetooth mesh", "Z-Wave Long Range", "Wired and wireless kit"]) {
    await page.getByLabel("System of the new network").selectOption({ label: system });
    await page.getByRole("button", { name: "Add a network" }).click();
    await expect(page.locator(".network-form").filter({ hasText: system }).first()).toBeVisible();
  }
  await page.getByRole("link", { name: "Design", exact: true }).click();
  await ready(page);
  await page.getByRole("link", { name: "Bluetooth mesh" }).click();
  await expect(page.locator('[data-part="empty"]')).toContainText("No devices in this network yet");
});
