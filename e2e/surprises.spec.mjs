// The Mill on the days that go otherwise, at phone size with a hub that is not there: the box that surprises, joining that
// says nothing, codes that were misread, tests that are none; and the line is cut where it hurts.
import { execFileSync } from "node:child_process";
import { expect, nothingWaits, open, ready, start, test } from "./fixtures.mjs";
import {
  act, as, because, binary, codeOf, current, database, doMove, fillIsolation, hubsReady, installCode, key, record, serving, site, steps,
  tickAll,
} from "./phone.mjs";
import { Thumb, cardOf, doCard, ofMesh } from "./thumb.mjs";

test.use({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });
test.setTimeout(180_000);

const JOB = "/jobs/larkfield-mill";
const OTTO = {
  do: "put", kind: "person", value: { id: "otto", name: "Otto Winn", part: "electrician", may_mains: true, licence: "LM-3107" },
};

/** A test on the Mill, its hubs ready and listened to. */
function onTheMill(title, body) {
  test(title, async ({ page, context, browser }) => {
    const { db, file } = database(execFileSync(binary, ["standin", "larkfield-mill"], { maxBuffer: 1e8 }).toString());
    const { program, url } = await serving(db);
    const hub = start(["hub", file, "--port", "0", "--speed", "60"]);
    try {
      await as(context, url, "Ines Calder");
      await open(page, `${url}${JOB}/install`);
      await hubsReady(page, url);
      const collector = (await hub.address).replace("http://", "");
      await act(page, url, { do: "set", kind: "job", id: "job", field: "collector", value: collector });
      await body({ page, browser, url, collector, does: (edit) => act(page, url, edit) });
    } finally {
      program.kill();
      hub.program.kill();
    }
  });
}

/** Goes on until a card of a kind is in hand. */
async function until(page, kind, more = async () => {}) {
  while (!(await key(page)).endsWith(kind)) {
    await doMove(page, async (card) => {
      const move = await card.getAttribute("data-move");
      if (move.startsWith("isolate")) await fillIsolation(card);
      if (move.endsWith(".code")) await card.locator('[data-field="text"]').fill(codeOf(await card.getAttribute("data-device")));
      await because("agreed with the planner")(card);
      await more(card);
    });
  }
}

async function takeUp(page, move) {
  await page.locator("[data-list]").tap();
  await page.locator(`[data-move="${move}"] h2`).tap();
}

/** Puts the old wiring back, each thing looked at before. */
async function putBack(page) {
  const back = current(page).locator("details.other");
  await back.locator("summary").tap();
  const done = back.getByRole("button", { name: "The old wiring is back" });
  await expect(done).toBeDisabled();
  for (const box of await back.locator("[data-also]").all()) await box.check();
  await expect(done).toBeEnabled();
  await done.tap();
}

const refusal = (page) => current(page).locator(".field-error[data-shown], [data-refused]:visible").first();

