// Small jobs from the plan of their wires to their end, on a phone: what each box gets stands on the sheet, every card of
// the day is done in its order, and nothing is done against a rule to get there.
import { execFileSync } from "node:child_process";
import fs from "node:fs";
import path from "node:path";
import { expect, open, test } from "./fixtures.mjs";
import { HOUSES } from "./houses.mjs";
import {
  act, as, binary, current, database, doMove, fillIsolation, installCode, key, record, serving, site, steps, takeAll,
} from "./phone.mjs";

test.use({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });

/** A house in the program, who is at work there, and what the command line says of its wires. */
async function begin(page, context, name) {
  const job = HOUSES[name]();
  const { db, folder } = database(JSON.stringify(job));
  const { program, url } = await serving(db);
  await as(context, url, "Ines Calder");
  await open(page, url);
  const home = await page.locator('a[href^="/jobs/"]').first().getAttribute("href");
  const id = home.split("/")[2];
  const wiring = () => {
    const file = path.join(folder, "now.json");
    fs.writeFileSync(file, execFileSync(binary, ["export", "--db", db, id], { maxBuffer: 1e8 }));
    return JSON.parse(execFileSync(binary, ["wiring", file, "--json"]).toString());
  };
  return { program, url, id, wiring };
}

/** What a card asks for is filled in; a reason is never asked for. */
async function fill(page, card) {
  const move = await card.getAttribute("data-move");
  const device = await card.getAttribute("data-device");
  if (move.startsWith("isolate")) await fillIsolation(card);
  if (move === "find") for (const box of await card.locator('[data-field="checks"] input').all()) await box.check();
  if (move.endsWith(".code")) await card.locator('[data-field="text"]').fill(installCode(device));
  if (move.endsWith(".joined")) await card.locator('[data-field="method"]').selectOption({ index: 1 });
  await expect(card.locator("label.why")).toBeHidden();
}

/** Does every card of every stretch; `at` is asked before each card. */
async function toTheEnd(page, { url, id }, at = async () => {}) {
  const { devices } = await site(page, url, id);
  const hub = devices.find((d) => d.kind === "hub");
  if (hub) {
    for (const step of ["placed", "powered", "phone", "firmware", "clock"]) await takeAll(page, url, hub.id, step, {}, id);
  }
  await open(page, `${url}/jobs/${id}/install`);
  const stretches = await page.locator(".stretches a").evaluateAll((all) => all.map((a) => a.getAttribute("href")));
  for (const href of stretches) {
    await open(page, `${url}${href}`);
    while ((await page.locator("[data-move]:not([data-done])").count()) > 0) {
      await at(await key(page));
      const now = await key(page);
      await doMove(page, (card) => fill(page, card));
      await expect(page.locator(`[data-move="${now}"][data-done]`)).toHaveCount(1);
    }
  }
}

/** Nothing is off, nothing was done against a rule, and each device is closed. */
async function ended(page, { url, id }, devices) {
  const entries = await record(page, url, id);
  expect(entries.filter((e) => e.what.why)).toEqual([]);
  const count = (did) => entries.filter((e) => e.what.did === did).length;
  expect(count("energised")).toBe(count("isolated"));
  for (const device of devices) {
    expect(steps(entries).some((s) => s.device === device && s.step === "closed"), device).toBe(true);
  }
  await open(page, `${url}/jobs/${id}/handover`);
  await expect(page.locator("main")).not.toContainText("against the rule");
}

/** A test of one job in its house. */
function walk(title, name, body) {
  test(title, async ({ page, context }) => {
    const job = await begin(page, context, name);
    try {
      await body(page, job);
    } finally {
      job.program.kill();
    }
  });
}

const of = (told, point, device) => {
  const entry = told.points.find((p) => p.point === point && p.device === device);
  return Object.fromEntries(entry.conductors.map((c) => [c.id, c]));
};

