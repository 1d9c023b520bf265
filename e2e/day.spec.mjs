// The day on a phone: a circuit from isolation to closed with a hub that is not there, the line lost in the
// middle; a day without a line; a kit; a replacement; a master and its companion; a fault found by the guide.
import fs from "node:fs";
import { execFileSync } from "node:child_process";
import { expect, nothingWaits, open, ready, start, test } from "./fixtures.mjs";
import {
  binary, serving, gone, database, current, key, site, record, steps, as, doMove, fillIsolation, codeOf, because, hubsReady, act, slowLine,
} from "./phone.mjs";
import { png } from "./png.mjs";

test.use({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });

const JOB = "/jobs/larkfield-mill";
const mill = () => execFileSync(binary, ["standin", "larkfield-mill"], { maxBuffer: 1e8 }).toString();

test("a circuit from isolation to closed, the line lost in the middle", async ({ page, context }) => {
  const { db, file } = database(mill());
  let { program, url } = await serving(db);
  const port = new URL(url).port;
  const hub = start(["hub", file, "--port", "0", "--speed", "60"]);
  const collector = (await hub.address).replace("http://", "");
  try {
    await as(context, url, "Ines Calder");
    await open(page, `${url}${JOB}/install`);
    await hubsReady(page, url);
    await act(page, url, { do: "set", kind: "job", id: "job", field: "collector", value: collector });
    await page.reload();
    await ready(page);
    await expect(page.locator("[data-kept-line]")).toContainText("Kept on this phone");
    await expect(page.locator("#main")).toContainText("Power goes off 7 times");
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
    await page.locator(".stretches a", { hasText: "Breaker 7 off" }).tap();
    await ready(page);

    // Power off: the record wants to know with what and whom; the tester is shown to work.
    expect(await key(page)).toBe("isolate");
    await expect(current(page)).toContainText("Lock it and hang a notice on it");
    await current(page).locator("button[data-done]").tap();
    await expect(current(page).locator(".field-error[data-shown]")).toContainText("keeps others from switching it on");
    await doMove(page, fillIsolation);
    await doMove(page);

    // The first box, up to where its joints are to be checked.
    const [, first] = [await key(page), (await key(page)).split(".")[0]];
    expect(await key(page)).toBe(`${first}.dead`);
    await expect(current(page)).toContainText("Only a tester says that it is dead");
    while (!(await key(page)).endsWith(".checked")) {
      await doMove(page, async (card) => {
        if ((await card.getAttribute("data-move")).endsWith(".code")) {
          await card.locator('[data-field="text"]').fill(codeOf(first));
        }
        await because("agreed with the planner")(card);
      });
    }

    // The line is lost: the server is gone. What is tapped waits, also over a reload.
    await gone(program);
    await doMove(page);
    await expect(page.locator("[data-saved]")).toContainText("waiting");
    expect(await key(page)).toBe(`${first}.dry-fitted`);
    await page.reload();
    await page.waitForFunction(() => document.documentElement.dataset.ready === "true");
    await expect(page.locator(`[data-move="${first}.checked"]`)).toHaveAttribute("data-waits", "");
    // Nothing is switched on while a box is not safe, with or without a line.
    await page.locator("[data-list]").tap();
    await page.locator('[data-move="energise"] h2').tap();
    await expect(current(page).locator("button[data-done]")).toBeDisabled();
    await expect(current(page).locator("[data-need]:visible").first()).toContainText("is open: dry-fit it, or put it back");
    await page.locator("[data-list]").tap();
    await page.locator(`[data-move="${first}.dry-fitted"] h2`).tap();
    await doMove(page);
    const boxes = await page.locator("[data-move$='.dead']").count();
    for (let box = 1; box < boxes; box += 1) {
      while (!(await key(page)).endsWith(".dry-fitted")) {
        await doMove(page, async (card) => {
          const device = await card.getAttribute("data-device");
          if ((await card.getAttribute("data-move")).endsWith(".code")) await card.locator('[data-field="text"]').fill(codeOf(device));
          await because("agreed with the planner")(card);
        });
      }
      await doMove(page);
    }
    expect(await key(page)).toBe("energise");
    await doMove(page);

    // The line is back: all goes out in its order, none twice.
    ({ program, url } = await serving(db, port));
    await nothingWaits(page);
    await expect(page.locator('[data-move="energise"][data-done]')).toHaveCount(1);
    const after = await record(page, url);
    expect(new Set(steps(after).map((s) => `${s.device}.${s.step}`)).size).toBe(steps(after).length);
    expect(after.find((e) => e.what.did === "energised").by).toBe("Ines Calder");

    // Joining: the hub is heard; a person takes what was heard.
    let joined = 0;
    for (;;) {
      const now = await key(page);
      if (now.startsWith("close-") || now.startsWith("rebuild-")) {
        await doMove(page, because("the rest waits for another day"));
        await expect(page.locator(`[data-move="${now}"][data-done]`)).toHaveCount(1);
        if (await page.locator("[data-move]:not([data-done])").count() === 0) break;
        continue;
      }
      if (now.startsWith("open-")) {
        const network = now.slice("open-".length);
        await page.request.post(`http://${collector}/v1/networks/${network}/open`, { data: { seconds: 600 } });
        await doMove(page);
        continue;
      }
      if (now.endsWith(".joined")) {
        const device = await current(page).getAttribute("data-device");
        await expect(current(page)).toContainText("Look for:");
        const shows = await (await page.request.post(`http://${collector}/hand/gesture`, { data: { device } })).json();
        if (shows.shows === "joined") {
          await expect(current(page).locator("[data-listen]")).toContainText("New: number");
          await current(page).getByText("It is this one").last().tap();
          joined += 1;
        }
        await doMove(page, because("joined where it will live; its carrier comes later"));
        continue;
      }
      await doMove(page, because("agreed with the planner"));
      await expect(page.locator(`[data-move="${now}"][data-done]`)).toHaveCount(1);
      if (await page.locator("[data-move]:not([data-done])").count() === 0) break;
    }
    await expect(page.locator("[data-move]:not([data-done])")).toHaveCount(0);
    expect(joined).toBeGreaterThan(0);
    const end = await record(page, url);
    const closed = steps(end).filter((s) => s.step === "closed");
    expect(closed.length).toBe(boxes);
    const joinings = end.map((e) => e.what).filter((what) => what.did === "joined");
    for (const { device } of closed) {
      for (const step of ["powered", "tested"]) {
        expect(steps(end).some((s) => s.device === device && s.step === step), `${device} ${step}`).toBe(true);
      }
      expect(joinings.some((j) => j.device === device), `${device} joined`).toBe(true);
    }
    await page.goto(`${url}${JOB}/install`);
    await expect(page.locator(".stretches li", { hasText: "Breaker 7 off" })).toContainText(/(\d+) of \1/);
  } finally {
    program.kill();
    hub.program.kill();
  }
});

