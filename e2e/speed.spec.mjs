// How quickly the plan follows the hand: from the move of the pointer to the answer, and to the
// frame that shows it. Runs alone, after all other tests.
import { expect, open, test } from "./fixtures.mjs";

test("dragging is answered and shown while the hand moves, 95 times of 100", async ({ page }) => {
  await page.addInitScript(() => {
    window.answered = [];
    window.shown = [];
    let moved = 0;
    addEventListener("pointermove", () => { moved = performance.now(); }, { capture: true });
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
        requestAnimationFrame(() => {
          const { port1, port2 } = new MessageChannel();
          port1.onmessage = () => window.shown.push(performance.now() - asked);
          port2.postMessage(null);
        });
      });
    };
  });
  await open(page, "/jobs/larkfield-mill/reach?network=mesh&floor=ground&select=mesh-kit-isle");
  // The same sheet, drawn anew as it is: what a frame costs this machine whatever the program does.
  const frames = await page.evaluate(async () => {
    const took = [];
    for (let n = 0; n < 40; n += 1) {
      const begun = performance.now();
      const part = document.querySelector("[data-part=plan-lines]");
      part.replaceWith(part.cloneNode(true));
      await new Promise((done) => requestAnimationFrame(() => {
        const { port1, port2 } = new MessageChannel();
        port1.onmessage = done;
        port2.postMessage(null);
      }));
      took.push(performance.now() - begun);
    }
    return took.sort((a, b) => a - b);
  });
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
  const [answered, shown] = [await sorted("answered"), await sorted("shown")];
  expect(shown).toHaveLength(100);
  const told = (times) => `median ${times[50].toFixed(1)} ms, 95th percentile ${times[94].toFixed(1)} ms`;
  console.log(`frame: median ${frames[20].toFixed(1)} ms`);
  console.log(`drag: answered ${told(answered)}; shown ${told(shown)}`);
  // A machine that takes longer for a frame of the same sheet is given as much longer.
  const slow = Math.max(1, frames[20] / 25);
  // The promise is 50 ms on the machine of docs/PERFORMANCE.md; a shared one has hours in which the
  // same program takes 60.
  expect(answered[94]).toBeLessThan(80 * slow);
  expect(shown[94]).toBeLessThan(120 * slow);
});
