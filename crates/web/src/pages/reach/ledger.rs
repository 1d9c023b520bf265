//! The ledger: a line a device with the columns that were chosen, filtered and sorted, the selected
//! one open with its reasons and cures.

use std::cmp::Ordering;

use dot_reach_core::analysis::Analysis;
use dot_reach_core::fit::Fits;
use dot_reach_core::network::NetworkAnalysis;
use dot_reach_core::network::{Hop, Node, Outcome};
use dot_reach_core::simulate::Chances;
use dot_reach_core::site::{DeviceId, Point, Site};
use dot_reach_core::summary::fits;
use dot_reach_core::units::{Db, count_of, typographic};
use dot_reach_store::JobId;

use super::Query;
use super::details::{Details, details};
use crate::drawing::{band_class, glyph};

/// The ledger, ready to print.
#[derive(Default)]
pub(crate) struct Ledger {
    pub(crate) rows: Vec<LedgerRow>,
    /// The columns shown.
    pub(crate) heads: Vec<Head>,
    /// All columns that there are.
    pub(crate) choices: Vec<Head>,
    pub(crate) count: String,
    /// How wide the columns make it: `plain`, `wide` or `widest`.
    pub(crate) width: &'static str,
}

/// A column's head.
pub(crate) struct Head {
    pub(crate) word: &'static str,
    pub(crate) label: &'static str,
    pub(crate) title: &'static str,
    pub(crate) is_words: bool,
    pub(crate) chosen: bool,
    /// `ascending`, `descending` or `none`.
    pub(crate) sorted: &'static str,
    /// What the address says of sorting after a press on this head.
    pub(crate) next_sort: String,
}

pub(crate) struct LedgerRow {
    pub(crate) id: String,
    pub(crate) name: String,
    pub(crate) tag: String,
    pub(crate) glyph: &'static str,
    pub(crate) band: &'static str,
    /// The grade, and what it means.
    pub(crate) grade: &'static str,
    pub(crate) means: &'static str,
    /// Whether it does not fit its box, however well it is reached.
    pub(crate) unfit: bool,
    pub(crate) cells: Vec<Cell>,
    pub(crate) selected: bool,
    pub(crate) details: Option<Details>,
}

/// What stands in a column.
pub(crate) struct Cell {
    pub(crate) text: String,
    pub(crate) is_words: bool,
}

/// A line of the ledger before it is worded.
#[derive(Clone, Copy)]
struct Line<'a> {
    analysis: &'a Analysis,
    network: &'a NetworkAnalysis,
    chances: Option<&'a Chances>,
    place: usize,
}

/// What a column knows of a line: nothing comes last however it is sorted.
enum Known {
    Nothing,
    Number(f64, String),
    Words(String),
}

