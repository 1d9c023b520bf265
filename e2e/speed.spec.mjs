// How quickly the plan follows the hand: from the move of the pointer to the answer, and to the
// frame that shows it. No test: scripts/speeds prints it.
import { expect, open, test } from "./fixtures.mjs";

test("dragging is answered and shown while the hand moves", async ({ page }) => {
  await page.addInitScript(() => {
    window.answered = [];
    window.shown = [];
    // The device itself goes with the hand; what it does to the house comes with the answer.
    window.followed = [];
    let moved = 0;
    const painted = (times, asked) => requestAnimationFrame(() => {
      const { port1, port2 } = new MessageChannel();
      port1.onmessage = () => times.push(performance.now() - asked);
      port2.postMessage(null);
    });
    addEventListener("pointermove", () => {
      moved = performance.now();
      painted(window.followed, moved);
    }, { capture: true });
    const add = WebSocket.prototype.addEventListener;
    WebSocket.prototype.addEventListener = function (kind, act) {
      if (kind !== "message") return add.call(this, kind, act);
      return add.call(this, kind, (event) => {
        const asked = moved;
        const after = performance.now() - asked;
        act(event);
        if (!event.data.startsWith('{"html"')) return;
        window.answered.push(after);
        // After the next frame has been handed on.
        painted(window.shown, asked);
      });
    };
  });
  await open(page, "/jobs/larkfield-mill/reach?network=mesh&floor=ground&select=mesh-kit-isle");
  const dot = await page.locator('.dot[data-point="kit-isle"]').first().boundingBox();
  const [x, y] = [dot.x + dot.width / 2, dot.y + dot.height / 2];
  await page.mouse.move(x, y);
  await page.mouse.down();
  for (let n = 1; n <= 120; n += 1) {
    const before = await page.evaluate(() => window.shown.length);
    await page.mouse.move(x + 6 + (n % 40) * 2, y + 6 + (n % 23) * 1.5);
    await page.waitForFunction((before) => window.shown.length > before, before, { polling: 20 });
  }
  await page.mouse.up();
  const sorted = (name) => page.evaluate((name) => window[name].slice(20, 120).sort((a, b) => a - b), name);
  const [followed, answered, shown] = [await sorted("followed"), await sorted("answered"), await sorted("shown")];
  expect(shown).toHaveLength(100);
  // The same hand over the same plan with nothing under it: what a frame takes on this machine by itself.
  const empty = await page.evaluate(async () => {
    const times = [];
    for (let n = 0; n < 100; n += 1) {
      const asked = performance.now();
      await new Promise((done) => {
        requestAnimationFrame(() => {
          const { port1, port2 } = new MessageChannel();
          port1.onmessage = () => done();
          port2.postMessage(null);
        });
      });
      times.push(performance.now() - asked);
    }
    return times.sort((a, b) => a - b);
  });
  const told = (times) => `median ${times[50].toFixed(1)} ms, 95th percentile ${times[94].toFixed(1)} ms`;
  console.log(`drag: the device under the hand ${told(followed)}; answered ${told(answered)}; shown ${told(shown)}; an empty frame ${told(empty)}`);
});

test("a point sheet of four hundred rows is scrolled", async ({ page, app }) => {
  await open(page, "/jobs/larkfield-mill/sheet?floor=ground");
  const names = Array.from({ length: 400 }, (_, n) => `;Row ${n};s;plastic;t;7`).join("\n");
  const csv = `Tag;Place;Kind;Box;Neutral;Breaker\n${names}\n`;
  const marks = new URLSearchParams({ client: "speed", edit_id: "speed-rows" });
  const sent = await page.request.post(`${app}/jobs/larkfield-mill/points.csv?${marks}`, {
    multipart: { file: { name: "rows.csv", mimeType: "text/csv", buffer: Buffer.from(csv) } },
  });
  expect(sent.status()).toBe(200);
  await open(page, "/jobs/larkfield-mill/sheet?floor=ground");
  expect(await page.locator("[data-grid] tbody tr").count()).toBeGreaterThan(400);
  // The same number of frames with the sheet at rest, then with it moving.
  const frames = (step) => page.evaluate(async (step) => {
    const pane = document.querySelector(".grid-scroll");
    const times = [];
    let before = await new Promise(requestAnimationFrame);
    for (let n = 0; n < 180; n += 1) {
      pane.scrollTop += step;
      const now = await new Promise(requestAnimationFrame);
      times.push(now - before);
      before = now;
    }
    return times.sort((a, b) => a - b);
  }, step);
  const [rest, moving] = [await frames(0), await frames(60)];
  const late = (times) => times.filter((t) => t > 1.5 * rest[90]).length;
  console.log(`sheet of 400 by a script: a frame ${moving[90].toFixed(1)} ms, at rest ${rest[90].toFixed(1)} ms; `
    + `${late(moving)} of 180 late, at rest ${late(rest)}`);
  // By a wheel, as a hand does it: what the browser itself reports of each frame, dropped where the eye could see it.
  const pane = page.locator(".grid-scroll");
  await pane.evaluate((pane) => { pane.scrollTop = 0; });
  await pane.hover({ position: { x: 200, y: 200 } });
  const browser = page.context().browser();
  await browser.startTracing(page, { categories: ["cc", "benchmark"] });
  for (let n = 0; n < 180; n += 1) {
    const turned = Date.now();
    await page.mouse.wheel(0, 60);
    await page.waitForTimeout(Math.max(16 - (Date.now() - turned), 0));
  }
  await page.waitForTimeout(300);
  const { traceEvents } = JSON.parse((await browser.stopTracing()).toString());
  const reported = traceEvents.map((event) => event.args?.frame_reporter).filter(Boolean);
  const shown = reported.filter((frame) => frame.state.startsWith("STATE_PRESENTED"));
  const dropped = reported.filter((frame) => frame.state === "STATE_DROPPED" && frame.affects_smoothness);
  expect(await pane.evaluate((pane) => pane.scrollTop)).toBeGreaterThan(9000);
  console.log(`sheet of 400 by a wheel: ${shown.length} frames shown, ${dropped.length} dropped that the eye could see, `
    + `${shown.filter((frame) => frame.has_missing_content).length} with something missing`);
});
