//! Ways out of what does not fit, each with where it is done.

use dot_reach_core::draw::at_fitting::module_at_fitting;
use dot_reach_core::fit::ways_out::{WayLeads, way_leads};
use dot_reach_core::site::{Point, Site};
use serde_json::json;

use super::region::say;

/// A way out, as it is listed.
pub(crate) struct WayRow {
    pub(crate) says: String,
    /// What the press is called; empty where somebody else does it.
    pub(crate) press: &'static str,
    /// The page of the job where it is done, or
    pub(crate) href: String,
    /// the edit that it is.
    pub(crate) edit: String,
}

/// The ways out at a place.
pub(crate) fn way_rows(site: &Site, point: &Point, ways: Vec<&'static str>) -> Vec<WayRow> {
    let module = || module_at_fitting(site, point).map(|edit| json!(edit).to_string());
    let row = |says| {
        let (press, href, edit) = match way_leads(says) {
            Some(WayLeads::AtFitting) => {
                ("Plan it there", String::new(), module().unwrap_or_default())
            }
            Some(WayLeads::Devices) => {
                ("Choose", format!("choices?point={}", point.id), String::new())
            }
            Some(WayLeads::Place) => {
                ("Note it", format!("survey?point={}", point.id), String::new())
            }
            Some(WayLeads::Library) => ("Library", "library".to_owned(), String::new()),
            Some(WayLeads::Brief) => ("Brief", "brief".to_owned(), String::new()),
            Some(WayLeads::Hub) => ("Hub and repeaters", "advice".to_owned(), String::new()),
            Some(WayLeads::Others) | None => ("", String::new(), String::new()),
        };
        let press = if href.is_empty() && edit.is_empty() { "" } else { press };
        WayRow { says: say(says), press, href, edit }
    };
    ways.into_iter().map(row).collect()
}
