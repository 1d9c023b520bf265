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
  await expect(scene).toContainText(/8 messages one by one, \d+\.\d s; \d+\.\d s where its groups go by one message/);
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

test("a switch with five taps is mapped by keyboard, cell by cell", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/controls?of=star-liv-remote");
  const grid = page.getByRole("grid");
  const columns = await grid.locator("thead th[data-at]").allInnerTexts();
  // It opens where something is pressed, brought into view.
  const here = page.locator("td.here");
  await expect(here).toHaveText(/toggle/);
  const [pane, stands] = await Promise.all([page.locator('[data-part="keys"]').boundingBox(), here.boundingBox()]);
  expect(stands.y + stands.height).toBeLessThanOrEqual(pane.y + pane.height);
  const taps = ["press", "two presses", "three presses", "four presses", "five presses"];
  // A row that says nothing of taps offers all of them; this one tells two.
  expect(columns.join()).toContain("two presses");
  await open(page, "/jobs/larkfield-mill/controls?of=mesh-kit-main");
  expect((await page.getByRole("grid").locator("thead th[data-at]").allInnerTexts()).slice(0, 5)).toEqual(taps);
  const names = await grid.locator("tbody tr[data-what] th").allInnerTexts();
  const island = names.findIndex((name) => /island/i.test(name));
  expect(island).toBeGreaterThanOrEqual(0);
  const cell = (row, column) => grid.locator("tbody tr[data-what]").nth(row).locator("td").nth(column);
  await cell(island, 0).click();
  const orders = ["toggle", "on 20", "on 60", "off", "on direct"];
  for (const order of orders) {
    await page.keyboard.type(order);
    await page.keyboard.press("Tab");
  }
  const shows = ["toggle", "on 20 %", "on 60 %", "off", "on direct"];
  for (const [n, text] of shows.entries()) await expect(cell(island, n)).toHaveText(text);
  const made = (await site(page)).rules.filter((r) => r.when.controller === "mesh-kit-main" && r.does[0].what.device);
  expect(made.map((r) => r.when.gesture ?? "").sort()).toEqual(["", "five presses", "four presses", "three presses", "two presses"]);
  // What a cell is worth stands under the hand, and a wrong word beside it.
  await cell(island, 4).click();
  await expect(page.locator("[data-keys-hint]")).toContainText(/directly, .*ms, \d+ %/);
  await page.keyboard.type("maybe");
  await page.keyboard.press("Enter");
  await expect(cell(island, 4)).toHaveAttribute("data-refused", /is no order/);
  await cell(island, 4).click();
  await page.keyboard.press("Delete");
  await expect(cell(island, 4)).toHaveText("");
});

test("a new remote that took the whole room is corrected, and tried until nothing else moves", async ({ page }) => {
  const put = (value) => page.request.post("/jobs/larkfield-mill/edits", {
    data: { client: "t", edit_id: value.id, edit: { do: "put", kind: value.kind, value: value.value } },
  });
  await put({
    id: "remote", kind: "device",
    value: { id: "chair", name: "Chair remote", point: "liv-lamp", kind: "remote-battery", network: "mesh" },
  });
  await put({
    id: "chair-press", kind: "rule",
    value: { id: "chair-press", when: { on: "press", controller: "chair" }, does: [{ what: { device: "mesh-liv-lamp" } }], runs: "direct" },
  });
  await open(page, "/jobs/larkfield-mill/controls?of=chair");
  const told = page.locator('[data-part="keys-told"]');
  await expect(told).toContainText("A new one takes every light of its room by itself. Not meant:");
  const extra = (await told.locator("ol li").first().innerText()).match(/^Take (.+) off it/)[1];
  const tried = told.locator("details", { hasText: "Chair remote, pressed" });
  await expect(tried).toContainText("Not run by hand yet");
  await tried.locator("summary").click();
  await tried.getByRole("checkbox", { name: "Reading lamp" }).check();
  await tried.getByLabel("Something else").selectOption({ label: extra });
  await tried.getByRole("button", { name: "Put it on record" }).click();
  await expect(tried).toContainText(`${extra} moved too: take it off, and run it again.`);
  await tried.getByRole("checkbox", { name: "Reading lamp" }).check();
  await tried.getByRole("button", { name: "Put it on record" }).click();
  await expect(tried).toContainText("as meant");
  await expect(tried).not.toContainText("moved too");
});

test("a switch is pressed on the plan, and shows what it moves", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/controls?of=star-liv-remote");
  await page.locator('.plan .dot[data-device="star-hall-key"]').first().focus();
  await page.keyboard.press("Enter");
  await page.waitForURL(/of=star-hall-key/);
  await expect(page.locator(".plan .way.chosen").first()).toBeAttached();
});

