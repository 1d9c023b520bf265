//! What a radio that stands somewhere would be told: the verdict by the whole way that its network would
//! give it, as [`crate::network::ways`] gives it to the devices that are there.

use crate::network::NetworkAnalysis;
use crate::network::outcome::Band;
use crate::network::route::{Graph, Ways, link_cost};
use crate::network::ways::wish;
use crate::radio::system::RouteChoice;
use crate::units::Db;

/// How a carrier is reached itself, over links of one level or better.
#[derive(Clone, Debug)]
struct Way {
    cost: u32,
    places: Vec<usize>,
    weakest: f32,
    success: f32,
}

/// A radio that would take another one as its own.
#[derive(Clone, Debug)]
pub(super) struct Carrier {
    /// Its place among the nodes.
    pub(super) place: usize,
    is_hub: bool,
    /// What a seat under it costs those that sit there.
    price: i64,
    /// By links that work at all, that are at target, that are solid.
    ways: [Option<Way>; 3],
}

/// What a radio would be told.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct ToldRadio {
    /// Which carrier serves it, by its number.
    pub(super) carrier: usize,
    level: usize,
    /// The weakest margin of the whole way.
    pub(super) margin: f32,
    /// Hops, its own included.
    pub(super) hops: u8,
    /// The chance over the way to the carrier.
    pub(super) success: f32,
    /// The band of the whole way.
    pub(super) band: Band,
}

/// What the link to a carrier costs, by its number and its margin.
type Cost<'c> = dyn Fn(usize, f32) -> Option<u32> + 'c;

/// Tells what radios would be told.
#[derive(Debug)]
pub(super) struct Teller<'a> {
    network: &'a NetworkAnalysis,
    pub(super) carriers: Vec<Carrier>,
    target: Db,
    /// Whether a seat costs anything anywhere.
    is_crowded: bool,
    /// What a link costs by its margin in quarters of a decibel, from nought on.
    costs: Vec<Option<u32>>,
}

/// Beyond this many quarters of a decibel a link costs no less.
const LAST_COST: u16 = 400;

impl<'a> Teller<'a> {
    pub(super) fn new(network: &'a NetworkAnalysis, target: Db) -> Self {
        let graphs = &network.routing.graphs;
        // A radio that is added needs one more hop.
        let most = network.rule.most_hops - 1;
        let levels = [&graphs.any, &graphs.sure, &graphs.solid]
            .map(|g| (g, g.routes(&network.hubs, most, &network.down)));
        let prices = network.routing.seat_prices(network);
        let is_crowded = prices.iter().any(|price| *price != Some(0));
        let carriers = (0..network.nodes.len())
            .filter(|n| network.is_on_air(*n))
            .filter_map(|place| Some((place, prices[place]?)))
            .map(|(place, price)| Carrier {
                place,
                is_hub: network.hubs.contains(&place),
                price,
                ways: levels.each_ref().map(|(graph, ways)| way(network, graph, ways, place)),
            })
            .collect();
        let cost = |quarter: u16| {
            let margin = Db::new(f64::from(quarter) / 4.0);
            let once = || network.arrivals.quiet().success(margin, 1);
            link_cost(&network.rule, margin, once)
        };
        Self { network, carriers, target, is_crowded, costs: (0..=LAST_COST).map(cost).collect() }
    }

    /// The places from the hub to what serves.
    pub(super) fn way(&self, told: &ToldRadio) -> &[usize] {
        let way = self.carriers.get(told.carrier).and_then(|c| c.ways[told.level].as_ref());
        way.map_or(&[], |w| &w.places)
    }