struct Column {
    word: &'static str,
    label: &'static str,
    title: &'static str,
    is_words: bool,
    of: fn(&Line<'_>) -> Known,
}

const fn numbers(
    word: &'static str,
    label: &'static str,
    title: &'static str,
    of: fn(&Line<'_>) -> Known,
) -> Column {
    Column { word, label, title, is_words: false, of }
}

const fn words(
    word: &'static str,
    label: &'static str,
    title: &'static str,
    of: fn(&Line<'_>) -> Known,
) -> Column {
    Column { word, label, title, is_words: true, of }
}

/// Every column, in the order in which they stand.
#[expect(
    clippy::redundant_closure_for_method_calls,
    reason = "a method named by its path is one of a single lifetime"
)]
#[rustfmt::skip]
const COLUMNS: [Column; 15] = [
    numbers("hops", "hops", "radio hops from the hub", |l| l.hops()),
    numbers("margin", "dB", "margin of the weakest hop, worse direction", |l| l.margin(Hop::margin)),
    numbers("off", "± dB", "how far off that margin may be: two in three lie within", |l| l.off()),
    numbers("out", "out dB", "weakest margin from the hub outward", |l| l.margin(|h| h.margin_out)),
    numbers("back", "back dB", "weakest margin back to the hub", |l| l.margin(|h| h.margin_back)),
    numbers("spare", "spare", "margin over the target, dB", |l| l.margin(|h| h.margin() - h.target)),
    numbers("success", "%", "messages that arrive", |l| l.reached(|o| (o.success * 100.0, 0))),
    numbers("sends", "sends", "times a message is sent, all hops together", |l| l.reached(|o| (o.tries, 1))),
    numbers("delay", "ms", "from the hub to the device", |l| l.reached(|o| (o.delay_ms, 0))),
    numbers("parents", "parents", "radios that forward and are heard at target", |l| l.parents()),
    numbers("chance", "sure %", "share of the drawn houses in which it is reached", |l| l.chance()),
    words("via", "via", "the last radio before it", |l| l.via()),
    words("weakest", "weakest hop", "where the weakest hop begins", |l| l.weakest()),
    words("room", "room", "room and storey", |l| l.room()),
    words("cut", "cut off by", "the devices and breakers without which it is lost", |l| l.cut_off_by()),
];

/// Those shown when none are chosen.
const USUAL: [&str; 3] = ["hops", "margin", "off"];

impl<'a> Line<'a> {
    fn node(&self) -> &'a Node {
        &self.network.nodes[self.place]
    }

    fn outcome(&self) -> &'a Outcome {
        &self.network.outcomes[self.place]
    }

    fn point(&self) -> Option<&'a Point> {
        let device = self.analysis.site.devices.get(&self.node().device)?;
        self.analysis.site.point_of(device)
    }

    fn hops(&self) -> Known {
        match self.outcome().hops.len() {
            0 if self.network.hubs.contains(&self.place) => Known::Words("hub".to_owned()),
            0 => Known::Nothing,
            #[expect(clippy::cast_precision_loss, reason = "a handful of hops")]
            n => Known::Number(n as f64, n.to_string()),
        }
    }

    fn margin(&self, of: fn(&Hop) -> Db) -> Known {
        let least = self.outcome().hops.iter().map(of).min_by(Db::total_cmp);
        least.map_or(Known::Nothing, |m| Known::Number(m.get(), typographic(m.get(), 1)))
    }

    /// The deviation of the hop whose margin is shown.
    fn off(&self) -> Known {
        let least = self.outcome().hops.iter().min_by(|a, b| a.margin().total_cmp(&b.margin()));
        let sigma = least.map(|hop| hop.sigma.get());
        sigma.map_or(Known::Nothing, |off| Known::Number(off, typographic(off, 1)))
    }

    fn reached(&self, of: fn(&Outcome) -> (f64, usize)) -> Known {
        if self.outcome().hops.is_empty() {
            return Known::Nothing;
        }
        let (number, decimals) = of(self.outcome());
        Known::Number(number, format!("{number:.decimals$}"))
    }

    fn parents(&self) -> Known {
        if self.network.hubs.contains(&self.place) {
            return Known::Nothing;
        }
        let parents = self.outcome().parents;
        #[expect(clippy::cast_precision_loss, reason = "a count of devices")]
        Known::Number(parents as f64, parents.to_string())
    }

    fn chance(&self) -> Known {
        let share = self.chances.and_then(|c| c.of(&self.node().device));
        share.map_or(Known::Nothing, |p| Known::Number(p, format!("{:.0}", p * 100.0)))
    }

    fn via(&self) -> Known {
        words_or_nothing(self.outcome().hops.last().map(|h| name(self.network, &h.from)))
    }

    fn weakest(&self) -> Known {
        let hop = self.outcome().weakest();
        words_or_nothing(hop.map(|h| name(self.network, &h.from)))
    }

    fn room(&self) -> Known {
        words_or_nothing(self.point().map(|p| {
            let floor = self.analysis.site.floors.get(&p.floor);
            let floor = floor.map_or("", |f| f.name.as_str());
            if p.room.is_empty() { floor.to_owned() } else { format!("{}, {floor}", p.room) }
        }))
    }

    fn cut_off_by(&self) -> Known {
        let outcome = self.outcome();
        let devices = self.network.hangs_on_carriers(outcome).map(|d| name(self.network, d));
        let breakers = outcome.hangs_on_breakers.iter().map(|b| format!("breaker {b}"));
        words_or_nothing(Some(devices.chain(breakers).collect::<Vec<_>>().join(", ")))
    }

    /// What the filter looks at.
    fn text(&self) -> String {
        let (node, outcome) = (self.node(), self.outcome());
        let way = outcome.hops.iter().map(|h| name(self.network, &h.to));
        let room = match self.room() {
            Known::Words(room) => room,
            Known::Nothing | Known::Number(..) => String::new(),
        };
        let own = [
            node.name.clone(),
            room,
            outcome.band.grade().to_owned(),
            node.role.role.name().to_owned(),
        ];
        own.into_iter().chain(way).collect::<Vec<_>>().join(" ").to_lowercase()
    }
}