test("a sensor, a phrase and a message each set a rule off, with what must hold", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/schedules?on=2027-01-01");
  const others = page.locator('[data-part="others"]');
  await expect(others.locator("form")).toHaveCount(3);
  const says = page.locator('form[data-new-rule="says"]');
  await says.getByRole("button", { name: "Add the phrase" }).click();
  await expect(says.getByRole("alert").or(page.locator("[data-notice]:visible"))).toContainText("write the words");
  await says.getByLabel("Somebody says").fill("lights out");
  await says.getByLabel("then").selectOption({ label: "scene Evening" });
  await page.keyboard.press("Tab");
  await says.getByRole("button", { name: "Add the phrase" }).click();
  const night = others.locator("form", { hasText: "lights out" });
  await expect(night).toContainText("On “lights out”");
  const sensor = page.locator('form[data-new-rule="state"]');
  await sensor.getByLabel("Sensor").selectOption({ label: "Yard room motion" });
  await sensor.getByLabel("then").selectOption({ label: "Sluice gallery" });
  await sensor.getByRole("button", { name: "Add it" }).click();
  const dark = others.locator("form", { hasText: "Sluice gallery" });
  await dark.getByLabel("Only when").selectOption({ label: "where it is darker than 30 lx" });
  await expect(dark).toContainText("only under 30 lux");
  await dark.getByLabel("lx").fill("12");
  await page.keyboard.press("Tab");
  await expect(dark).toContainText("only under 12 lux");
  await dark.getByRole("button", { name: "Without: only where it is darker" }).click();
  await expect(dark).not.toContainText("lux");
  const message = page.locator('form[data-new-rule="alert"]');
  await message.getByLabel("A message comes of").fill("smoke");
  await message.getByLabel("then").selectOption({ label: "all of Hall" });
  await message.getByRole("button", { name: "Add the message" }).click();
  await expect(others.locator("form", { hasText: "On an alert of smoke" })).toBeVisible();
  // What is said is looked up among the phrases of the household.
  await open(page, "/jobs/larkfield-mill/spoken?say=lights+out");
  await expect(page.locator("main")).toContainText("lights out: On “lights out”: scene “Evening”, by the hub.");
});

test("a scene that works everything leaves out what is to stay", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/schedules");
  await page.getByRole("button", { name: "Add a scene" }).click();
  const scene = page.locator('[data-part="scenes"] section').last();
  await scene.getByLabel("Add to Scene").selectOption({ label: "everything in the house" });
  await expect(scene).toContainText("Lighting mesh:");
  await scene.getByLabel("Leave out").selectOption({ label: "Hall ceiling" });
  await expect(scene.getByRole("button", { name: "Take Hall ceiling along again" })).toBeVisible();
  await expect(scene).toContainText("everything but 1 of the house");
});

test("a calendar is brought in as rules, and what is done already is not done twice", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/schedules");
  const own = await page.request.get("/jobs/larkfield-mill/schedule.ics").then((answer) => answer.body());
  const bring = (name, buffer) => page.locator('[data-bring="schedule.ics"]').setInputFiles({ name, mimeType: "text/calendar", buffer });
  const before = (await site(page)).rules.length;
  await bring("own.ics", own);
  const weekly = ["BEGIN:VCALENDAR", "BEGIN:VEVENT", "SUMMARY:Sluice gallery on", "DTSTART:20270301T053000", "RRULE:FREQ=WEEKLY;BYDAY=MO,TU", "END:VEVENT",
    "BEGIN:VEVENT", "SUMMARY:Ballroom on", "DTSTART:20270301T053000", "RRULE:FREQ=DAILY", "END:VEVENT", "END:VCALENDAR", ""].join("\r\n");
  await bring("weekly.ics", Buffer.from(weekly));
  const findings = page.locator("[data-bring-findings]");
  await expect(findings).toContainText("Ballroom on");
  await expect(page.locator('[data-part="times"] form', { hasText: "Sluice gallery" })).toContainText("At 05:30, Monday, Tuesday: Sluice gallery on, by the hub.");
  expect((await site(page)).rules.length).toBe(before + 1);
});

