// When something does not work: led by the server, or without a line by what the phone took along; what it was is written
// down, and another unit takes the place of a dead one.

import { guided } from "./guide.js";
import { edit, fetched, job, newId, notice } from "./job.js";
import { number } from "./things.js";

async function log(form) {
  const minutes = form.elements.minutes.value.trim();
  const value = {
    ...JSON.parse(form.dataset.fault), id: newId("fault"), at: new Date().toISOString(),
    cause: form.elements.cause.value, cure: form.elements.cure.value, ...(minutes ? { minutes: number(minutes) } : {}),
  };
  try {
    await edit({ do: "put", kind: "fault", value }, { words: "a fault" });
    notice("Written down; it is found again on the next job.");
  } catch (refused) {
    delete form.dataset.sent;
    notice(refused.message);
  }
}

async function replace(form) {
  const why = form.elements.why.value.trim();
  const act = { do: "gave-out", device: form.dataset.gaveOut, why, at: new Date().toISOString() };
  try {
    await edit(act, { words: "a dead unit" });
    notice("On record. It is on the day again, with all its steps.");
  } catch (refused) {
    delete form.dataset.sent;
    notice(refused.message);
  }
}

const SHOWN = 6;
const FOUND = "It is as good as found.";
const ALIKE = "Nothing more tells these apart from here: try the cures from the top.";
const WORDS = { yes: "yes", no: "no", unknown: "cannot tell" };
const TRUE = { yes: true, no: false, unknown: null };

/** What the address asks for, beside what the page shows that came for it. */
function askedFor(page) {
  const asked = new URLSearchParams(location.search);
  const is = (name, shown) => (asked.get(name) ?? "") === shown;
  const { device, symptom, answers } = page.dataset;
  return is("device", device) && is("symptom", symptom) && is("a", answers) ? null : asked;
}

/** An answer as it goes on record: what nobody could tell is left out. */
const asTold = ({ check, so }) => (so === null ? { check } : { check, so });

/** Where the guide stands, as the page draws it; addresses are those that the server would answer. */
function drawn(kit, asked, point) {
  const [device, symptom, a] = ["device", "symptom", "a"].map((name) => asked.get(name) ?? "");
  const to = (with_) => `?${new URLSearchParams({ device, symptom, a, ...with_ })}`;
  const symptoms = kit.symptoms.map((s) => ({ ...s, href: to({ symptom: s.id, a: "" }) }));
  const said = kit.symptoms.find((s) => s.id === symptom);
  if (!said) return { symptoms, symptom: "" };
  const parts = a.split(",").filter((part) => kit.checks.some((c) => c.id === part.split(":")[0]));
  const answers = parts.map((part) => {
    const [check, so] = part.split(":");
    return { check, so: TRUE[so] ?? null };
  });
  const { ranked, next } = guided(kit, symptom, answers, kit.hints[device] ?? []);
  const known = ranked.map((r) => ({ ...r, of: kit.causes.find((c) => c.id === r.cause) }));
  const causes = known.filter((r) => r.of && Math.round(r.share * 100) > 0);
  const answered = (so) => to({ a: [...parts, `${next.id}:${so}`].join(",") });
  return {
    symptoms, symptom, said: said.text, anew: `?${new URLSearchParams({ device })}`,
    asked: parts.map((part, n) => ({
      ask: kit.checks.find((c) => c.id === part.split(":")[0]).ask, so: WORDS[part.split(":")[1]] ?? WORDS.unknown,
      back: to({ a: parts.slice(0, n).join(",") }),
    })),
    next: next && {
      ask: next.ask, takes: next.minutes < 1 ? "less than a minute" : `some ${next.minutes} minutes`,
      yes: answered("yes"), no: answered("no"), unknown: answered("unknown"),
    },
    end: ranked[0]?.share >= kit.sure ? FOUND : ALIKE,
    causes: causes.slice(0, SHOWN).map(({ of, share, whys }) => ({
      id: of.id, text: of.text, share: `${Math.round(share * 100)} %`, cure: `${of.cure}.`, whys: whys.map((why) => `Known here: ${why}`),
    })),
    cure: causes[0]?.of.cure ?? "",
    put: JSON.stringify({ ...(device ? { device, point } : {}), symptom, asked: answers.map(asTold) }),
  };
}

export function registerFault(Alpine) {
  Alpine.data("faultGuide", () => ({
    led: false, symptoms: [], symptom: "", said: "", anew: "", asked: [], next: null, end: "", causes: [], cure: "", put: "",
    async init() {
      const asked = askedFor(this.$el);
      if (!asked) return;
      const chooser = this.$el.querySelector("select[name=device]");
      if (chooser) chooser.value = asked.get("device") ?? "";
      const kit = await fetched(`/jobs/${job()}/install/guide.json`).catch(() => null);
      if (!kit) return void notice("This phone took no guide along: open the day of this job once where there is a line.");
      Object.assign(this, drawn(kit, asked, chooser?.selectedOptions[0]?.dataset.point), { led: true });
    },
  }));
}

export function startFault() {
  document.addEventListener("submit", (event) => {
    const { fault, gaveOut } = event.target.dataset;
    if (!fault && !gaveOut) return;
    event.preventDefault();
    if (fault) log(event.target);
    else replace(event.target);
  });
}