test("a day without a line: three hundred edits and forty photos, somebody else at the desk", async ({ page, context }) => {
  const { db } = database(mill());
  let { program, url } = await serving(db);
  const port = new URL(url).port;
  try {
    await as(context, url, "Ines Calder");
    await open(page, `${url}${JOB}/install/work?of=7`);
    const before = await site(page, url);
    await context.setOffline(true);
    const photo = [...png(64, 48)];
    await page.evaluate(async ({ photo, ids }) => {
      const { edit } = await import("/assets/js/job.js");
      const blob = new Blob([new Uint8Array(photo)], { type: "image/png" });
      for (let n = 0; n < 300; n += 1) {
        const id = ids[n % ids.length];
        await edit({ do: "set", kind: "point", id, field: "note", value: `note ${n}` }, { force: true, words: `note ${n}` });
        if (n % 8 === 0 && n / 8 < 40) {
          const value = { id: `day-photo-${n / 8}`, point: id, shows: "before", image: "the-photo", at: "2026-03-14T10:00:00Z", by: "Ines Calder" };
          await edit({ do: "put", kind: "photo", value }, { photo: blob, words: "a photo" });
        }
      }
      for (let n = 38; n < 40; n += 1) {
        const value = { id: `day-photo-${n}`, point: ids[0], shows: "before", image: "the-photo", at: "2026-03-14T10:00:00Z", by: "Ines Calder" };
        await edit({ do: "put", kind: "photo", value }, { photo: blob, words: "a photo" });
      }
    }, { photo, ids: before.points.slice(0, 7).map((p) => p.id) });
    await expect(page.locator("[data-saved]")).toHaveText("340 waiting");
    // Meanwhile the desk goes on, and the server falls over once.
    for (let n = 0; n < 10; n += 1) {
      await act(page, url, { do: "set", kind: "point", id: before.points[20 + n].id, field: "note", value: `desk ${n}` });
    }
    await gone(program);
    await page.reload().catch(() => {});
    ({ program, url } = await serving(db, port));
    await context.setOffline(false);
    await page.goto(`${url}${JOB}/install/work?of=7`);
    await nothingWaits(page);
    const after = await site(page, url);
    expect(after.photos.filter((p) => p.id.startsWith("day-photo-")).length).toBe(40);
    for (const [n, point] of before.points.slice(0, 7).entries()) {
      const last = 299 - ((299 - n) % 7);
      expect(after.points.find((p) => p.id === point.id).note).toBe(`note ${last}`);
    }
    for (let n = 0; n < 10; n += 1) {
      expect(after.points.find((p) => p.id === before.points[20 + n].id).note).toBe(`desk ${n}`);
    }
    // In the journal each stands with who did it.
    const told = await page.evaluate(async () => (await fetch("/jobs/larkfield-mill/journal?all=1")).text());
    expect(told).toContain("Ines Calder");
  } finally {
    program.kill();
  }
});

