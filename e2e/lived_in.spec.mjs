// Houses that are lived in: what runs there is taken from its hub's list and laid on the plan, and the small job beside it
// is a few cards. Cards and taps of a thumb are counted, and printed beside what they may be.
import { expect, open, test } from "./fixtures.mjs";
import { HOUSES, single } from "./houses.mjs";
import { act, current, lookedAt, record, site, steps } from "./phone.mjs";
import { Thumb, doCard, ended, ofMesh, toTheEnd, told, walk } from "./thumb.mjs";

test.use({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });

walk("one switch beside a hub that runs: eight cards, with every step of safety", HOUSES["beside-a-hub"], async (page, job) => {
  const thumb = new Thumb();
  await toTheEnd(page, job, thumb, ofMesh);
  told("One switch beside a hub that runs", thumb, { cards: 8, taps: 25 });
  const entries = await ended(page, job, ["hall-switch"]);
  // Each thing that was looked at stands on record by itself.
  const looked = lookedAt(entries, "hall-switch");
  const own = steps(entries).map((s) => s.step);
  for (const step of ["dead", "noted", "wired", "checked", "dry-fitted", "powered", "tested", "closed"]) expect(own).toContain(step);
  expect(looked.length).toBeGreaterThan(25);
  // Neither hub nor plug is bought or joined.
  expect(steps(entries).filter((s) => s.device !== "hall-switch")).toEqual([]);
  await open(page, `${job.url}/jobs/${job.id}/bill`);
  await expect(page.locator("main")).toContainText("Switch, needs neutral");
  await expect(page.locator("main")).not.toContainText("Plug-in socket");
});

walk("a box that surprises says on its card what fits in it, and the rest of the day goes on around that", HOUSES["beside-a-hub"],
  async (page, job) => {
  let surprised = false;
  const answers = async (parts, thumb) => {
    const wired = parts.and(page.locator('[data-of-step="wired"]:not([data-done])'));
    if (!surprised && await wired.count() > 0) {
      surprised = true;
      await expect(page.locator(".surprise")).toHaveCount(0);
      // No neutral is in it: what the plan had of it stands somewhere else.
      const there = single("panel").filter((one) => one.found !== "neutral");
      const found = [["neutral", "absent"], ["conductors", there]]
        .map(([field, value]) => ({ do: "set", kind: "point", id: "hall", field, value }));
      for (const edit of found) expect((await act(page, job.url, edit, job.id)).ok).toBe(true);
      await expect(page.locator(".surprise")).toContainText("It needs a neutral");
      await page.getByRole("button", { name: /^Switch, no neutral needed, / }).tap();
      await expect(page.locator(".surprise")).toHaveCount(0);
    }
    await ofMesh(parts, thumb);
  };
  await toTheEnd(page, job, new Thumb(), answers);
  expect((await site(page, job.url, job.id)).devices.find((d) => d.id === "hall-switch").kind).toBe("switch-two-wire");
  await ended(page, job, ["hall-switch"]);
});

walk("fewer answers than agreed go on record and are no step, and the test that passes is the acceptance's", HOUSES["beside-a-hub"],
  async (page, job) => {
  let tried = false;
  const answers = async (parts, thumb) => {
    await ofMesh(parts, thumb);
    const test = parts.and(page.locator('[data-of-step="tested"]:not([data-done])'));
    if (tried || await test.count() === 0) return;
    tried = true;
    // What is no number is said beside its field, and nothing is sent.
    await test.locator('[data-field="arrived"]').fill("all but two");
    await parts.locator("[data-card-foot]:not([hidden]) [data-card-done]").tap();
    await expect(test).toContainText("give a number, or leave it blank");
    await test.locator('[data-field="arrived"]').fill("8");
    await parts.locator("[data-card-foot]:not([hidden]) [data-card-done]").tap();
    await expect(test).toContainText("8 of 10 shows that at least");
    await expect(test.locator('[data-field="arrived"]')).toHaveValue("");
    // Pressed again, and timed by a thumb.
    await test.locator("[data-time-press]").tap();
    await test.locator("[data-time-press]").tap();
    await expect(test.locator('[data-field="delay_ms"]')).not.toHaveValue("");
  };
  await toTheEnd(page, job, new Thumb(), answers);
  const entries = await ended(page, job, ["hall-switch"]);
  const pressed = entries.map((e) => e.what).filter((w) => w.did === "pressed");
  expect(pressed.map((t) => t.arrived)).toEqual([8, 10]);
  expect(pressed[1].delay_ms).toBeGreaterThan(0);
  expect(pressed[1].conditions).toEqual(["box-closed", "doors-lived"]);
  // The plate went on for good after it, and what was tested with it on counts.
  await open(page, `${job.url}/jobs/${job.id}/prove/acceptance`);
  await expect(page.locator("main")).toContainText("18 of 20 shows");
});

walk("a switch without neutral and a button in a rented flat, beside a hub that runs", HOUSES["rented"], async (page, job) => {
  const thumb = new Thumb();
  await toTheEnd(page, job, thumb, ofMesh);
  // 38 cards and 70 taps before.
  told("A switch and a button in a rented flat", thumb, { cards: 14, taps: 40 });
  await ended(page, job, ["hall-switch", "button"]);
  await open(page, `${job.url}/jobs/${job.id}/handover`);
  await expect(page.locator("main")).not.toContainText("against the rule");
});