test("rules go out and come in again, and days off come from a calendar", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/schedules?on=2027-01-01");
  const file = await (await page.request.get("/jobs/larkfield-mill/rules.json")).json();
  const before = (await site(page)).rules.length;
  expect(file.rules).toHaveLength(before);
  const lantern = file.rules.find((r) => r.id === "lantern-off");
  lantern.when.at = "23:50";
  file.rules = [lantern, { ...lantern, id: "stray", does: [{ what: { device: "nobody" }, to: "off" }] }];
  await page.locator('[data-bring="rules.json"]').setInputFiles({
    name: "rules.json", mimeType: "application/json", buffer: Buffer.from(JSON.stringify(file)),
  });
  await expect(page.locator("[data-bring-findings]")).toContainText("rule stray");
  await expect(page.locator('form[data-id="lantern-off"]').getByLabel("At", { exact: true })).toHaveValue("23:50");
  expect((await site(page)).rules).toHaveLength(before);
  const calendar = "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nDTSTART;VALUE=DATE:20270329\r\nSUMMARY:Easter\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n";
  await page.locator('[data-bring="holidays.ics"]').setInputFiles({
    name: "days.ics", mimeType: "text/calendar", buffer: Buffer.from(calendar),
  });
  await expect(page.getByLabel("Holidays", { exact: true })).toHaveValue(/2027-03-29/);
  const out = await (await page.request.get("/jobs/larkfield-mill/schedule.ics")).text();
  expect(out).toContain("SUMMARY:Yard lantern off");
});

test("all goes off by one held key, but for what is left out, and whoever stays on is found", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/controls?of=star-hall-key");
  const grid = page.getByRole("grid");
  const everything = grid.locator("tbody tr[data-what]", { has: page.getByRole("rowheader", { name: "Everything" }) });
  const held = (await grid.locator("thead th[data-at]").allInnerTexts()).findIndex((text) => text.trim() === "let go");
  await everything.locator("td").nth(held).click();
  await page.keyboard.type("off");
  await page.keyboard.press("Enter");
  await expect(everything.locator("td").nth(held)).toHaveText("off");
  const told = page.locator('[data-part="keys-told"]');
  const leaves = told.getByLabel("Leave out");
  await leaves.selectOption({ label: "Hall thermostat" });
  await expect(told.getByRole("button", { name: "Take Hall thermostat along again" })).toBeVisible();
  const made = (await site(page)).rules.find((r) => r.does[0].what["all-but"]);
  expect(made.does[0].what["all-but"]).toEqual(["heat-hall-heat"]);
  const tried = told.locator("details", { hasText: "let go" });
  await tried.locator("summary").click();
  for (const box of (await tried.getByRole("checkbox").all()).slice(1)) await box.check();
  const straggler = (await tried.locator("label.tick").first().innerText()).trim();
  await tried.getByRole("button", { name: "Put it on record" }).click();
  await expect(tried).toContainText(`${straggler} did not move.`);
});

test("a remote: tied from the side that its row says, fixed as somebody said, and groups told by one message", async ({ page }) => {
  const job = "/jobs/larkfield-mill";
  const put = (kind, value) => page.request.post(`${job}/edits`, { data: { client: "t", edit_id: value.id, edit: { do: "put", kind, value } } });
  await put("point", { id: "by-chair", name: "By the chair", floor: "ground", at: [4, 4], height_m: 1.1, kind: "bare-wall" });
  await put("device", { id: "chair", name: "Chair remote", point: "by-chair", kind: "remote-battery", network: "mesh" });
  await put("rule", {
    id: "chair-press", when: { on: "press", controller: "chair" }, does: [{ what: { device: "mesh-liv-lamp" } }], runs: "direct",
  });
  await open(page, `${job}/library?kind=remote-battery`);
  const tied = page.locator('[name="hand.tied_from"]');
  await expect(tied.locator("option:checked")).toHaveText("nobody wrote it down");
  await page.getByRole("button", { name: /^Make it this/ }).click();
  await tied.selectOption({ label: "from the remote, held beside the load" });
  await saved(page);

  await open(page, `${job}/controls?of=chair`);
  await page.getByLabel("Fixed by").selectOption({ label: "screws" });
  await saved(page);
  await expect.poll(async () => (await site(page)).devices.find((d) => d.id === "chair").fixed).toBe("screws");

  await open(page, `${job}/install`);
  const work = await page.locator('a[href*="work?of="]').evaluateAll((all) => [...new Set(all.map((a) => a.href))]);
  for (const address of work.reverse()) {
    await open(page, address);
    if (await page.locator("[data-move]", { hasText: "Chair remote" }).count() > 0) break;
  }
  const asked = page.locator("[data-move]", { hasText: "no pipe runs behind" });
  await expect(asked).toContainText("No box lies behind it; or in it each conductor is joined in a connector or capped by itself");
  const card = page.locator('[data-move="chair.tied"]');
  await expect(card).toContainText("Reading lamp: hold Chair remote within a hand of it");

  await open(page, `${job}/brief`);
  const mesh = page.locator('form.network-form[data-id="mesh"]');
  await mesh.getByLabel("Groups by one message").selectOption({ index: 1 });
  await saved(page);
  await open(page, `${job}/schedules`);
  const scene = page.locator('[data-part="scenes"] section').first();
  await expect(scene).not.toContainText("of which nobody has said");
});