walk("a neutral that is live with its breaker off: the main goes off too", "live-neutral", async (page, job) => {
  let said = false;
  await toTheEnd(page, job, async (now) => {
    if (said || now !== "hall-switch.dead") return;
    said = true;
    const card = current(page);
    await card.getByText("It is not dead").tap();
    // What is live is asked for beside its field.
    await card.getByRole("button", { name: "Write it down" }).tap();
    await expect(card.locator(".field-error[data-shown]")).toContainText("what is live");
    await card.getByLabel("What is live, against what").fill("neutral against earth, 230 V");
    await card.getByLabel("Who decides that").fill("Ines Calder");
    await card.getByRole("button", { name: "Write it down" }).tap();
    // The next cut stands before the box, and comes on again before the first.
    await expect(page.locator('[data-move="isolate-further"]')).toHaveCount(1);
    const keys = await page.locator("[data-move]").evaluateAll((all) => all.map((m) => m.dataset.move));
    expect(keys.indexOf("isolate-further")).toBeLessThan(keys.indexOf("hall-switch.dead"));
    expect(keys.indexOf("energise-further")).toBeLessThan(keys.indexOf("energise"));
    await page.locator("[data-list]").tap();
    await page.locator('[data-move="hall-switch.dead"] h2').tap();
    await expect(current(page)).toContainText("Live with breaker 4 off: neutral against earth, 230 V");
    await expect(current(page).locator("button[data-done]")).toBeDisabled();
    await page.locator("[data-list]").tap();
    await page.locator('[data-move="isolate-further"] h2').tap();
    await expect(current(page)).toContainText("What is off already stays off with it");
    await expect(current(page).locator('[data-field="means"]')).toHaveValue("main");
  });
  expect(said).toBe(true);
  await ended(page, job, ["hall-switch"]);
  const entries = await record(page, job.url, job.id);
  expect(entries.find((e) => e.what.did === "found-live").what.found).toContain("neutral");
  await open(page, `${job.url}/jobs/${job.id}/journal`);
  await expect(page.locator("main")).toContainText("found live");
});

walk("a stair pair whose plain switch stays: both boxes by the method of the product", "stair-plain", async (page, job) => {
  const told = job.wiring();
  const [foot, top] = [of(told, "foot", "unit"), of(told, "top", "plain")];
  // The lamp's conductor stays at the far switch; no two conductors share a terminal at the unit.
  expect(top.s.terminal).toContain("common");
  const terminals = Object.values(foot).filter((c) => c.terminal && !c.joins.length).map((c) => c.terminal);
  expect(new Set(terminals).size).toBe(terminals.length);
  expect(told.groups[0].open).toEqual([]);
  expect(told.groups[0].works.some((w) => w.lamp) && told.groups[0].works.some((w) => !w.lamp)).toBe(true);
  let ticked = 0;
  await toTheEnd(page, job, async (now) => {
    if (!now.endsWith(".wired")) return;
    for (const box of await current(page).locator(".conductors input[type=checkbox]").all()) {
      if (await box.isChecked()) continue;
      await box.check();
      ticked += 1;
    }
    await expect(current(page).locator("svg.wires")).toBeVisible();
  });
  expect(ticked).toBeGreaterThan(8);
  await ended(page, job, ["unit"]);
  const wired = (await record(page, job.url, job.id)).filter((e) => e.what.did === "wired-in").map((e) => e.what);
  expect(Object.values(wired.at(-1).connected).every((c) => c.done)).toBe(true);
});

walk("a stair pair with a companion: each traveller has its part, and is marked", "stair-companion", async (page, job) => {
  const told = job.wiring();
  expect(told.groups[0].open).toEqual([]);
  expect(told.groups[0].works.length).toBe(4);
  const [foot, top] = [of(told, "foot", "companion"), of(told, "top", "unit")];
  // Grey is b at the foot and a at the top: by its colour it is one conductor.
  expect([foot.a.becomes, foot.b.becomes]).toEqual([top.b.becomes, top.a.becomes]);
  expect(new Set([foot.a.becomes, foot.b.becomes])).toEqual(new Set(["line", "signal"]));
  await open(page, `${job.url}/jobs/${job.id}/install/electrician`);
  await expect(page.locator("main")).toContainText("permanent line");
});

