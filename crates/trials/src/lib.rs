//! Nothing but tests: see `tests/core`.
