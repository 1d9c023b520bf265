// The guide to a fault where there is no line: a small reader of the weights that the server shipped. It knows no cause and
// no check; it multiplies, as `core/src/install/guide.rs` does, and a test holds the two to one answer.

const clamped = (p) => Math.min(0.99, Math.max(0.01, p));
const yesOf = (check, cause) => clamped(check.yes[cause] ?? check.else);

/** In bits. */
const entropy = (shares) => shares.reduce((sum, p) => (p > 0 ? sum - p * Math.log2(p) : sum), 0);

const byName = (a, b) => (a < b ? -1 : Number(a > b));

/** The check that tells most for its minutes; null where a cause is as good as found, or none tells anything. */
function nextOf(kit, ranked, answers) {
  if (ranked.length === 0 || ranked[0].share >= kit.sure) return null;
  const told = (check) => {
    const yes = ranked.reduce((sum, r) => sum + r.share * yesOf(check, r.cause), 0);
    const after = (so) => {
      const all = so ? yes : 1 - yes;
      return all * entropy(ranked.map((r) => (r.share * (so ? yesOf(check, r.cause) : 1 - yesOf(check, r.cause))) / all));
    };
    return entropy(ranked.map((r) => r.share)) - after(true) - after(false);
  };
  const open = kit.checks.filter((check) => !answers.some((a) => a.check === check.id)).map((check) => [check, told(check)]);
  const telling = open.filter(([, bits]) => bits > kit.least_bits);
  const rated = telling.map(([check, bits]) => [check, bits / (check.minutes + kit.there_and_back_min)]);
  rated.sort((a, b) => b[1] - a[1] || byName(a[0].id, b[0].id));
  return rated[0]?.[0] ?? null;
}

/** Causes of a symptom, the likeliest first, and the next check. `hints` are those of a place. */
export function guided(kit, symptom, answers, hints) {
  const of = kit.symptoms.find((s) => s.id === symptom);
  if (!of) return null;
  const weights = new Map(Object.entries(of.weights).sort(([a], [b]) => byName(a, b)));
  for (const hint of hints) if (weights.has(hint.cause)) weights.set(hint.cause, weights.get(hint.cause) * hint.times);
  for (const { check: id, so } of answers) {
    const check = kit.checks.find((c) => c.id === id);
    if (!check || so === null) continue;
    for (const [cause, weight] of weights) weights.set(cause, weight * (so ? yesOf(check, cause) : 1 - yesOf(check, cause)));
  }
  const total = [...weights.values()].reduce((sum, w) => sum + w, 0);
  const whys = (cause) => hints.filter((h) => h.cause === cause && h.times > 0).map((h) => h.why);
  const ranked = [...weights].map(([cause, weight]) => ({ cause, share: weight / Math.max(total, Number.MIN_VALUE), whys: whys(cause) }));
  ranked.sort((a, b) => b.share - a.share || byName(a.cause, b.cause));
  return { ranked, next: nextOf(kit, ranked, answers) };
}
