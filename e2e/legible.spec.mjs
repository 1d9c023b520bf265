// Everything can be read: small print, twice the text, beside lines, on paper.
import { expect, open, test } from "./fixtures.mjs";

/** Small print: every visible text with how large it is drawn, in pixels of the window. */
const sizes = (page) => page.evaluate(() => {
  const found = [];
  const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  for (let node = walk.nextNode(); node; node = walk.nextNode()) {
    const holder = node.parentElement;
    if (!node.data.trim() || !holder.checkVisibility() || holder.closest("option, title, .sr-only, script")) continue;
    const size = parseFloat(getComputedStyle(holder).fontSize);
    const drawn = holder.ownerSVGElement ? holder.getScreenCTM() : null;
    found.push({ text: node.data.trim().slice(0, 30), svg: Boolean(drawn), size: drawn ? size * Math.hypot(drawn.a, drawn.b) : size });
  }
  return found;
});

for (const address of ["/", "/jobs/larkfield-mill/survey", "/jobs/larkfield-mill/reach?network=mesh", "/jobs/larkfield-mill/install", "/jobs/larkfield-mill/install/work?of=7", "/jobs/larkfield-mill/prove", "/jobs/larkfield-mill/handover", "/jobs/larkfield-mill/air", "/jobs/larkfield-mill/hub", "/jobs/larkfield-mill/controls"]) {
  test(`small print can be read, and twice as large nothing is lost: ${address}`, async ({ page }) => {
    await open(page, address);
    const small = (await sizes(page)).filter(({ svg, size }) => size < (svg ? 10.95 : 11.95));
    expect(small).toEqual([]);
    await page.evaluate(() => { document.documentElement.style.fontSize = "200%"; });
    const lost = await page.evaluate(() => {
      const out = [];
      for (const control of document.querySelectorAll("button, input, select, textarea, a, summary, .name")) {
        if (!control.checkVisibility({ checkVisibilityCSS: true }) || control.closest(".skip, svg, .notice, .waiting")) continue;
        const box = control.getBoundingClientRect();
        if (box.width === 0) continue;
        // What cannot be scrolled into view is lost; a name is lost where nothing of it is left.
        let [left, right] = [box.left, box.right];
        for (let holder = control.parentElement; holder; holder = holder.parentElement) {
          if (["auto", "scroll"].includes(getComputedStyle(holder).overflowX)) { left = 0; right = 0; break; }
        }
        if (left < -1 || right > innerWidth + 1 || (control.matches(".name") && box.width < 40)) out.push(control.outerHTML.slice(0, 80));
      }
      return out;
    });
    expect(lost).toEqual([]);
  });
}

test("nothing is cut off under the decibel pane, and no name of a level lies on a line", async ({ page }) => {
  for (const look of ["network=star", "network=mesh&floor=stone", "network=mesh&select=mesh-kit-isle"]) {
    await open(page, `/jobs/larkfield-mill/reach?${look}`);
    const pane = await page.locator(".stairs").boundingBox();
    for (const terms of await page.locator(".terms").all()) {
      const { y, height } = await terms.boundingBox();
      expect(await terms.evaluate((e) => e.scrollHeight - e.clientHeight), look).toBeLessThanOrEqual(1);
      expect(y + height, look).toBeLessThanOrEqual(pane.y + pane.height + 1);
    }
    expect(await page.locator(".stairs").evaluate((e) => e.scrollWidth - e.clientWidth), look).toBeLessThanOrEqual(1);
    const crossed = await page.locator(".stair svg").evaluateAll((all) => all.flatMap((svg) => {
      const lines = [...svg.querySelectorAll(".wants, .needs-line, .quiet-line")].map((l) => l.getBBox());
      const names = [...svg.querySelectorAll(".line-text")].map((t) => [t.textContent, t.getBBox()]);
      return names.filter(([, n]) => lines.some((l) => l.x + l.width > n.x + 1 && l.y > n.y && l.y < n.y + n.height)).map(([text]) => text);
    }));
    expect(crossed, look).toEqual([]);
  }
});

test("Reach and handover print as sheets", async ({ page }) => {
  await page.setViewportSize({ width: 703, height: 1009 });
  await open(page, "/jobs/larkfield-mill/reach?network=mesh&floor=ground");
  await page.emulateMedia({ media: "print" });
  await expect(page.getByRole("heading", { name: "Larkfield Mill: Ground floor, Lighting mesh" })).toBeVisible();
  await expect(page.locator(".legend")).toBeVisible();
  for (const part of [".head", ".under-head", ".section-pane", ".foot-pane", ".ledger-tools", ".zoom"]) {
    await expect(page.locator(part)).toBeHidden();
  }
  // The whole ledger, not what fits a pane.
  const rows = page.locator(".row");
  expect(await rows.last().evaluate((row) => row.closest(".ledger").scrollHeight - row.closest(".ledger").clientHeight)).toBeLessThanOrEqual(1);
  await page.emulateMedia({ media: null });
  await open(page, "/jobs/larkfield-mill/handover");
  await page.emulateMedia({ media: "print" });
  await expect(page.locator(".handover .legend")).toBeVisible();
  const labels = (await sizes(page)).filter(({ svg }) => svg);
  expect(labels.length).toBeGreaterThan(20);
  // 7 pt are 9.33 CSS pixels.
  expect(labels.filter(({ size }) => size < 9.33)).toEqual([]);
  const tall = await page.locator(".sheet-print").evaluateAll((all) => Math.max(...all.map((f) => f.getBoundingClientRect().height)));
  expect(tall, "what does not fit any more leaves less than half a page").toBeLessThan(1009 / 2);
});

test("no two names or numbers of a plan lie over each other, however near", async ({ page }) => {
  for (const look of ["network=mesh&floor=ground", "network=mesh&floor=stone", "network=heat&floor=ground"]) {
    await open(page, `/jobs/larkfield-mill/reach?${look}`);
    let drawn = 0;
    for (let zoom = 0; zoom < 5; zoom += 1) {
      const over = await page.locator(".plan").evaluate((plan) => {
        const names = [...plan.querySelectorAll(".contour-label text, .dot-name")].filter((name) => name.checkVisibility());
        const boxes = names.map((name) => [name.textContent.trim(), name.getBoundingClientRect()]).filter(([, box]) => box.width > 0);
        const meet = (a, b) => Math.min(a.right, b.right) - Math.max(a.left, b.left) > 1 && Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top) > 1;
        return { drawn: boxes.length, pairs: boxes.flatMap(([own, a], n) => boxes.slice(n + 1).filter(([, b]) => meet(a, b)).map(([other]) => `${own} and ${other}`)) };
      });
      expect(over.pairs, `${look}, ${zoom} times nearer`).toEqual([]);
      drawn += over.drawn;
      await page.locator('[data-zoom="0.8"]').click();
    }
    expect(drawn).toBeGreaterThan(20);
  }
});