walk("a hub's list of forty is laid on the plan, each with a tap", HOUSES["forty"], async (page, job) => {
  const rooms = ["Hall", "Kitchen", "Study", "Parlour"];
  const kinds = ["dimmer", "plug-in socket", "motion sensor", "hand remote", "lamp"];
  const lines = Array.from({ length: 40 }, (_, n) => `${rooms[n % 4]} ${kinds[n % 5]} ${n};${n + 2};${kinds[n % 5]};${rooms[n % 4]}`);
  await open(page, `${job.url}/jobs/${job.id}/existing`);
  // What is no list says so beside the field, and nothing typed is lost.
  const thumb = new Thumb();
  await page.getByLabel("The list, pasted").fill(["name;number;model;room", ...lines, lines[3], "Hub;;hub;"].join("\n"));
  await page.getByRole("button", { name: "Take it in" }).tap();
  await expect(page.locator("[data-list-told]")).toContainText("40 taken in");
  await expect(page.locator("[data-list-findings]")).toContainText("stands in the list twice");
  await expect(page.locator("[data-list-findings]")).toContainText("is on the plan already");
  for (let left = 40; left > 0; left -= 1) {
    const card = page.locator("[data-entry]");
    const entry = await card.getAttribute("data-entry");
    const room = (await card.locator("h2").innerText()).split(" ")[0];
    // The room by its name stands first.
    const first = card.locator(".lay-at").last().locator("button").first();
    await expect(first).toHaveText(room);
    await thumb.tap(first);
    await expect(page.locator(`[data-entry="${entry}"]`)).toHaveCount(0);
  }
  console.log(`A hub's list of forty: ${thumb.taps} taps, ${thumb.taps / 40} each`);
  expect(thumb.taps / 40).toBeLessThan(2);
  const { devices, points, hub_entries: left } = await site(page, job.url, job.id);
  expect(left).toEqual([]);
  const there = devices.filter((d) => d.already_there === "yes");
  expect(there.length).toBe(41);
  const places = points.filter((p) => there.some((d) => d.point === p.id)).map((p) => p.at.join());
  expect(new Set(places).size).toBe(places.length);
  // Nothing of it is bought, and none of it is a card; undo takes the last one off the plan again.
  await open(page, `${job.url}/jobs/${job.id}/install`);
  await expect(page.locator(".stretches")).toHaveCount(0);
  await open(page, `${job.url}/jobs/${job.id}/existing`);
  await expect(page.locator("main")).toContainText("Nothing waits");
});

walk("a dead unit: out of the list as failed, another in its place, set as it was, tested like any", HOUSES["beside-a-hub"],
  async (page, job) => {
  await toTheEnd(page, job, new Thumb(), ofMesh);
  const set = { id: "w-hall-switch", device: "hall-switch", settings: { "After power comes back": "off" } };
  expect((await act(page, job.url, { do: "put", kind: "wiring-record", value: set }, job.id)).ok).toBe(true);
  const before = steps((await ended(page, job, ["hall-switch"]))).length;
  await open(page, `${job.url}/jobs/${job.id}/install/fault?device=hall-switch`);
  const dead = page.locator("details.gave-out");
  await dead.locator("summary").tap();
  await expect(dead).toContainText("After power comes back: off");
  await dead.locator('[name="why"]').fill("its relay sticks");
  await dead.getByRole("button", { name: "Put another in its place" }).tap();
  await expect(page.locator("[data-notice]")).toContainText("It is on the day again");
  let seen = false;
  const thumb = new Thumb();
  await toTheEnd(page, job, thumb, async (parts, hand) => {
    const kept = parts.locator('[name="settings.After power comes back"]');
    if (await kept.count() > 0) {
      await expect(kept.first()).toHaveValue("off");
      seen = true;
    }
    await ofMesh(parts, hand);
  });
  told("A dead unit swapped", thumb, { cards: 9, taps: 27 });
  expect(seen).toBe(true);
  const entries = await record(page, job.url, job.id);
  expect(entries.filter((e) => e.what.why && e.what.did !== "gave-out")).toEqual([]);
  const again = steps(entries).slice(before).map((s) => s.step);
  expect(again.indexOf("excluded")).toBeGreaterThanOrEqual(0);
  expect(again.indexOf("excluded")).toBeLessThan(again.indexOf("dead"));
  for (const step of ["wired", "joined", "settings", "tested", "closed"]) expect(again).toContain(step);
});

walk("what a phone without a line did in a box that went on without it is one question, in the words of the trade",
  HOUSES["beside-a-hub"], async (page, job) => {
  await open(page, `${job.url}/jobs/${job.id}/install`);
  await page.locator(".stretches a").first().tap();
  const onCard = async () => current(page).getAttribute("data-of-step");
  while (await onCard() !== "dead") await doCard(page, new Thumb());
  await page.context().setOffline(true);
  for (const box of await current(page).locator("[data-check]").all()) await box.check();
  await current(page).locator("button[data-done], [data-card-done]").first().tap();
  const line = page.locator("[data-waiting]");
  await expect(line).toContainText("wait");
  // Shut it stands in one line, above the cards.
  expect((await line.boundingBox()).height).toBeLessThan(60);
  // Meanwhile the power came on again: the holder did it from another phone.
  const [off] = (await record(page, job.url, job.id)).filter((e) => e.what.did === "isolated");
  const on = { do: "energise", isolation: off.what.id, by: "Ines Calder", at: new Date().toISOString() };
  expect((await act(page, job.url, on, job.id)).ok).toBe(true);
  await page.context().setOffline(false);
  const question = line.locator(".refused");
  await expect(question).toHaveCount(1);
  await expect(question).toContainText("not taken, since the house is further than this phone knew");
  await expect(question).not.toContainText(/hall-switch|iso-/);
  await question.getByRole("button", { name: "It stands as the house has it" }).tap();
  await expect(line).toBeHidden();
  expect(steps(await record(page, job.url, job.id)).filter((s) => s.step === "dead")).toEqual([]);
});
