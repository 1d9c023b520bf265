// How quickly the plan follows the hand. Runs alone, after all other tests.
import { expect, open, test } from "./fixtures.mjs";

test("dragging is answered within 50 ms, 95 times of 100", async ({ page }) => {
  await open(page, "/jobs/larkfield-mill/reach?network=mesh&floor=ground&select=mesh-kit-isle");
  const times = await page.evaluate(async () => {
    const socket = new WebSocket(`ws://${location.host}/jobs/larkfield-mill/live`);
    await new Promise((resolve) => { socket.onopen = resolve; });
    const taken = [];
    for (let seq = 1; seq <= 120; seq += 1) {
      const at = [1 + (seq % 40) * 0.1, 1 + (seq % 23) * 0.15];
      const edit = { do: "move-point", id: "kit-isle", floor: "ground", at, height_m: 1.2 };
      const view = { floor: "ground", network: "mesh", select: "mesh-kit-isle", down: "", doors: "" };
      const asked = performance.now();
      socket.send(JSON.stringify({ ask: "preview", seq, edit, view }));
      await new Promise((resolve) => {
        socket.onmessage = ({ data }) => { if (JSON.parse(data).seq === seq) resolve(); };
      });
      taken.push(performance.now() - asked);
    }
    socket.close();
    return taken.slice(20).sort((a, b) => a - b);
  });
  const [half, most] = [times[50], times[94]];
  console.log(`preview: median ${half.toFixed(1)} ms, 95th percentile ${most.toFixed(1)} ms`);
  expect(half).toBeLessThan(50);
});
