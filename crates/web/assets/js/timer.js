// Timers: seconds while something is joined, and milliseconds from a press to its answer, by a thumb.

let ticking = 0;

/** Counts seconds down, or up for what is held: the light says when, the seconds only how long it is. */
export function time(button) {
  const line = button.closest("[data-move]").querySelector("[data-timer-line]");
  const whole = Number(button.dataset.timer);
  const up = "up" in button.dataset;
  const start = Date.now();
  clearInterval(ticking);
  line.hidden = false;
  const tell = () => {
    const spent = Math.floor((Date.now() - start) / 1000);
    const left = Math.max(0, whole - spent);
    line.textContent = up ? `${spent} s — let go when the light says so` : left > 0 ? `${left} s` : "Time is up: look at the light";
    if (!up && left === 0) {
      clearInterval(ticking);
      navigator.vibrate?.(200);
    }
  };
  tell();
  ticking = setInterval(tell, 250);
}

/** The moment at which a press was begun that is timed; nothing while none is. */
let begun = 0;

/** What stands on a timer: what the next tap of it says. */
function sayNext(button) {
  button.toggleAttribute("data-running", begun !== 0);
  button.textContent = begun === 0 ? "Time a press" : "It answers";
}

// A page that comes anew meanwhile goes on timing.
document.addEventListener("refreshed", () => document.querySelectorAll("[data-time-press]").forEach(sayNext));

/** The first tap begins with the press, the second ends with the answer: how long that took, in milliseconds. */
export function timed(button) {
  const took = begun === 0 ? null : Math.round(performance.now() - begun);
  begun = took === null ? performance.now() : 0;
  sayNext(button);
  return took;
}

/** Times a press at a card: the slowest of all stands in its field. */
export function timePress(button) {
  const took = timed(button);
  if (took === null) return;
  const move = button.closest("[data-move]");
  const field = move.querySelector('[data-field="delay_ms"]');
  field.value = String(Math.max(took, Number(field.value) || 0));
  move.querySelector("[data-time-said]").textContent = `That one took ${took} ms, and what a hand adds.`;
}
