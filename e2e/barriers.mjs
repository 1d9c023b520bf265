// What the checker finds on a page that bars somebody from it.
import AxeBuilder from "@axe-core/playwright";

/** What differs on a page from how it is at a desk in light: in dark its colours, on a phone all but its colours. */
const OF = {
  light: (checker) => checker,
  dark: (checker) => checker.withRules(["color-contrast", "link-in-text-block"]),
  phone: (checker) => checker.disableRules(["color-contrast"]),
};

/** The serious findings on a page as it is shown. */
export async function barriers(page, as) {
  // One document, and only what is wrong with it: the checker else names every element that is right.
  const checker = new AxeBuilder({ page }).setLegacyMode().options({ resultTypes: ["violations"] });
  const { violations } = await OF[as](checker).analyze();
  return violations
    .filter((v) => ["serious", "critical"].includes(v.impact))
    .map((v) => `${v.id}: ${v.nodes.slice(0, 3).map((n) => n.target.join(" ")).join(", ")}`);
}
