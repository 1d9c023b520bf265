// Wires, loads and boxes at the desk: what stays in a box, a row of one's own library, a load worked from four places.
import { expect, open, ready, test } from "./fixtures.mjs";
import { saved } from "./hand.mjs";

const verdict = (page) => page.locator(".device-form h2 .verdict");

async function look(page, name) {
  await open(page, "/jobs/larkfield-mill/survey?floor=ground");
  await page.locator("[data-point-row]", { hasText: name }).first().click();
  await expect(page.locator('form[data-key="point"] input[name="name"]')).toHaveValue(name);
  await ready(page);
}

/** Opens a part of the form that can be folded away. */
async function unfold(page, part) {
  const details = page.locator(part);
  if (!(await details.evaluate((d) => d.open))) await details.locator("summary").first().click();
}

async function type(page, field, text) {
  await field.fill(text);
  await field.blur();
  await saved(page);
}

test("what stays in a box is said, takes its room, is tested dead and is not bought", async ({ page }) => {
  await look(page, "Kitchen island");
  await expect(verdict(page)).toHaveText("fits");
  await unfold(page, "[data-box]");
  await page.getByRole("button", { name: "Something in it stays" }).click();
  const stays = page.locator("[data-stays]");
  await expect(stays).toHaveCount(1);
  await stays.getByLabel("What").selectOption({ label: "foreign module" });
  await saved(page);
  await expect(verdict(page)).toHaveText("not known yet");
  await expect(page.locator(".device-form")).toContainText("How deep foreign module is");
  await stays.getByLabel("Depth, mm").fill("300000");
  await stays.getByLabel("Depth, mm").blur();
  await expect(page.locator("[data-box] .field-error")).toContainText("mm");
  await type(page, stays.getByLabel("Depth, mm"), "30");
  await expect(verdict(page)).toHaveText("does not fit");
  await stays.getByLabel("Its gang").fill("2");
  await stays.getByLabel("Its gang").blur();
  await expect(page.locator("[data-box] .field-error")).toContainText("gang");
  await type(page, page.locator("[data-box]").getByLabel("Gangs"), "2");
  await type(page, stays.getByLabel("Its gang"), "2");
  await type(page, page.locator("[data-box]").getByLabel("Its gang").first(), "1");
  await expect(verdict(page)).not.toHaveText("does not fit");

  await open(page, "/jobs/larkfield-mill/bill");
  await expect(page.locator("main")).not.toContainText("foreign module");
  await look(page, "Kitchen island");
  await unfold(page, "[data-box]");
  await page.getByRole("button", { name: "It goes" }).click();
  await expect(page.locator("[data-stays]")).toHaveCount(0);
});

test("a row of the library is written by hand, asks for what is blank, and is chosen", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/library");
  await page.getByRole("button", { name: "Write a row of your own" }).click();
  await page.locator(".kinds a", { hasText: "New device" }).click();
  const form = page.locator('form[data-key="device-kind"]');
  await expect(form.getByLabel("Name", { exact: true })).toHaveValue("New device");
  await ready(page);
  await type(page, form.getByLabel("Name", { exact: true }), "Hedge switch");
  await type(page, form.getByLabel("Depth, mm"), "20");
  await type(page, form.getByLabel("Least box, mm"), "25");
  await type(page, form.getByLabel("Most LED, W"), "200");
  await form.getByLabel("forwards for others").check();
  await saved(page);

  // Nobody has written down whether it dims, asks for an earth, or what it bears at switching on.
  await look(page, "Kitchen island");
  const kind = page.locator('.device-form select[name="kind"]');
  await kind.selectOption({ label: "Hedge switch" });
  await saved(page);
  await expect(verdict(page)).not.toHaveText("fits");
  await expect(page.locator(".device-form")).toContainText("what it is rated for is not written down");
  await expect(page.locator(".device-form")).toContainText("Whether a plain switch in the same box works it");

  await open(page, "/jobs/larkfield-mill/library");
  await page.locator(".kinds a", { hasText: "Hedge switch" }).click();
  await expect(form.getByLabel("Name", { exact: true })).toHaveValue("Hedge switch");
  await ready(page);
  const answers = [
    ["Dims", "no"],
    ["Asks for an earth", "yes"],
    ["Left with one side tab off, with both", "loses nothing"],
  ];
  await form.locator('select[name="button"]').selectOption({ label: "on it" });
  await saved(page);
  for (const [field, words] of answers) {
    await form.getByLabel(field, { exact: false }).and(form.locator('[data-type="json"]')).selectOption({ label: words });
    await saved(page);
  }
  await type(page, form.getByLabel("Least load, W"), "0");
  await type(page, form.getByLabel("Bears at switching on, A"), "80");
  await form.getByLabel("reached through its hub").check();
  await saved(page);

  await look(page, "Kitchen island");
  await expect(verdict(page)).toHaveText("fits");
  await expect(page.locator(".device-form")).toContainText("Hedge switch");
});

