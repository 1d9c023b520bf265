//! Links of one network, both directions.

use std::sync::OnceLock;

use crate::catalogue;
use crate::geometry::Place;
use crate::learned::Learned;
use crate::propagation::Medium;
use crate::propagation::doorway::Station;
use crate::pulse::StillWanted;
use crate::radio::mounting;
use crate::radio::profile::{RadioProfile, hand_loss, planning_profile};
use crate::site::neutrals::really;
use crate::site::{Device, DeviceId, Network, NetworkId, Point, Provenance, Site};
use crate::survey::hard_spots::hard_spot;
use crate::units::{Db, Dbm};

use super::role::{Role, RoleFinding, role};

/// A radio of a network, ready for link budgets.
#[derive(Clone, Debug, PartialEq)]
pub struct Node {
    /// The device.
    pub device: DeviceId,
    /// Its name.
    pub name: String,
    /// Its row in the catalogue.
    pub kind: String,
    /// Where its antenna is.
    pub place: Place,
    /// What it brings to a link.
    pub radio: RadioProfile,
    /// What it needs to hear with nothing else on the air: its sensitivity, or what its system uses.
    pub quiet: Dbm,
    /// What it needs to hear: the same, or more where others are on the air.
    pub needs: Dbm,
    /// What stands between it and the room, by name.
    pub mounting: Vec<(&'static str, Db)>,
    /// Loss of the hand that holds it.
    pub hand: Db,
    /// Whether it forwards by its make, whatever it earns credit for here.
    pub makes_forward: bool,
    /// Its role and why.
    pub role: RoleFinding,
    /// Variance that its own surroundings add to a link, in dB²; none where readings told of them.
    pub doubt: f64,
    /// The breaker that really feeds it, as far as is known: the proven one, else that of its label; empty when it has
    /// none or none is known.
    pub circuit: String,
}

impl Node {
    /// The node of a device; nothing when its point, storey or catalogue row is missing, or it has
    /// no radio that speaks the network's system.
    pub fn new(
        site: &Site,
        device: &Device,
        network: &Network,
        learned: Option<&Learned>,
    ) -> Option<Self> {
        let speaks = |k: &&catalogue::DeviceKind| k.systems.contains(&network.system);
        let kind = site.kind(&device.kind).filter(|k| k.has_radio).filter(speaks)?;
        let point = site.point_of(device)?;
        let place = site.place(&point.floor, point.at, point.height_m)?;
        let (system, region) = (network.system, site.job.region);
        let planned = planning_profile(system, kind.class(), region);
        let radio = device.sheet.applied_to(kind.radio.applied_to(planned));
        let frequency = region.frequency(system, None);
        let mut mounting = mounting::losses(point.back_box, point.mounting, frequency);
        mounting.extend(device.sheet.extra_loss_db.map(|loss| ("other loss around it", loss)));
        let learned = learned.and_then(|l| l.device(&device.id));
        mounting.extend(learned.map(|loss| ("what readings found around it", loss)));
        let usable = system.rule().usable;
        let quiet = usable.map_or(radio.sensitivity, |u| u.max(radio.sensitivity));
        Some(Self {
            device: device.id.clone(),
            name: device.name.clone(),
            kind: device.kind.clone(),
            place,
            radio,
            quiet,
            needs: quiet,
            mounting,
            hand: if kind.is_hand_held() { hand_loss(system) } else { Db::ZERO },
            makes_forward: kind.forwards,
            role: role(site, device),
            doubt: if learned.is_some() {
                0.0
            } else {
                let around = hard_spot(site, point, kind).map_or(Db::ZERO, |s| s.doubt(frequency));
                doubt(point, kind).get().powi(2) + around.get().powi(2)
            },
            circuit: if kind.is_on_mains() {
                really(site, &point.circuit).to_owned()
            } else {
                String::new()
            },
        })
    }

    /// Whether others may be reached through it.
    pub fn carries_others(&self) -> bool {
        matches!(self.role.role, Role::Hub | Role::Forwards)
    }