walk("a third switch beside two that stay: by circuit and gang, their feed kept", "third-switch", async (page, job) => {
  const told = job.wiring();
  const box = of(told, "kitchen", "kitchen-switch");
  for (const c of Object.values(box)) {
    for (const other of c.joins) expect(box[other].circuit, `${c.id} and ${other}`).toBe(c.circuit);
  }
  expect([box.s1.terminal, box.s2.terminal, box.s.terminal]).toEqual(["", "", "load"]);
  expect(told.groups[0].open.join(" ")).toContain("switch in gang 1");
  await open(page, `${job.url}/jobs/${job.id}/install/electrician`);
  await expect(page.locator("main")).toContainText("its leads stay in them");
  await toTheEnd(page, job);
  await ended(page, job, ["kitchen-switch"]);
});

walk("the first dimmer in a crowded box: what goes on stays fed, is named, and is tried after", "crowded", async (page, job) => {
  const told = job.wiring();
  const box = of(told, "den", "den-dimmer");
  expect(box.l.joins).toEqual(["l2"]);
  expect(told.points.find((p) => p.point === "den").feeds_on).toBe(1);
  let [before, after] = [false, false];
  await toTheEnd(page, job, async (now) => {
    const text = await current(page).innerText();
    if (now === "den-dimmer.dead") before = text.includes("Dark while this box is open: Landing sockets");
    const tried = ["each tried: Landing sockets", "trips by its test button"];
    if (now === "den-dimmer.powered") after = tried.every((words) => text.includes(words));
  });
  expect([before, after]).toEqual([true, true]);
  await ended(page, job, ["den-dimmer"]);
});

walk("an outlet that feeds another: a lead from each joint, and the next outlet tried", "half-outlet", async (page, job) => {
  const told = job.wiring();
  const entry = told.points.find((p) => p.point === "socket");
  expect(entry.leads.map((l) => l.carries).sort()).toEqual(["line", "neutral"]);
  expect(entry.feeds_on).toBe(1);
  await toTheEnd(page, job);
  await ended(page, job, ["half"]);
});

walk("a relay of two channels: each load at the channel that was agreed", "two-channels", async (page, job) => {
  const box = of(job.wiring(), "yard", "yard-relay");
  expect([box.s1.terminal, box.s2.terminal]).toEqual(["load 1", "load 2"]);
  let antenna = false;
  await toTheEnd(page, job, async (now) => {
    if (now === "yard-relay.wired") antenna = (await current(page).innerText()).includes("antenna lead");
  });
  expect(antenna).toBe(true);
  await ended(page, job, ["yard-relay"]);
});

walk("two units in one box: one joint of the line with a lead to each", "two-gangs", async (page, job) => {
  const told = job.wiring();
  for (const [point, device, own] of [["door", "left", "s1"], ["door2", "right", "s2"]]) {
    const entry = told.points.find((p) => p.point === point && p.device === device);
    expect(entry.leads.filter((l) => l.carries === "line").length, point).toBe(1);
    expect(of(told, point, device)[own].terminal).toBe("load");
  }
  await toTheEnd(page, job);
  await ended(page, job, ["left", "right"]);
});

walk("a relay inside a table lamp: the plug in the hand, its code before it is closed", "lamp-relay", async (page, job) => {
  expect(job.wiring().points).toEqual([]);
  const seen = [];
  await toTheEnd(page, job, async (now) => {
    seen.push(now);
    const text = await current(page).innerText();
    if (now !== "relay.bench") return;
    for (const words of ["The plug is out", "polarity", "is line", "mains until the maker's sheet"]) {
      expect(text.toLowerCase()).toContain(words === "polarity" ? "which conductor of the cord" : words.toLowerCase());
    }
  });
  // No breaker, no notice, no electrician; the code stands before the bench, that before its place.
  expect(seen.filter((k) => /isolate|tester|energise|dead/.test(k))).toEqual([]);
  const order = ["relay.code", "relay.bench", "relay.placed", "relay.joined", "relay.closed"].map((k) => seen.indexOf(k));
  expect(order).toEqual([...order].sort((a, b) => a - b));
  expect(order).not.toContain(-1);
  await ended(page, job, ["relay"]);
});

