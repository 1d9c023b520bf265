//! The least that is enough: freed of houses, and of whole houses; and variants beside the plan.

mod advice;
mod least;
mod variants;