    /// All loss around it: boxes, plates, the hand.
    pub fn around(&self) -> Db {
        self.mounting.iter().map(|(_, loss)| *loss).sum::<Db>() + self.hand
    }
}

/// What a place adds to the deviation of a link: how its box and mounting are known, and a box in the
/// wall that nobody has opened.
fn doubt(point: &Point, kind: &catalogue::DeviceKind) -> Db {
    let known = match point.how("box") {
        // What somebody told is never less than nothing said.
        Provenance::Default | Provenance::Told => Db::ZERO,
        known => known.doubt(),
    };
    if point.has_wired_in(kind) && !point.is_opened() { known.max(UNOPENED) } else { known }
}

/// What a box that nobody has opened adds to the deviation: whether it is metal, how deep the radio
/// sits; *planning value*.
const UNOPENED: Db = Db::new(2.0);

/// The level that arrives: `P_rx = P_tx + G_tx + G_rx − L_path − M_tx − M_rx − B`.
pub fn received(from: &Node, to: &Node, path_loss: Db) -> Dbm {
    from.radio.tx + from.radio.antenna + to.radio.antenna - path_loss - from.around() - to.around()
}

/// The margins of two radios over a way that costs nothing: at `one` when `other` sends, and at `other`
/// when `one` does.
pub fn directions(one: &Node, other: &Node) -> [Db; 2] {
    let over = |from: &Node, to: &Node| received(from, to, Db::ZERO) - to.needs;
    [over(other, one), over(one, other)]
}

/// The margin in the worse direction over a way of this loss.
pub fn worse_margin(one: &Node, other: &Node, path_loss: Db) -> Db {
    let [at_one, at_other] = directions(one, other);
    at_one.min(at_other) - path_loss
}

/// A link between two radios of a network, by their places in its list.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Link {
    /// One end; the smaller place.
    pub a: usize,
    /// The other end.
    pub b: usize,
    /// Loss of the way, alike in both directions.
    pub path_loss: Db,
    /// Margin at `b` when `a` sends.
    pub margin_ab: Db,
    /// Margin at `a` when `b` sends.
    pub margin_ba: Db,
    /// Deviation of the model alone on this link.
    pub model: Db,
    /// Deviation on this link: guessed walls and unseen boxes widen that of the model.
    pub sigma: Db,
    /// The margin that the wanted confidence needs here: `z·σ`.
    pub target: Db,
}

impl Link {
    /// The link between two nodes with a known path loss; `walls` is the variance that doubtful walls
    /// between them add, in dB².
    pub fn new(nodes: &[Node], a: usize, b: usize, path_loss: Db, walls: f64, sure: Sure) -> Self {
        let margin = |from: usize, to: usize| {
            received(&nodes[from], &nodes[to], path_loss) - nodes[to].needs
        };
        let (sigma, target) = sure.of(walls + nodes[a].doubt + nodes[b].doubt);
        let (margin_ab, margin_ba) = (margin(a, b), margin(b, a));
        Self { a, b, path_loss, margin_ab, margin_ba, model: sure.sigma, sigma, target }
    }

    /// A link is as good as its worse direction.
    pub fn margin(&self) -> Db {
        self.margin_ab.min(self.margin_ba)
    }

    /// Whether it has the margin that the wanted confidence needs.
    pub fn is_sure(&self) -> bool {
        self.margin() >= self.target
    }

    /// The margin when `from` sends.
    pub fn margin_from(&self, from: usize) -> Db {
        if from == self.a { self.margin_ab } else { self.margin_ba }
    }
}

/// How sure links must be: the model's deviation and `z(p)` of the wanted confidence.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Sure {
    /// Deviation of the model.
    pub sigma: Db,
    /// `z(p)`.
    pub z: f64,
    /// No target is below this: what a system calls good, over what it uses at all.
    pub least: Db,
}

impl Sure {
    /// Deviation and target margin of a link with this much more variance, in dB².
    pub fn of(self, doubt: f64) -> (Db, Db) {
        let sigma = if doubt <= 0.0 {
            self.sigma
        } else {
            Db::new((self.sigma.get().powi(2) + doubt).sqrt())
        };
        (sigma, (sigma * self.z).max(self.least))
    }
}

/// Prices a link: how it is learned of, where it is.
#[derive(Debug)]
pub struct Pricing<'a> {
    /// The network.
    pub network: &'a NetworkId,
    /// The building.
    pub medium: &'a Medium,
    /// What readings taught, where they did.
    pub learned: Option<&'a Learned>,
    /// How sure links must be.
    pub sure: Sure,
}

