//! The pages, the live channel and the files they ship with.
//!
//! | place | what it holds |
//! |---|---|
//! | [`app`] | what every request shares, and `serve` |
//! | `guard` | same origin, loopback host, content security policy |
//! | `error` | failure to HTTP, in one place |
//! | `pages` | every route in one list; one folder a page |
//! | `commands` | edits, undo, uploads |
//! | `live` | the live channel: previews while something is dragged, news of others' edits |
//! | `drawing` | plan, section and staircase as ready-to-print shapes |
//! | `assets` | styles, scripts and fonts, shipped in the binary |

pub mod app;
mod assets;
mod commands;
mod drawing;
mod error;
mod guard;
mod live;
mod pages;

pub use app::{App, serve};