onTheMill("two phones on one breaker, one without a line, and a box that has no neutral: nothing is lost, nobody is asked, no box is left",
  async ({ page, browser, url, does }) => {
  await does(OTTO);
  await open(page, `${url}${JOB}/install/work?of=7`);
  await until(page, ".dead");
  const boxes = ["mesh-liv-wall", "mesh-slu-light"];
  const other = await browser.newContext({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });
  try {
    await as(other, url, "Otto Winn");
    const second = await other.newPage();
    await open(second, `${url}${JOB}/install/work?of=7`);
    await other.setOffline(true);
    await takeUp(second, `${boxes[1]}.dead`);
    for (const step of ["dead", "noted"]) {
      expect(await key(second)).toBe(`${boxes[1]}.${step}`);
      await tickAll(second);
      await current(second).locator("button[data-done]").tap();
      await expect(second.locator(`[data-move="${boxes[1]}.${step}"][data-waits]`)).toHaveCount(1);
    }
    // Meanwhile Ines opens another box: no neutral is in it.
    await takeUp(page, `${boxes[0]}.dead`);
    await doMove(page);
    const { devices, points } = await site(page, url);
    const at = points.find((p) => p.id === devices.find((d) => d.id === boxes[0]).point);
    const there = (at.conductors ?? []).filter((one) => one.found !== "neutral");
    for (const [field, value] of [["neutral", "absent"], ["conductors", there]]) {
      expect((await does({ do: "set", kind: "point", id: at.id, field, value })).ok).toBe(true);
    }
    // The box stays on its stretch, and what fits in it instead stands on its card.
    await expect(current(page).locator(".surprise")).toBeVisible();
    await expect(current(page).locator(".surprise").getByRole("button", { name: /Blank it off/ })).toBeVisible();
    expect(await key(page)).toContain(boxes[0]);
    // Her line goes too: she puts back what was there.
    await page.context().setOffline(true);
    await takeUp(page, "energise");
    await expect(current(page).locator("[data-need]:visible").first()).toContainText("is open");
    await expect(current(page).locator("[data-no-line]")).toBeVisible();
    await expect(current(page).locator("button[data-done]")).toBeDisabled();
    await page.locator("[data-list]").tap();
    const first = page.locator(`[data-move^="${boxes[0]}."]:not([data-done])`).first();
    await first.locator("h2").tap();
    await putBack(page);
    // Both come back, in whatever order.
    await other.setOffline(false);
    await nothingWaits(second);
    await page.context().setOffline(false);
    await nothingWaits(page);
    for (const phone of [page, second]) await expect(phone.locator(".refused")).toHaveCount(0);
    const told = steps(await record(page, url));
    expect(told.filter((s) => s.device === boxes[1]).map((s) => s.step)).toEqual(["dead", "noted"]);
    expect(told.filter((s) => s.device === boxes[0]).map((s) => s.step)).toContain("put-back");
    // Otto's box keeps the power off, by his name; the one that was put back does not.
    await open(page, `${url}${JOB}/install/work?of=7`);
    await takeUp(page, "energise");
    await expect(current(page).locator(".opened")).toContainText("Otto Winn");
    await expect(current(page).locator("button[data-done]")).toBeDisabled();
    await takeUp(second, `${boxes[1]}.wired`).catch(() => {});
    await second.locator(`[data-move^="${boxes[1]}."]:not([data-done])`).first().waitFor();
    await putBack(second);
    await expect(current(page).locator("button[data-done]")).toBeEnabled();
    await current(page).locator("button[data-done]").tap();
    // Both are back as they were: that part of the day is over, and the day is planned anew around it.
    await page.waitForURL(/\/install$/);
    await ready(page);
    expect((await record(page, url)).filter((e) => e.what.did === "energised").length).toBe(1);
  } finally {
    await other.close();
  }
});

onTheMill("a code that was misread, words for a code and the neighbour's code are refused at the box, also after the line was lost",
  async ({ page, url }) => {
  await open(page, `${url}${JOB}/install/work?of=7`);
  await until(page, ".code");
  const field = current(page).locator('[data-field="text"]');
  const good = installCode("first");
  const refused = async (text, says) => {
    await field.fill(text);
    await current(page).locator("button[data-done]").tap();
    await expect(refusal(page)).toContainText(says);
    // What was typed stays, to be held against the label.
    await expect(field).toHaveValue(text);
  };
  const first = await key(page);
  await refused(`G${good.slice(1)}`, "holds “G”, which such a code never does");
  await refused(`${good.slice(0, -1)}${good.endsWith("0") ? "1" : "0"}`, "does not agree with its checksum");
  await refused("on the back of it", /code/);
  expect((await record(page, url)).filter((e) => e.what.did === "code-kept")).toEqual([]);
  await field.fill(good);
  await current(page).locator("button[data-done]").tap();
  await expect(page.locator(`[data-move="${first}"][data-done]`)).toHaveCount(1);
  await expect.poll(() => key(page)).not.toBe(first);
  // The next box has the same label, says the phone: the line is gone, and it waits to be asked.
  await until(page, ".code");
  await page.context().setOffline(true);
  await current(page).locator('[data-field="text"]').fill(good);
  await current(page).locator("button[data-done]").tap();
  const line = page.locator("[data-waiting]");
  await expect(line).toContainText("wait");
  await page.context().setOffline(false);
  const question = line.locator(".refused");
  await expect(question).toHaveCount(1);
  await expect(question).toContainText("It is the code that is kept of Sluice gallery");
  await expect(question).not.toContainText(/mesh-|k-/);
  expect((await record(page, url)).filter((e) => e.what.did === "code-kept").length).toBe(1);
});

