//! The least that is enough: freed of houses, and of whole houses.

mod advice;
mod least;