impl Pricing<'_> {
    /// The loss between two radios, and the deviation of the model there.
    pub fn price(&self, one: (&Node, &Station), other: (&Node, &Station)) -> (Db, Db) {
        let ((a, at_a), (b, at_b)) = (one, other);
        let Some(learned) = self.learned else {
            return (self.medium.loss_between(at_a, at_b), self.sure.sigma);
        };
        let lean = self.medium.lean(at_a, at_b);
        let ends = [&a.device, &b.device];
        let (structure, f) = (&self.medium.structure, self.medium.frequency());
        let own = learned.link(self.network, ends[0], ends[1]);
        (lean.loss + own, learned.sigma(self.network, ends, &lean, structure, f))
    }
}

/// All links of a network with at least one end that carries others.
#[derive(Clone, Debug, Default)]
pub struct Links {
    /// The links, in the order of their ends.
    pub all: Vec<Link>,
    count: usize,
    place: Vec<u32>,
}

const NONE: u32 = u32::MAX;
/// Fewer nodes are linked before a thread has started.
const WORTH_THREADS: usize = 40;

impl Links {
    /// Computes every link. What `known` gives for a pair is taken instead of a new computation;
    /// it must be what this medium would give. Once it is not `wanted` any longer, the links that are
    /// left are left out.
    pub fn new(
        nodes: &[Node],
        pricing: &Pricing<'_>,
        known: impl Fn(&Node, &Node) -> Option<(Db, Db)> + Sync,
        wanted: &StillWanted<'_>,
    ) -> Self {
        let (medium, sure) = (pricing.medium, pricing.sure);
        let count = nodes.len();
        let stations: Vec<_> = nodes.iter().map(|_| OnceLock::new()).collect();
        let station = |n: usize| stations[n].get_or_init(|| medium.station(nodes[n].place));
        let doubtful = medium.structure.has_doubt();
        let link = |a: usize, b: usize| {
            let (one, other) = (&nodes[a], &nodes[b]);
            let (loss, sigma) = known(one, other)
                .unwrap_or_else(|| pricing.price((one, station(a)), (other, station(b))));
            let is_read = pricing.learned.is_some();
            let walls = if doubtful {
                medium.structure.doubt_between(one.place, other.place, is_read)
            } else {
                0.0
            };
            Link::new(nodes, a, b, loss, walls, Sure { sigma, ..sure })
        };
        let of_row = |a: usize| {
            let carries = nodes[a].carries_others();
            let end = if wanted() { count } else { 0 };
            let others = (a + 1..end).filter(move |b| carries || nodes[*b].carries_others());
            others.map(move |b| (a, b))
        };
        let cores = std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
        let mut all: Vec<Link> = if cores < 2 || count < WORTH_THREADS {
            (0..count).flat_map(of_row).map(|(a, b)| link(a, b)).collect()
        } else {
            // Rows are dealt out in turn; a link depends on no other, so that the order of the
            // threads changes nothing once they are sorted.
            let deal = |core: usize| -> Vec<Link> {
                let rows = (core..count).step_by(cores);
                rows.flat_map(of_row).map(|(a, b)| link(a, b)).collect()
            };
            std::thread::scope(|scope| {
                let deal = &deal;
                let hands: Vec<_> =
                    (0..cores).map(|core| scope.spawn(move || deal(core))).collect();
                let gather = |hand: std::thread::ScopedJoinHandle<'_, Vec<Link>>| {
                    hand.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic))
                };
                let mut all = Vec::new();
                for hand in hands {
                    all.append(&mut gather(hand));
                }
                all
            })
        };
        all.sort_unstable_by_key(|l| (l.a, l.b));
        let mut place = vec![NONE; count * count];
        for (here, link) in (0..NONE).zip(&all) {
            place[link.a * count + link.b] = here;
            place[link.b * count + link.a] = here;
        }
        Self { all, count, place }
    }

    /// About how much memory they take.
    pub fn bytes(&self) -> usize {
        self.all.len() * size_of::<Link>() + self.place.len() * size_of::<u32>()
    }

    /// The link between two nodes, if it was worth computing.
    pub fn between(&self, a: usize, b: usize) -> Option<&Link> {
        let here = *self.place.get(a * self.count + b)?;
        self.all.get(usize::try_from(here).ok()?)
    }
}