onTheMill("a Z-Wave device joins with method, class and number or not at all, and a network closes with one missing for a reason",
  async ({ page, url, collector }) => {
  await open(page, `${url}${JOB}/install/work?of=rest-day-4`);
  const code = async (card) => {
    if ((await card.getAttribute("data-move")).endsWith(".code")) await card.locator('[data-field="text"]').fill("12345");
  };
  await expect(page.locator('[data-move="heat-kit-heat.joined"] [data-listen]')).toHaveCount(1);
  await until(page, "heat-kit-heat.joined", code);
  const done = () => current(page).locator("button[data-done]").tap();
  const values = { method: "classic", security: "s2", node: "7" };
  for (const field of ["method", "security", "node"]) {
    const input = current(page).locator(`[data-field="${field}"]`);
    await done();
    const label = current(page).locator("label").filter({ has: page.locator(`[data-field="${field}"]`) });
    await expect(label.locator(".field-error")).toContainText("say it; the record needs it");
    if (field === "node") await input.fill(values.node);
    else await input.selectOption(values[field]);
  }
  // The line is lost with all of it said: the joining waits, and nothing else of the network is needed for it.
  await page.context().setOffline(true);
  await done();
  await expect(page.locator('[data-move="heat-kit-heat.joined"][data-waits]')).toHaveCount(1);
  await page.context().setOffline(false);
  await nothingWaits(page);
  const [joined] = (await record(page, url)).map((e) => e.what).filter((w) => w.did === "joined");
  expect([joined.method, joined.node]).toEqual(["classic", 7]);
  expect((await site(page, url)).devices.find((d) => d.id === "heat-kit-heat").security).toBe("s2");
  // The next one on this network gets another number, or none.
  await until(page, "heat-land-smoke.joined", code);
  await current(page).locator('[data-field="method"]').selectOption("classic");
  await current(page).locator('[data-field="security"]').selectOption("s2");
  await current(page).locator('[data-field="node"]').fill("7");
  await done();
  await expect(refusal(page)).toContainText("is the number of Kitchen radiator");
  await expect(current(page).locator('[data-field="node"]')).toHaveValue("7");
  // The hub tells its own number, which a tap takes.
  await page.request.post(`http://${collector}/v1/networks/heat/open`, { data: { seconds: 600 } });
  const shows = await (await page.request.post(`http://${collector}/hand/gesture`, { data: { device: "heat-land-smoke" } })).json();
  if (shows.shows === "joined") {
    await expect(current(page).locator("[data-listen]")).toContainText("New: number");
    await current(page).getByText("It is this one").last().tap();
    await expect(current(page).locator('[data-field="node"]')).not.toHaveValue("7");
  }
  // Closing asks why it goes without those that are missing, by name.
  await takeUp(page, "close-heat");
  await expect(current(page)).toContainText("Landing smoke alarm is expected and not in");
  await done();
  await expect(refusal(page)).toContainText("say why it is done all the same");
  await current(page).locator('label.why [data-field="why"]').fill("three come with the next delivery");
  await done();
  await expect(page.locator('[data-move="close-heat"][data-done]')).toHaveCount(1);
  const [closed] = (await record(page, url)).map((e) => e.what).filter((w) => w.did === "network-closed");
  expect(closed.why).toBe("three come with the next delivery");
});

/** What stands of a device against what was agreed. */
async function stands(page, url, name) {
  await open(page, `${url}${JOB}/prove/acceptance`);
  return page.locator('[data-part="accept-table"] tr').filter({ hasText: name }).locator(".verdict").innerText();
}