walk("two versions of a switch of two keys: the spare one is a button, gestures have their targets", "spare-key", async (page, job) => {
  const told = job.wiring();
  const [hall, study] = [of(told, "hall", "hall-unit"), of(told, "study", "study-unit")];
  expect([hall.s1.terminal, hall.n.terminal]).toEqual(["load 1", "neutral"]);
  expect([study.s1.terminal, study.s2.terminal]).toEqual(["load 1", "load 2"]);
  expect(told.groups.map((g) => g.open)).toEqual([[], []]);
  const said = {};
  await toTheEnd(page, job, async (now) => {
    said[now] = await current(page).innerText();
  });
  expect(said["hall-unit.wired"]).toContain("Channel 2 has no load: its output is capped by itself");
  expect(said["hall-unit.settings"]).toContain("Key 2 is an entry of its own in the hub's list");
  expect(said["study-unit.wired"]).not.toContain("has no load");
  expect(said["turner.tied"]).toContain("By turned left it works Hall unit, and nothing else");
  expect(said["turner.tied"]).toContain("By tapped twice it works Study unit, and nothing else");
  await ended(page, job, ["hall-unit", "study-unit"]);
});

walk("dimmers of a phone mesh: set as master or follower before they are closed, tied after their master is in", "phone-mesh", async (page, job) => {
  const told = job.wiring();
  expect(told.groups.flatMap((g) => g.open)).toEqual([]);
  const foot = of(told, "foot", "one");
  expect(Object.values(foot).some((c) => c.terminal.startsWith("load"))).toBe(false);
  const [said, seen] = [{}, []];
  await toTheEnd(page, job, async (now) => {
    seen.push(now);
    said[now] = await current(page).innerText();
  });
  expect(said["master.wired"]).toContain("Set to what is planned here: master, neutral there");
  expect(said["one.wired"]).toContain("Set to what is planned here: follower, neutral there");
  expect(said["alone.wired"]).toContain("Set to what is planned here: master, no neutral");
  // No hub, no card of one; each follower after the master.
  expect(seen.some((k) => k.startsWith("hub."))).toBe(false);
  for (const follower of ["one", "two"]) expect(seen.indexOf("master.joined")).toBeLessThan(seen.indexOf(`${follower}.tied`));
  await ended(page, job, ["master", "one", "two", "alone"]);
});

walk("lines found with the power on: between two proofs, with nobody near and nothing joined", "find-lines", async (page, job) => {
  const seen = [];
  await toTheEnd(page, job, async (now) => {
    seen.push(now);
    const card = current(page);
    if (now === "find" && seen.filter((k) => k === "find").length === 1) {
      // Each thing is looked at before; what is not ticked is asked for beside it.
      await card.getByRole("button", { name: "It is on for finding lines" }).tap();
      await expect(card.locator(".field-error[data-shown]")).toContainText("capped by itself");
      await expect(card).toContainText("Whoever the law does not let work here stops");
      await expect(card.getByRole("link", { name: "Porch" })).toHaveAttribute("href", /survey\?point=porch/);
    }
    if (now === "find-over") {
      const switched = { do: "set", kind: "point", id: "porch", field: "conductors.3.found", value: "switched" };
      expect((await act(page, job.url, switched, job.id)).ok).toBe(true);
    }
  });
  const count = (k) => seen.filter((s) => s === k).length;
  expect([count("find"), count("find-over"), count("prove"), count("porch-switch.dead")]).toEqual([1, 1, 2, 2]);
  await ended(page, job, ["porch-switch"]);
  await open(page, `${job.url}/jobs/${job.id}/journal`);
  await expect(page.locator("main")).toContainText("Power on for finding lines");
  await open(page, `${job.url}/jobs/${job.id}/handover`);
  await expect(page.locator("main")).toContainText("on for finding lines by Ines Calder");
});
