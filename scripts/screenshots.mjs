// One picture of each main view, at the sizes it is used at.
import { chromium } from "@playwright/test";
import { start } from "../e2e/fixtures.mjs";

const DESK = { width: 1280, height: 800 };
const PHONE = { width: 390, height: 844 };
const MILL = "/jobs/larkfield-mill";

// Two branches of the Mill to lay beside the plan.
const opened = { do: "set", kind: "point", id: "meter", field: "mounting", value: "open" };
const plugged = {
  do: "put",
  kind: "device",
  value: { id: "repeats-1", name: "Repeater in the yard room", point: "bed2-plug", kind: "repeater-plug", network: "heat" },
};
const branch = (page, name, edit) => page.request.post(`${base}${MILL}/variants`, { data: { name, edit } });

const views = [
  { name: "jobs", path: "/" },
  { name: "survey", path: `${MILL}/survey?point=kit-isle` },
  { name: "sheet", path: `${MILL}/sheet?floor=ground&point=kit-main` },
  { name: "choices", path: `${MILL}/choices?point=land-light` },
  { name: "bill", path: `${MILL}/bill` },
  { name: "reach", path: `${MILL}/reach?network=mesh&select=mesh-slu-flood` },
  { name: "reach-dark", path: `${MILL}/reach?network=heat`, scheme: "dark" },
  { name: "air", path: "/jobs/flat-12-quay-court/air" },
  { name: "schools", path: `${MILL}/schools?network=mesh` },
  { name: "advice", path: `${MILL}/advice?network=mesh` },
  {
    name: "variants",
    path: `${MILL}/variants`,
    async before(page) {
      await branch(page, "Hub in the open", opened);
      await branch(page, "A plug for the heating", plugged);
    },
  },
  { name: "controls", path: `${MILL}/controls` },
  { name: "schedules", path: `${MILL}/schedules` },
  { name: "guesthouse", path: "/jobs/tern-row-guesthouse/reach?network=mesh2&q=room+205" },
  { name: "install-phone", path: `${MILL}/install`, size: PHONE },
  {
    name: "move-phone",
    path: `${MILL}/install/work?of=7`,
    size: PHONE,
    async before(page) {
      await page.context().addCookies([{ name: "who", value: encodeURIComponent("Ines Calder"), url: base }]);
      // A circuit that is off, and its tester shown to work: the first box is proved dead.
      const told = { tester: "two-pole tester 4", told: "Ada, until noon", by: "Ines Calder", at: "2026-03-14T09:00:00Z" };
      const acts = [
        { do: "isolate", id: "iso-1", means: "breaker", circuits: ["7"], secured: "lock-and-notice", ...told },
        { do: "prove-tester", isolation: "iso-1", after: false, at: "2026-03-14T09:05:00Z" },
      ];
      for (const [n, edit] of acts.entries()) {
        const answer = await page.request.post(`${base}${MILL}/edits`, { data: { edit, edit_id: `shot-${n}`, client: "shot" } });
        if (!answer.ok()) throw new Error(await answer.text());
      }
    },
  },
  { name: "prove", path: `${MILL}/prove` },
  { name: "walk-phone", path: `${MILL}/walk`, size: PHONE },
  { name: "handover", path: `${MILL}/handover` },
];

const only = process.argv.slice(2);
const { program, address } = start(["demo", "--port", "0"]);
const base = await address;
const browser = await chromium.launch({
  executablePath: "/usr/bin/chromium",
  args: ["--no-sandbox", "--disable-gpu", "--disable-background-networking"],
});
for (const { name, path, size = DESK, scheme = "light", before } of views) {
  if (only.length > 0 && !only.includes(name)) continue;
  const page = await browser.newPage({ viewport: size, colorScheme: scheme });
  await before?.(page);
  await page.goto(base + path);
  await page.waitForFunction(() => document.documentElement.dataset.ready === "true");
  // Standings and places come when they are worked out.
  await page.waitForFunction(() => !document.querySelector("[data-standing], [data-long]"), { timeout: 120_000 });
  await page.waitForTimeout(1_500);
  await page.screenshot({ path: `docs/screenshots/${name}.png` });
  await page.close();
}
await browser.close();
program.kill();