onTheMill("presses count under what they were pressed under, a delay counts when it was timed, and a hub that was moved undoes both",
  async ({ page, url, does }) => {
  const rule = { id: "a", count: 10, rate: 0.9, delay_ms: 60000, agreed_by: "Ada Quill", agreed_at: "2026-03-14" };
  expect((await does({ do: "put", kind: "acceptance", value: rule })).ok).toBe(true);
  const { devices } = await site(page, url);
  const remote = devices.find((d) => d.id === "star-liv-remote");
  const heard = async (times) => {
    for (let n = 0; n < times; n += 1) await page.getByRole("button", { name: "Heard", exact: true }).tap();
  };
  const pressed = async () => (await record(page, url)).filter((e) => e.what.did === "pressed").length;
  await open(page, `${url}${JOB}/walk?device=${remote.id}`);
  // Nine beside the hub, then one with everything ticked: a remote has no plate to close.
  await heard(9);
  await expect.poll(pressed).toBe(9);
  await page.getByText("As it is lived with").tap();
  await expect(page.locator('[data-condition="box-closed"]')).toBeHidden();
  for (const word of ["doors-lived", "farthest", "turned", "body"]) await page.locator(`[data-condition="${word}"]`).check();
  await heard(1);
  await expect.poll(pressed).toBe(10);
  expect(await stands(page, url, remote.name)).not.toMatch(/^pass/);
  // Nine more under all of it, without a line: they count once it is back, and still nobody has timed it.
  await open(page, `${url}${JOB}/walk?device=${remote.id}`);
  await page.getByText("As it is lived with").tap();
  for (const word of ["doors-lived", "farthest", "turned", "body"]) await page.locator(`[data-condition="${word}"]`).check();
  await page.context().setOffline(true);
  await heard(9);
  await expect(page.locator("[data-saved]")).toHaveText("9 waiting");
  await page.context().setOffline(false);
  await nothingWaits(page);
  await expect.poll(pressed).toBe(19);
  expect(await stands(page, url, remote.name)).not.toMatch(/^pass/);
  await open(page, `${url}${JOB}/walk?device=${remote.id}`);
  await page.getByText("As it is lived with").tap();
  for (const word of ["doors-lived", "farthest", "turned", "body"]) await page.locator(`[data-condition="${word}"]`).check();
  await page.getByRole("button", { name: "Time a press" }).tap();
  await page.getByRole("button", { name: "It answers" }).tap();
  await expect.poll(pressed).toBe(20);
  expect(await stands(page, url, remote.name)).toMatch(/^pass/);
  // The hub goes to another shelf: what was tested from the old one says nothing of the new.
  await open(page, `${url}${JOB}/install`);
  await page.getByText("Something has changed: test the range again").tap();
  await page.locator(".retest li", { hasText: "the hub was moved" }).getByRole("button", { name: "Shades and lamps" }).tap();
  await expect.poll(async () => (await record(page, url)).filter((e) => e.what.did === "unsettled").length).toBe(1);
  expect(await stands(page, url, remote.name)).not.toMatch(/^pass/);
  await page.getByLabel("Name").fill("Ada Quill");
  await page.getByRole("button", { name: "Sign as it stands" }).tap();
  await expect(page.locator('[data-part="accept-signed"]')).toContainText("Ada Quill, client");
  expect((await record(page, url)).map((e) => e.what).find((w) => w.did === "signed").passed).toBe(0);
});

onTheMill("without a line the guide goes on from answer to answer, and the walk test takes any device in hand", async ({ page, url }) => {
  await open(page, `${url}${JOB}/install`);
  await expect(page.locator("[data-kept-line]")).toContainText("Kept on this phone");
  await page.context().setOffline(true);
  const visit = async (path) => {
    await page.goto(`${url}${JOB}${path}`);
    await page.waitForFunction(() => document.documentElement.dataset.ready === "true");
  };
  await visit("/install/fault?device=mesh-liv-lamp");
  await page.locator('[data-led] [data-symptom="vanished"]').tap();
  await expect(page.locator("[data-led] .causes")).toContainText("Known here: ");
  for (let n = 1; n < 12; n += 1) {
    const asked = page.locator("[data-led] section.current h2");
    await expect(page.locator("[data-led] .causes li").first()).toBeVisible();
    if (await asked.count() === 0) break;
    const no = /every switch and plug|light on the device|held its button|own button work|brought near|another one blink|box is touched/;
    await page.locator(`[data-led] [data-answer="${no.test(await asked.innerText()) ? "no" : "yes"}"]`).tap();
    await expect(page.locator("[data-led] .asked li")).toHaveCount(n);
  }
  await expect(page.locator("[data-led]")).toContainText("as good as found");
  await expect(page.locator("[data-led] .causes li").first()).toHaveAttribute("data-cause", "cut-at-wall");
  await page.locator('[data-led] [name="minutes"]').fill("4");
  await page.locator("[data-led]").getByRole("button", { name: "Write it down" }).tap();
  await expect(page.locator("[data-saved]")).toHaveText("1 waiting");
  // Another device is chosen, on another storey.
  await visit("/walk?device=star-bed1-rem");
  await expect(page.locator("[data-walk]")).toHaveAttribute("data-device", "star-bed1-rem");
  await expect(page.locator("[data-walk]")).toHaveAttribute("data-floor", "first");
  await expect(page.locator(".walk-plan svg")).toBeVisible();
  await page.getByRole("button", { name: "Heard", exact: true }).tap();
  await page.locator('select[name="device"]').selectOption("star-liv-remote");
  await page.waitForURL(/star-liv-remote/);
  await page.waitForFunction(() => document.documentElement.dataset.ready === "true");
  await expect(page.locator("[data-with]").first()).toHaveText((await page.locator('option[value="star-liv-remote"]').textContent()).trim());
  await page.getByRole("button", { name: "Not heard" }).tap();
  await expect(page.locator("[data-saved]")).toHaveText("3 waiting");
  await page.context().setOffline(false);
  await nothingWaits(page);
  const told = (await record(page, url)).map((e) => e.what);
  expect(told.filter((w) => w.did === "pressed").map((w) => [w.device, w.arrived])).toEqual([["star-bed1-rem", 1], ["star-liv-remote", 0]]);
  const [met] = told.filter((w) => w.did === "met");
  expect([met.device, met.cause, met.minutes]).toEqual(["mesh-liv-lamp", "cut-at-wall", 4]);
});