    /// What a link of such a margin costs on quiet air.
    pub(super) fn quiet_cost(&self, margin: f32) -> Option<u32> {
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "held between 0 and the last"
        )]
        let quarter = (margin * 4.0).clamp(0.0, f32::from(LAST_COST)) as usize;
        self.costs[quarter]
    }

    /// What a radio that hears each carrier with such a margin would be told, where the link to a carrier,
    /// by its number, costs so much; nothing where no way within the limits leads to it.
    pub(super) fn told(&self, heard: &[f32], cost: &Cost<'_>) -> Option<ToldRadio> {
        match self.network.rule.choice {
            RouteChoice::DirectOnly => self.best(heard, cost, 0, |c| c.is_hub),
            RouteChoice::Nearest => self.of_star(heard, cost),
            _ if self.is_crowded => self.seated(heard, cost),
            _ => {
                let first = self.best(heard, cost, 0, |_| true)?;
                let better =
                    [(2, Band::Solid), (1, Band::Sound)].into_iter().find_map(|(level, band)| {
                        if first.band >= band {
                            Some(first)
                        } else {
                            self.best(heard, cost, level, |_| true)
                        }
                    });
                Some(better.unwrap_or(first))
            }
        }
    }

    /// Where parents are full: the parent that costs all of them together least.
    fn seated(&self, heard: &[f32], cost: &Cost<'_>) -> Option<ToldRadio> {
        let all = self.carriers.iter().enumerate().filter_map(|(number, carrier)| {
            let margin = heard.get(number).copied()?;
            let (level, told, cost) = [2, 1, 0].into_iter().find_map(|level| {
                self.by((number, margin), cost, level).map(|(t, c)| (level, t, c))
            })?;
            let wish = wish(2 - level, cost, usize::from(told.hops), Db::new(f64::from(margin)));
            Some((i64::from(wish) + carrier.price, told))
        });
        all.min_by_key(|(sum, _)| *sum).map(|(_, told)| told)
    }

    /// What a radio would be told under one carrier over links of a level, and what that costs; nothing
    /// where no such way leads there.
    fn by(
        &self,
        (number, margin): (usize, f32),
        cost: &Cost<'_>,
        level: usize,
    ) -> Option<(ToldRadio, u32)> {
        let least = [Band::Thin, Band::Sound, Band::Solid][level];
        let way = self.carriers[number].ways[level].as_ref()?;
        if Band::of(Db::new(f64::from(margin)), self.target) < least {
            return None;
        }
        let cost = cost(number, margin)?.saturating_add(way.cost);
        let most_cost = self.network.rule.most_cost.unwrap_or(u32::MAX);
        let weakest = margin.min(way.weakest);
        let band = Band::of(Db::new(f64::from(weakest)), self.target);
        let hops = u8::try_from(way.places.len()).unwrap_or(u8::MAX);
        let told =
            ToldRadio { carrier: number, level, margin: weakest, hops, success: way.success, band };
        (cost <= most_cost).then_some((told, cost))
    }

    /// Straight to the hub where that is at target, else the better of hub and repeaters.
    fn of_star(&self, heard: &[f32], cost: &Cost<'_>) -> Option<ToldRadio> {
        let any = self.best(heard, cost, 0, |_| true)?;
        let Some(straight) = self.best(heard, cost, 0, |c| c.is_hub) else { return Some(any) };
        if straight.band >= Band::Sound {
            return Some(straight);
        }
        let held = any.hops > 1;
        Some(if held { ToldRadio { band: any.band.min(Band::Sound), ..any } } else { any })
    }

    /// The best way by the system's own choice over links of a level: least cost, then the strongest
    /// weakest margin, then the fewest hops.
    fn best(
        &self,
        heard: &[f32],
        cost: &Cost<'_>,
        level: usize,
        takes: impl Fn(&Carrier) -> bool,
    ) -> Option<ToldRadio> {
        let mut best: Option<(u32, ToldRadio)> = None;
        let all = self.carriers.iter().enumerate().filter(|(_, c)| takes(c));
        for (number, _) in all {
            let Some(margin) = heard.get(number).copied() else { continue };
            let Some((told, cost)) = self.by((number, margin), cost, level) else { continue };
            let better = best.as_ref().is_none_or(|(known, other)| {
                (cost, -told.margin, told.hops) < (*known, -other.margin, other.hops)
            });
            if better {
                best = Some((cost, told));
            }
        }
        best.map(|(_, told)| told)
    }
}

fn way(network: &NetworkAnalysis, graph: &Graph, ways: &Ways, place: usize) -> Option<Way> {
    let places = ways[place].clone()?;
    let (mut weakest, mut success) = (f32::INFINITY, 1.0);
    for pair in places.windows(2) {
        let link = network.links.between(pair[0], pair[1])?;
        let (passes, _) = network.arrivals.over(&network.nodes, link);
        #[expect(clippy::cast_possible_truncation, reason = "decibels to a tenth suffice")]
        let (margin, passes) = (link.margin().get() as f32, passes as f32);
        weakest = weakest.min(margin);
        success *= passes;
    }
    Some(Way { cost: graph.cost(&places), places, weakest, success })
}
