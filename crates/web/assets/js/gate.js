// The gate where there is no line: a small reader of facts and deeds that the server shipped. It knows no rule of
// the work; it matches patterns, as `core/src/gate/facts.rs` does, and a test holds the two to one answer.
// A fact is a word and what it is about, parted by colons; in a pattern `*` stands for anything, `$iso` for one
// thing that is the same wherever it stands.

/** A name of a person as it stands in a fact. */
export const plainName = (name) => name.trim().toLowerCase().replaceAll(/[:*$]/g, " ");

/** What a pattern makes of the names where a fact is of it; nothing where it is not. */
function fits(pattern, fact, named) {
  const parts = pattern.split(":");
  const words = fact.split(":");
  if (parts.length !== words.length) return null;
  const found = { ...named };
  for (const [n, part] of parts.entries()) {
    if (part.startsWith("$")) {
      const name = part.slice(1);
      if (Object.hasOwn(found, name) ? found[name] !== words[n] : false) return null;
      found[name] = words[n];
    } else if (part !== "*" && part !== words[n]) {
      return null;
    }
  }
  return found;
}

/** What a pattern says once names stand for something. */
const filled = (pattern, named) =>
  pattern.split(":").map((part) => (part.startsWith("$") && Object.hasOwn(named, part.slice(1)) ? named[part.slice(1)] : part)).join(":");

/** What holds, in the order in which it came to hold. */
export class Facts {
  constructor(list) {
    this.all = new Map();
    this.next = 0;
    for (const fact of list) this.add(fact);
  }

  add(fact) {
    if (!this.all.has(fact)) this.all.set(fact, this.next);
    this.next += 1;
  }

  end(pattern) {
    for (const fact of [...this.all.keys()]) if (fits(pattern, fact, {})) this.all.delete(fact);
  }

  copy() {
    const copy = new Facts([]);
    copy.all = new Map(this.all);
    copy.next = this.next;
    return copy;
  }

  /** The facts of a pattern: what each makes of the names, and its place. */
  of(pattern, named) {
    const whole = filled(pattern, named);
    if (!/[$*]/.test(whole)) return this.all.has(whole) ? [[{ ...named }, this.all.get(whole)]] : [];
    const found = [];
    for (const [fact, place] of this.all) {
      const meaning = fits(pattern, fact, named);
      if (meaning) found.push([meaning, place]);
    }
    return found;
  }

  /** Whether all of these hold at once, under one meaning of the names. */
  holds(all, named) {
    if (all.length === 0) return true;
    const [first, ...rest] = all;
    return this.of(first, named).some(([meaning]) => this.holds(rest, meaning));
  }

  /** What the names stand for where all of these hold; of several, what came last of the first. */
  newest(all, named) {
    const [first, ...rest] = all;
    const found = this.of(first, named).sort((a, b) => b[1] - a[1]);
    for (const [meaning] of found) {
      const whole = rest.length === 0 ? meaning : this.newest(rest, meaning);
      if (whole) return whole;
    }
    return null;
  }

  /** Takes in what a deed came to that waits for the line. */
  take({ ends, gives }) {
    for (const pattern of ends) this.end(pattern);
    for (const fact of gives) this.add(fact);
  }
}

/** What the names of a deed stand for, for somebody. */
export function namedFor(deed, facts, me, more = {}) {
  const named = { me: plainName(me), ...more };
  return (deed.binds?.length && facts.newest(deed.binds, named)) || named;
}

/** The places of what a deed needs and lacks, for somebody; `more` says what else its names stand for. */
export function lacks(deed, facts, me, more = {}) {
  const named = namedFor(deed, facts, me, more);
  const yes = ({ all, not }) => facts.holds(all, named) !== Boolean(not);
  const isMet = (need) => need.any.some((queries) => queries.every(yes));
  return deed.needs.map((need, n) => [need, n]).filter(([need]) => !isMet(need)).map(([, n]) => n);
}

/** Whether a deed is done already. */
export const isDone = (deed, facts, me) =>
  Boolean(deed.done?.length) && facts.holds(deed.done, namedFor(deed, facts, me));

/** What a deed comes to, with names filled in; what stands for nothing is left out of what it gives. */
export function effects(deed, named) {
  const fill = (pattern) => filled(pattern, named);
  const gives = (deed.gives ?? []).map(fill).filter((fact) => !fact.includes("$"));
  return { ends: (deed.ends ?? []).map(fill), gives };
}