fn words_or_nothing(words: Option<String>) -> Known {
    words.filter(|w| !w.is_empty()).map_or(Known::Nothing, Known::Words)
}

impl Known {
    fn cell(self, is_words: bool) -> Cell {
        let text = match self {
            Self::Nothing => "–".to_owned(),
            Self::Number(_, text) | Self::Words(text) => text,
        };
        Cell { text, is_words }
    }

    /// In rising order; nothing comes last, and so do words among numbers.
    fn cmp(&self, other: &Self, descending: bool) -> Ordering {
        let rank = |k: &Self| match k {
            Self::Number(..) => 0,
            Self::Words(_) => 1,
            Self::Nothing => 2,
        };
        let within = match (self, other) {
            (Self::Number(a, _), Self::Number(b, _)) => a.total_cmp(b),
            (Self::Words(a), Self::Words(b)) => a.to_lowercase().cmp(&b.to_lowercase()),
            _ => Ordering::Equal,
        };
        rank(self).cmp(&rank(other)).then(if descending { within.reverse() } else { within })
    }
}

/// How the ledger is sorted: by a column, by name, or the worst first.
struct Sort<'a> {
    by: &'a str,
    descending: bool,
}

impl<'a> Sort<'a> {
    fn of(query: &'a Query) -> Self {
        match query.sort.strip_prefix('-') {
            Some(by) => Self { by, descending: true },
            None => Self { by: &query.sort, descending: false },
        }
    }

    fn sorted(&self, word: &str) -> &'static str {
        match (self.by == word, self.descending) {
            (false, _) => "none",
            (true, false) => "ascending",
            (true, true) => "descending",
        }
    }

    /// A press sorts upward, the next one downward, the third the worst first again.
    fn next(&self, word: &str) -> String {
        match self.sorted(word) {
            "none" => word.to_owned(),
            "ascending" => format!("-{word}"),
            _ => String::new(),
        }
    }
}

/// The places of the nodes that pass the filter, in the order asked for.
pub(crate) fn shown(
    analysis: &Analysis,
    network: &NetworkAnalysis,
    chances: Option<&Chances>,
    query: &Query,
) -> Vec<usize> {
    let line = |place: usize| Line { analysis, network, chances, place };
    let words: Vec<String> = query.q.to_lowercase().split_whitespace().map(str::to_owned).collect();
    let holds = |p: &usize| {
        words.is_empty() || {
            let text = line(*p).text();
            words.iter().all(|w| text.contains(w))
        }
    };
    let mut places: Vec<_> = worst_first(network).into_iter().filter(holds).collect();
    let sort = Sort::of(query);
    if sort.by == "name" {
        places.sort_by_key(|p| network.nodes[*p].name.to_lowercase());
        if sort.descending {
            places.reverse();
        }
    } else if let Some(column) = COLUMNS.iter().find(|c| c.word == sort.by) {
        let mut known: Vec<_> = places.iter().map(|p| (*p, (column.of)(&line(*p)))).collect();
        known.sort_by(|a, b| a.1.cmp(&b.1, sort.descending));
        places = known.into_iter().map(|(p, _)| p).collect();
    }
    places
}

