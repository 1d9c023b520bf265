// How quickly the plan follows the hand: from the move of the pointer to the answer, and to the
// frame that shows it. No test: scripts/speeds prints it.
import { expect, open, test } from "./fixtures.mjs";

test("dragging is answered and shown while the hand moves", async ({ page }) => {
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
  console.log(`drag: answered ${told(answered)}; shown ${told(shown)}`);
});
