//! Times as the people of a house write them. A page is worded on one thread from its first sentence to its last, so that
//! its house need not be handed through every sentence: [`in_house`] says whose clock holds meanwhile.

use std::cell::RefCell;

use dot_reach_core::moment::HouseClock;

thread_local! {
    static CLOCK: RefCell<HouseClock> = RefCell::default();
}

/// Words something by the clock of a house.
pub(crate) fn in_house<T>(clock: HouseClock, work: impl FnOnce() -> T) -> T {
    let before = CLOCK.replace(clock);
    let done = work();
    CLOCK.set(before);
    done
}

/// A time by the clock of the house whose page is worded, as `2026-03-14 10:05`, where somebody said it.
pub(crate) fn day(at: &str) -> String {
    CLOCK.with_borrow(|clock| clock.says(at))
}
