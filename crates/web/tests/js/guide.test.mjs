// The phone's reader of the guide against the server's: what `cargo test -p dot-reach-trials guide_parity` wrote down.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import path from "node:path";
import test from "node:test";
import { guided } from "../../assets/js/guide.js";

const target = process.env.CARGO_TARGET_DIR ?? path.join(import.meta.dirname, "../../../../target");
const { kit, walks } = JSON.parse(readFileSync(path.join(target, "tmp/guide-walks.json")));

test("a phone is led as the server leads, over random walks", () => {
  let steps = 0;
  for (const { symptom, hints, answers, steps: wanted } of walks) {
    for (const [n, { ranked, next }] of wanted.entries()) {
      const so = answers.slice(0, n).map((a) => ({ check: a.check, so: a.so ?? null }));
      const found = guided(kit, symptom, so, hints);
      assert.equal(found.next?.id ?? null, next, symptom);
      assert.deepEqual(found.ranked.map((r) => r.cause), ranked.map(([cause]) => cause));
      for (const [at, [, share, whys]] of ranked.entries()) {
        assert.ok(Math.abs(found.ranked[at].share - share) < 1e-9, `${symptom}: ${found.ranked[at].share} for ${share}`);
        assert.deepEqual(found.ranked[at].whys, whys);
      }
      steps += 1;
    }
  }
  assert.ok(steps > 400, `${steps}`);
});

test("what is seen and stands in no row leads nowhere", () => {
  assert.equal(guided(kit, "no-such", [], []), null);
});