test("a stair of four places with a spare gang: what is open is asked, and what is wrong is said", async ({ page }) => {
  await look(page, "Kitchen island");
  await unfold(page, "[data-group]");
  await page.getByRole("button", { name: "It is one of several" }).click();
  const add = page.getByLabel("Add a place to the group");
  const places = page.locator("[data-group] li");
  await add.waitFor();
  for (const n of [2, 3, 4]) {
    const all = await add.locator("option").allTextContents();
    const free = all.filter((t) => /Utility|Hall|Living|Study/.test(t));
    await add.selectOption({ label: free[0] });
    await expect(places).toHaveCount(n);
  }
  await expect(verdict(page)).not.toHaveText("fits");
  const told = page.locator(".device-form");
  await expect(told).toContainText("Where line comes in and where the load leaves is not known");
  await unfold(page, "[data-box]");
  await type(page, page.locator("[data-box]").getByLabel("Gangs"), "2");
  await type(page, page.locator("[data-box]").getByLabel("Its gang").first(), "1");
  await expect(page.locator("[data-box]")).toContainText("The right side tab comes off what goes here");
  await page.getByLabel("Its wiring").selectOption({ label: "line and load in its boxes" });
  await saved(page);
  await expect(told).not.toContainText("is not known");
  // Each of the other places has a unit of its own: two would feed one lamp.
  await expect(told).toContainText("two units would feed one lamp");
});

/** Sends an edit as a page would. */
async function put(page, edit) {
  const answer = await page.request.post("/jobs/larkfield-mill/edits", { data: { edit, edit_id: `w${Math.random()}`, client: "walk" } });
  expect(answer.ok(), await answer.text()).toBe(true);
}

test("a stair pair is asked about, planned box by box, and ticked conductor by conductor", async ({ page }) => {
  const value = (id, name, more) => ({
    id, name, room: "Hall", floor: "ground", at: [5, 5], height_m: 1.1, kind: "switch", box: "plastic", depth_mm: 60,
    circuit: "7", earth: "conductor", mounting: "open", known: "measured", neutral: "tested", gangs: 1, gang: 1, ...more,
  });
  const device = (id, name, point, kind) => ({ id, name, point, kind, network: "mesh" });
  const kinds = [
    ["point", value("pair-foot", "Pair foot", {})],
    ["point", value("pair-top", "Pair top", { neutral: "unknown" })],
    ["load", { id: "pair-lamps", name: "Pair lamps", switched_at: "pair-top", kind: "led", count: 4, watts: 9, inrush_a: 2,
      dimmable: true, tried: "listed" }],
    ["group", { id: "pair", name: "Pair", places: ["pair-foot", "pair-top"] }],
    ["device", device("pair-unit", "Pair unit", "pair-top", "switch-neutral")],
    ["device", device("pair-companion", "Pair companion", "pair-foot", "companion-wired")],
  ];
  await put(page, { do: "batch", edits: kinds.map(([kind, value]) => ({ do: "put", kind, value })) });

  // While nobody knows how the cable runs the visit before the day asks.
  await open(page, "/jobs/larkfield-mill/install/electrician");
  await open(page, "/jobs/larkfield-mill/previsit");
  await expect(page.locator(".previsit tr", { hasText: "Pair top" })).toContainText("whether line comes in here");

  const wires = { layout: "boxes", line: "pair-foot", load: "pair-top" };
  await put(page, { do: "set", kind: "group", id: "pair", field: "wiring", value: wires });
  await put(page, { do: "set", kind: "point", id: "pair-top", field: "neutral", value: "tested" });
  await open(page, "/jobs/larkfield-mill/install/electrician");
  const box = page.locator(".boxed").filter({ has: page.locator("h3", { hasText: "Pair top" }) });
  await expect(box.locator("svg.wires")).toBeVisible();
  await expect(box).toContainText("Tried in 4 states");
  await expect(box).toContainText("permanent line");
  // Nobody listed the conductors: of the travellers it is found which is which before they are joined.
  await expect(box).toContainText("find which is which");
  const foot = page.locator(".boxed").filter({ has: page.locator("h3", { hasText: "Pair foot" }) });
  await expect(foot).toContainText("traveller");
});