test("a page that comes late over a slow line takes nothing back that was done", async ({ page, context, app }) => {
  const line = await slowLine(app);
  await as(context, line.url, "Ines Calder");
  await open(page, `${line.url}/jobs/larkfield-mill/install/work?of=hubs`);
  await expect(page.locator("html")).toHaveAttribute("data-kept", /\d/);
  await open(page, page.url());
  const [first, second] = await page.locator("[data-on-card] [data-check]").all();
  await first.check();
  await expect(page.locator("[data-saved]")).toHaveText("Saved");
  // Slower than the phone is patient with a page that it could show as it was kept.
  line.slow = 9000;
  await second.check();
  await expect.poll(() => line.held).toBe(1);
  await page.waitForResponse((answer) => answer.url().includes("of=hubs") && answer.request().headers()["x-anew"] === "1");
  line.slow = 0;
  for (const box of [first, second]) await expect(box).toBeChecked();
  await nothingWaits(page);
  await open(page, page.url());
  for (const box of [first, second]) await expect(box).toBeChecked();
  line.end();
});

test("a fault is found by the guide, written down, and known on the next job", async ({ page, app }) => {
  const all = await site(page, app);
  const lamp = all.devices.find((d) => d.kind.startsWith("lamp")) ?? all.devices.find((d) => d.can_be_cut);
  await open(page, `${JOB}/install/fault`);
  await page.locator('select[name="device"]').selectOption(lamp.id);
  await page.waitForURL(/device=/);
  await page.locator('[data-symptom="vanished"]').tap();
  await expect(page.locator(".causes")).toContainText("Known here: ");
  // Somebody cut it at the wall: every answer is as that would have it.
  const says = async () => {
    const asked = await page.locator("section.current h2").textContent();
    const no = /every switch and plug|light on the device|held its button|own button work|brought near|another one blink|box is touched/;
    if (no.test(asked)) return "no";
    return "yes";
  };
  for (let n = 0; n < 12 && (await page.locator("section.current").count()) > 0; n += 1) {
    await page.locator(`[data-answer="${await says()}"]`).tap();
    await expect(page.locator(".asked li")).toHaveCount(n + 1);
  }
  await expect(page.locator(".causes li").first()).toHaveAttribute("data-cause", "cut-at-wall");
  await expect(page.locator("#main")).toContainText("as good as found");
  await ready(page);
  await page.locator('[name="minutes"]').fill("9");
  await page.getByRole("button", { name: "Write it down" }).tap();
  await expect(page.locator("[data-notice]")).toContainText("found again on the next job");
  // Another job of the firm knows of it.
  await page.goto("/jobs/flat-12-quay-court/install/fault?symptom=vanished");
  await expect(page.locator("#main")).toContainText("Somebody cut its supply: at a switch, or a plug pulled: met once before, 9 min each");
});