onTheMill("names are copied room by room and ticked; what stands in the platform is pasted, and what is wrong there is named", async ({ page, url }) => {
  await open(page, `${url}${JOB}/prove/names`);
  const list = page.locator('[data-part="names"] details').first();
  await expect(list.locator("summary")).toContainText("0 ticked");
  const line = list.locator(".names li").filter({ hasText: "Living wall lamps" });
  await line.locator(".tick").tap();
  await expect(line.locator(".tick")).toHaveAttribute("aria-pressed", "true");
  await expect(list.locator("summary")).toContainText("1 ticked");
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
  const names = await list.locator(".names li b").allInnerTexts();
  const rooms = await list.locator(".names li").evaluateAll((all) => all.map((li) => li.querySelector(".quiet")?.textContent ?? ""));
  const rows = names.map((name, n) => `${name};${n === 0 ? "Default room" : rooms[n]}`).slice(0, -1);
  await page.getByLabel("Its names, pasted").fill(["name;room", ...rows, `${names[1]} 2;`, "Old plug;Attic"].join("\n"));
  await page.getByRole("button", { name: "Hold it against the plan" }).tap();
  await expect(list).toContainText("left in “Default room”");
  await expect(list).toContainText("not there: let it in, or find what it is called");
  await expect(list).toContainText(`a second entry of ${names[1]}`);
  await expect(list).toContainText("nothing of the plan is called so");
  await open(page, `${url}${JOB}/journal`);
  await expect(page.locator("main")).toContainText("Looked at the names in");
});

onTheMill("an hour of the day, counted: a thumb does a breaker's three boxes from off to named", async ({ page, url }) => {
  await open(page, `${url}${JOB}/install`);
  const planned = await page.locator(".stretches li", { hasText: "Breaker 7 off" }).innerText();
  await open(page, `${url}${JOB}/install/work?of=7`);
  const thumb = new Thumb();
  const devices = new Set();
  // Each step with its own button, each thing looked at with its own tick, as it was before the cards were one tap each.
  let before = { steps: 0, taps: 0 };
  while (await page.locator("[data-move]:not([data-done])").count() > 0) {
    const card = await cardOf(page);
    const parts = page.locator(`[data-move][data-card="${card}"]:not([data-done])`);
    for (const device of await parts.evaluateAll((all) => all.map((m) => m.dataset.device).filter(Boolean))) devices.add(device);
    const [steps_, ticks] = [await parts.count(), await parts.locator("[data-check]").count()];
    const taps = thumb.taps;
    await doCard(page, thumb, async (all, hand) => {
      await ofMesh(all, hand);
      for (const why of await all.locator('label.why:visible [data-field="why"]').all()) await hand.fill(why, "the rest waits for another day");
    });
    const typed = Math.max(0, thumb.taps - taps - 1);
    before = { steps: before.steps + steps_, taps: before.taps + steps_ + ticks + Math.min(typed, 3) };
    if (await page.locator("[data-move]:not([data-done])").count() > 0) await expect.poll(() => cardOf(page)).not.toBe(card);
  }
  const each = (n) => (n / devices.size).toFixed(1);
  const now = `${thumb.cards} cards, ${thumb.taps} taps, ${each(thumb.taps)} a device`;
  const was = `${before.steps} steps, ${before.taps} taps, ${each(before.taps)} a device`;
  console.log(`An hour on the Mill, ${planned.replaceAll(/\s+/g, " ")}: ${devices.size} devices, ${now}; each step and tick by itself ${was}`);
  expect(thumb.cards).toBeLessThan(before.steps);
  expect(thumb.taps).toBeLessThan(before.taps);
});
