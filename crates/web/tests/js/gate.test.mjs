// The phone's reader of the gate against the server's: all that was asked on random walks through the day, with what
// the server's reader answered, as `cargo test -p dot-reach-trials parity` writes it down.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import path from "node:path";
import test from "node:test";
import { Facts, effects, isDone, lacks, namedFor, plainName } from "../../assets/js/gate.js";

const target = process.env.CARGO_TARGET_DIR ?? path.join(import.meta.dirname, "../../../../target");
const walks = JSON.parse(readFileSync(path.join(target, "tmp/gate-walks.json")));

/** What holds, in the order in which it came to hold. */
const inOrder = (facts) => [...facts.all].sort((a, b) => a[1] - b[1]).map(([fact]) => fact);
/** Facts do not say how far apart they came to hold; what is shipped is in order. */
const read = (list) => new Facts(list);

test("a phone answers what the server answers, over random walks", () => {
  let lacking = 0;
  let asked = 0;
  for (const { facts, asked: questions } of walks) {
    const now = read(facts);
    for (const { deed, me, more, named, bound, lacks: wanted, done, after } of questions) {
      asked += 1;
      lacking += wanted.length > 0 ? 1 : 0;
      assert.deepEqual(namedFor(deed, now, me), Object.fromEntries(bound), deed.key);
      assert.deepEqual(lacks(deed, now, me, more), wanted, deed.key);
      assert.equal(isDone(deed, now, me), done, deed.key);
      const then = now.copy();
      then.take(effects(deed, Object.fromEntries(named)));
      assert.deepEqual(inOrder(then), after, deed.key);
    }
  }
  assert.ok(asked > 500 && lacking > 100 && lacking < asked - 100, `${lacking} of ${asked}`);
});

test("a name is one thing in all patterns, and a prefix of a fact is not the fact", () => {
  const now = read(["off:z", "off:a", "covers:z:hall", "covers:a:hall", "offal:q"]);
  assert.ok(now.holds(["off:$iso", "covers:$iso:hall"], {}));
  assert.ok(!now.holds(["off:$iso", "covers:$iso:den"], {}));
  assert.deepEqual(now.newest(["off:$iso", "covers:$iso:hall"], {}), { iso: "a" });
  assert.equal(now.newest(["off:$iso", "covers:$iso:den"], {}), null);
  assert.ok(!now.holds(["off:q"], {}));
});

test("a name with signs of its own breaks no fact", () => {
  assert.equal(plainName("  Ann: $iso * "), "ann   iso  ");
});