test("a browser that can keep nothing says so before work is lost", async ({ page, context, app }) => {
  await as(context, app, "Ines Calder");
  await open(page, `${JOB}/install/work?of=7`);
  await page.evaluate(() => {
    IDBObjectStore.prototype.put = () => { throw new DOMException("no room", "QuotaExceededError"); };
  });
  await context.setOffline(true);
  await fillIsolation(current(page));
  await current(page).locator("button[data-done]").tap();
  await expect(page.locator("[data-notice]")).toContainText("It is not recorded: write it down");
  await expect(page.locator('[data-move="isolate"]')).not.toHaveAttribute("data-waits", "");
  await expect(page.locator('[data-move="isolate"]')).not.toHaveAttribute("data-done", "");
});

test("a page that is older than the server says so and keeps what waits", async ({ page, context, app }) => {
  await as(context, app, "Ines Calder");
  await open(page, `${JOB}/install/work?of=7`);
  await context.setOffline(true);
  await fillIsolation(current(page));
  await current(page).locator("button[data-done]").tap();
  await expect(page.locator("[data-saved]")).toContainText("1 waiting");
  await page.evaluate(() => { document.querySelector('meta[name="build"]').content = "an older one"; });
  await context.setOffline(false);
  await expect(page.locator("[data-notice]")).toContainText("The program was renewed since this page was loaded");
  await expect(page.locator('[data-move="isolate"][data-done]')).toHaveCount(1);
});

test("a wrong label: found at the box, the right breaker off, and led safely to power again", async ({ page, context }) => {
  const of = new URL("../crates/web/tests/electrical/17-heading-names-the-proven-breaker.json", import.meta.url);
  const { job } = JSON.parse(fs.readFileSync(of, "utf8"));
  for (const circuit of job.site.circuits) delete circuit.proven;
  const { db } = database(JSON.stringify(job));
  const { program, url } = await serving(db);
  try {
    await as(context, url, "Ines Calder");
    const home = "/jobs/rowan-cottage";
    await open(page, `${url}${home}/install`);
    await expect(page.locator("#main")).toContainText("Breakers 1 and 7 off");

    // Breaker 1 is off, and the tester says live: breaker 7 makes it dead.
    await open(page, `${url}${home}/survey?point=hall`);
    await page.getByRole("button", { name: "Proven just now" }).tap();
    await page.getByLabel("Proven: breaker").fill("7");
    await page.getByLabel("Proven: breaker").blur();
    await expect(page.locator("[data-circuit]")).toContainText("The label is wrong: breaker 7 makes it");

    // The plan, the household and the card go by the breaker that really goes off.
    await open(page, `${url}${home}/install`);
    await expect(page.locator("#main")).toContainText("7 (labelled 1");
    await page.locator(".stretches a", { hasText: "(labelled 1" }).first().tap();
    await ready(page);
    await expect(current(page)).toContainText("The label is wrong: breaker 7 makes it dead");
    await current(page).locator('[data-field="verified"]').fill("");
    await fillIsolation(current(page));
    await current(page).locator("button[data-done]").tap();
    await expect(current(page).locator(".field-error[data-shown]")).toContainText("proven to be breaker 7");
    await doMove(page, async (card) => {
      await fillIsolation(card);
      await card.locator('[data-field="verified"]').fill("breaker 7");
    });
    await doMove(page);
    while (!(await key(page)).startsWith("energise")) {
      await doMove(page, async (card) => {
        const move = await card.getAttribute("data-move");
        if (move.endsWith(".code")) await card.locator('[data-field="text"]').fill(codeOf(await card.getAttribute("data-device")));
        await because("agreed on site")(card);
      });
    }
    await doMove(page);
    const happened = await record(page, url, "rowan-cottage");
    const off = happened.find((e) => e.what.did === "isolated").what;
    expect(off.verified).toContain("7");
    expect(happened.at(-1).what.did).toBe("energised");
  } finally {
    await gone(program);
  }
});