/// The ledger of the nodes that are shown.
pub(crate) fn ledger(
    job: &JobId,
    analysis: &Analysis,
    network: &NetworkAnalysis,
    chances: Option<&Chances>,
    shown: &[usize],
    query: &Query,
    selected: Option<&DeviceId>,
) -> Ledger {
    let asked: Vec<&str> = query.col.split(',').collect();
    let known = COLUMNS.iter().any(|c| asked.contains(&c.word));
    let is_chosen =
        |c: &&Column| if known { asked.contains(&c.word) } else { USUAL.contains(&c.word) };
    let sort = Sort::of(query);
    let head = |c: &Column| Head {
        word: c.word,
        label: c.label,
        title: c.title,
        is_words: c.is_words,
        chosen: is_chosen(&c),
        sorted: sort.sorted(c.word),
        next_sort: sort.next(c.word),
    };
    let columns: Vec<&Column> = COLUMNS.iter().filter(is_chosen).collect();
    let row = |place: usize| {
        let line = Line { analysis, network, chances, place };
        let (node, outcome) = (line.node(), line.outcome());
        let is_selected = selected == Some(&node.device);
        LedgerRow {
            id: node.device.to_string(),
            name: node.name.clone(),
            tag: tag_of(&analysis.site, &node.device),
            glyph: glyph(node),
            band: band_class(outcome.band),
            grade: outcome.band.grade(),
            means: outcome.band.means(),
            unfit: fits(&analysis.site, &node.device) == Fits::No,
            cells: columns.iter().map(|c| (c.of)(&line).cell(c.is_words)).collect(),
            selected: is_selected,
            details: is_selected.then(|| details(job, analysis, network, place, chances)),
        }
    };
    let room: usize = columns.iter().map(|c| if c.is_words { 2 } else { 1 }).sum();
    Ledger {
        rows: shown.iter().copied().map(row).collect(),
        heads: columns.iter().map(|c| head(c)).collect(),
        choices: COLUMNS.iter().map(head).collect(),
        count: count_words(shown.len(), network.nodes.len()),
        width: match room {
            0..=3 => "plain",
            4..=5 => "wide",
            _ => "widest",
        },
    }
}

fn count_words(shown: usize, all: usize) -> String {
    if shown == all {
        count_of(all, "device", "devices")
    } else {
        format!("{shown} of {}", count_of(all, "device", "devices"))
    }
}

fn worst_first(network: &NetworkAnalysis) -> Vec<usize> {
    let mut places: Vec<_> = (0..network.nodes.len()).collect();
    places.sort_by(|a, b| network.outcomes[*a].worst_first(&network.outcomes[*b]));
    places
}

pub(crate) fn worst(network: &NetworkAnalysis) -> Option<DeviceId> {
    worst_first(network)
        .into_iter()
        .find(|p| !network.hubs.contains(p))
        .map(|p| network.nodes[p].device.clone())
}

pub(crate) fn name(network: &NetworkAnalysis, id: &DeviceId) -> String {
    network.place_of(id).map_or_else(String::new, |p| network.nodes[p].name.clone())
}

pub(crate) fn percent(share: f64) -> String {
    format!("{:.0} %", share * 100.0)
}

/// The tag of the point that a device stands at.
pub(crate) fn tag_of(site: &Site, device: &DeviceId) -> String {
    let point = site.devices.get(device).and_then(|d| site.point_of(d));
    point.map(|p| p.tag.clone()).unwrap_or_default()
}
