// Nothing typed vanishes: whatever page it is typed on, and whatever a colleague does meanwhile.
import { expect, open, test } from "./fixtures.mjs";

const MILL = "/jobs/larkfield-mill";
const PAGES = [
  "brief", "survey?point=kit-isle", "sheet", "reach", "advice", "hub",
  "air", "controls", "schedules", "spoken", "choices?point=kit-isle", "constructions", "existing", "install",
  "walk", "round?sum=8", "prove/acceptance", "prove/readings", "journal", "variants",
];

/** Types something else into every field of the page, without leaving any: what was typed, each once. */
const typeIntoAll = (page) => page.evaluate(() => {
  const all = "main input:not([type=hidden], [type=file], [type=checkbox], [type=radio], [type=range]), main textarea";
  const texts = [];
  for (const field of document.querySelectorAll(all)) {
    if (field.disabled || field.readOnly || field.matches("[data-command]")) continue;
    const n = texts.length + 1;
    const text = field.type === "date" ? `2031-${String(1 + n % 12).padStart(2, "0")}-${String(1 + n % 28).padStart(2, "0")}`
      : field.type === "number" ? String(7000 + n)
      : ["datetime-local", "time", "month", "color"].includes(field.type) ? null : `typed ${n} here`;
    if (text === null) continue;
    field.value = text;
    if (field.value !== text) continue;
    field.dispatchEvent(new Event("input", { bubbles: true }));
    texts.push(text);
  }
  return texts;
});

const held = (page) => page.evaluate(() =>
  [...document.querySelectorAll("main input, main textarea")].map((field) => field.value));

/** Fifty edits of a colleague, of all that pages show: names of places, devices and people, notes, rooms, prices. */
async function colleague(page) {
  const file = await (await page.request.get(`${MILL}/mill.json`)).json();
  const site = file.site ?? file;
  const points = site.points.slice(0, 12).map((p) => ["point", p.id]);
  const devices = site.devices.slice(0, 12).map((d) => ["device", d.id]);
  const other = [["job", "job", "client"], ...site.rooms.slice(0, 4).map((r) => ["room", r.id])];
  const all = [...points, ...devices, ...other];
  let revision = 0;
  for (let n = 0; n < 50; n += 1) {
    const [kind, id, field = "name"] = all[n % all.length];
    const edit = { do: "set", kind, id, field, value: `${id} ${n}` };
    const sent = { edit, edit_id: `colleague-${Date.now()}-${n}`, client: "colleague" };
    const answer = await page.request.post(`${MILL}/edits`, { data: sent });
    expect(answer.ok(), await answer.text()).toBe(true);
    revision = (await answer.json()).revision;
  }
  return revision;
}

/** Opens a page and types into all of it; gives what was typed. */
async function typedOn(page, address) {
  await open(page, `${MILL}/${address}`);
  return { page, address, texts: await typeIntoAll(page) };
}

for (let from = 0; from < PAGES.length; from += 6) {
  const some = PAGES.slice(from, from + 6);
  test(`what is typed on ${some.join(", ")} outlasts fifty edits of a colleague`, async ({ page, context }) => {
    test.setTimeout(180_000);
    const all = [];
    for (const address of some) all.push(await typedOn(await context.newPage(), address));
    await page.goto("/");
    const revision = await colleague(page);
    for (const { page: tab, address, texts } of all) {
      const shown = () => tab.evaluate(() => Number(document.querySelector("[data-revision]").dataset.revision));
      await expect.poll(shown, { timeout: 60_000, message: address }).toBeGreaterThanOrEqual(revision);
      // What is worked out anew meanwhile comes back with what was typed in it.
      const lost = async () => {
        const now = await held(tab);
        return texts.filter((text) => !now.includes(text));
      };
      await expect.poll(lost, { timeout: 60_000, message: address }).toEqual([]);
    }
    expect(all.reduce((sum, { texts }) => sum + texts.length, 0)).toBeGreaterThan(5);
  });
}
