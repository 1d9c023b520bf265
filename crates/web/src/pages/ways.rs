//! Ways out of what does not fit, each with where it is done.

use std::cell::OnceCell;

use dot_reach_core::draw::at_fitting::module_at_fitting;
use dot_reach_core::fit::ways_out::{WayLeads, WayOut};
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

/// Where the ways out at a place lead.
pub(crate) struct WaysAt<'a> {
    site: &'a Site,
    point: &'a Point,
    /// The edit that plans a module up at the fitting, worked out where a way leads there.
    module: OnceCell<Option<String>>,
}

impl<'a> WaysAt<'a> {
    pub(crate) const fn new(site: &'a Site, point: &'a Point) -> Self {
        Self { site, point, module: OnceCell::new() }
    }

    pub(crate) fn rows(&self, ways: Vec<WayOut>) -> Vec<WayRow> {
        ways.into_iter().map(|way| self.row(way)).collect()
    }

    fn row(&self, way: WayOut) -> WayRow {
        let page = |press, href: String| (press, href, String::new());
        let (press, href, edit) = match way.leads {
            WayLeads::AtFitting => match self.module() {
                Some(edit) => ("Plan it there", String::new(), edit),
                None => page("", String::new()),
            },
            WayLeads::Devices => page("Choose", format!("choices?point={}", self.point.id)),
            WayLeads::Place => page("Note it", format!("survey?point={}", self.point.id)),
            WayLeads::Library => page("Library", "library".to_owned()),
            WayLeads::Brief => page("Brief", "brief".to_owned()),
            WayLeads::Hub => page("Hub and repeaters", "advice".to_owned()),
            WayLeads::Others => page("", String::new()),
        };
        WayRow { says: say(way.says), press, href, edit }
    }

    fn module(&self) -> Option<String> {
        let edit = || module_at_fitting(self.site, self.point).map(|edit| json!(edit).to_string());
        self.module.get_or_init(edit).clone()
    }
}
