// The page of hub places: a press on the plan marks a place to be tried.
import { onPlan, sheetPlace } from "./plan.js";

export function startHub() {
  const sheet = document.querySelector('[data-view="hub"]');
  if (!sheet) return;
  onPlan({
    choose({ event }) {
      const there = new URL(location.href);
      const [x, y] = sheetPlace(event).map((m) => m.toFixed(2));
      const marked = there.searchParams.get("spots") ?? "";
      there.searchParams.set("spots", `${marked} ${sheet.dataset.floor}@${x},${y}`.trim());
      there.searchParams.set("floor", sheet.dataset.floor);
      location.assign(there);
    },
    takes: () => false,
  });
}
