//! The pages, the live channel and the files they ship with.
//!
//! | place | what it holds |
//! |---|---|
//! | [`app`] | what every request of a firm shares, and `serve` |
//! | `server`, `firms` | one file that nobody signs in to, or the firms of a folder, opened when they are asked for |
//! | [`settings`] | what an operator may set |
//! | `guard` | same origin, known host, content security policy, failures as pages |
//! | `door` | who asks and which job, read before a handler begins |
//! | `error` | failure to HTTP, in one place |
//! | `pages` | every route in one list; one folder a page |
//! | `commands`, `imports` | edits, undo, uploads; job files brought in |
//! | `collector` | what a hub in the house tells, asked over the open contract |
//! | `live` | the live channel: previews while something is dragged, news of others' edits |
//! | `desk` | what is known of jobs in use |
//! | `work` | heavy work in turns, long work as tickets |
//! | `metrics`, `trace` | health, counters, the log |
//! | `drawing` | plan, section and staircase as ready-to-print shapes |
//! | [`tls`] | certificates, read anew when they change |
//! | `assets` | styles, scripts and fonts, shipped in the binary |

pub mod app;
mod assets;
mod collector;
mod commands;
mod desk;
mod door;
mod drawing;
mod error;
mod firms;
mod guard;
mod imports;
mod live;
mod metrics;
mod pages;
mod presence;
mod record;
mod server;
pub mod settings;
pub mod tls;
mod trace;
mod work;

pub use app::{application, now, serve};
pub use firms::file_of;
pub use server::Server;
pub use settings::Settings;
