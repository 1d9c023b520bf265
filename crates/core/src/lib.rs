//! The computation of Dot Reach: pure, without clock, files, environment or hash order. The same
//! site and options give the same bits.
//!
//! Modules stand here as floors of a house: none looks up to one that stands below it in this list,
//! which `tests/arrows.rs` holds.
//!
//! | module | what it holds |
//! |---|---|
//! | [`glossary`] | the words of the trade, and what each means |
//! | [`speech`] | how a region says it: lengths, and the trade's words |
//! | [`units`] | quantities |
//! | [`moment`] | instants of time |
//! | [`confidence`] | the normal distribution |
//! | [`pulse`] | how far long work is |
//! | [`geometry`] | places, exact sides of lines, an index of segments |
//! | [`materials`] | layered slabs, constructions |
//! | [`radio`] | systems, regions, channels, profiles, mounting, packet success |
//! | [`codes`] | codes by which devices are joined, with their check digits |
//! | [`catalogue`] | generic devices |
//! | [`site`] | the plan of a job as a value, and [`site::Edit`], the one way to change it |
//! | [`record`] | what happened, as entries that only grow |
//! | [`trial`] | what waits while one of its kind is tried |
//! | [`fit`] | whether a device fits a place |
//! | [`survey`] | the point sheet, signs of switches, finding lines, the visit before, the brief |
//! | [`wires`] | what becomes of every conductor of a control, tried as electricity meets it |
//! | [`draw`] | from a hand on the sheet to edits |
//! | [`sensing`] | what a sensor sees of the plan |
//! | [`building`] | the site as a ray meets it |
//! | [`propagation`] | path loss and its terms |
//! | [`learned`] | what readings taught of constructions, radios and receivers |
//! | [`network`] | roles, links, what is on the air, routes, verdicts |
//! | [`staircase`] | a hop's budget, step by step |
//! | [`findings`] | what is worth looking at, with its cure |
//! | [`analysis`] | all of it together: [`analyse`] |
//! | [`assumptions`] | what the numbers rest on that nobody measured |
//! | [`coverage`] | margin over a storey, contours |
//! | [`simulate`] | how sure the whole house is, by drawing many |
//! | [`placement`] | where the hub could stand, and the least that is enough |
//! | [`control`] | who controls what, and what works in an outage |
//! | [`keys`] | what each key of a controller does, and what a lost message leaves behind |
//! | [`power`] | how long batteries last |
//! | [`lifetimes`] | how long devices last, and before which day each is replaced |
//! | [`summary`] | how a job stands, counted once |
//! | [`bill`] | what is bought, what the work takes, what bundling saves |
//! | [`gate`] | what may be done next, by the record and the plan; the acts of the day |
//! | [`platforms`] | which platform may be in charge, what each has of a device, what stands in which |
//! | [`rules`] | what a hand, a phrase and a clock do: sun, year, senses |
//! | [`spoken`] | names that are taken for each other, and what answers to a phrase |
//! | [`names`] | what each thing is called in each platform, and what was found there |
//! | [`install`] | the day as it is planned: visits, times without power, the order of joining |
//! | [`needed`] | what a job needs now |
//! | [`effects`] | what a change does to the mesh, found by trying |
//! | [`elsewhere`] | how what is carried about is reached from each of its places |
//! | [`systems`] | the radio systems side by side at one place |
//! | [`cures`] | what would help a device below target, found by trying |
//! | [`compare`] | variants side by side, and what makes one another |
//! | [`prove`] | readings against predictions, calibration |
//! | [`wish`] | what a page asks for: an edit, a gesture, an act |

pub mod analysis;
pub mod assumptions;
pub mod bill;
pub mod building;
pub mod catalogue;
pub mod codes;
pub mod compare;
pub mod confidence;
pub mod control;
pub mod coverage;
pub mod cures;
pub mod draw;
pub mod effects;
pub mod elsewhere;
pub mod findings;
pub mod fit;
pub mod gate;
pub mod geometry;
pub mod glossary;
pub mod install;
pub mod keys;
pub mod learned;
pub mod lifetimes;
pub mod materials;
pub mod moment;
pub mod names;
pub mod needed;
pub mod network;
pub mod placement;
pub mod platforms;
pub mod power;
pub mod propagation;
pub mod prove;
pub mod pulse;
pub mod radio;
pub mod record;
pub mod rules;
pub mod sensing;
pub mod simulate;
pub mod site;
pub mod speech;
pub mod spoken;
pub mod staircase;
pub mod summary;
pub mod survey;
pub mod systems;
pub mod trial;
pub mod units;
pub mod wires;
pub mod wish;

pub use analysis::{Analysis, Options, analyse, analyse_after, analyse_while};
