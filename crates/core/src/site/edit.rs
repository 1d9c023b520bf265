//! What can be said to change a site: an [`Edit`], what it did, or why it was refused. How each is done
//! stands in `apply.rs`.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{
    Control, ControlId, Device, DeviceId, Emitter, EmitterId, Floor, FloorId, Job, Network,
    NetworkId, OpeningId, OpeningKind, Point, PointId, Reading, ReadingId, Scan, ScanId, Slab,
    SlabId, Spot, Step, Wall, WallId,
};
use crate::materials::construction::Construction;
use crate::prove::Calibration;
use crate::units::Metres;

/// A change to a site. Putting replaces what stands under the id, or adds it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "do", rename_all = "kebab-case", rename_all_fields = "snake_case")]
#[expect(missing_docs, reason = "each variant says what it does by its name")]
pub enum Edit {
    SetJob {
        job: Job,
    },
    PutFloor {
        floor: Floor,
    },
    RemoveFloor {
        id: FloorId,
    },
    PutWall {
        wall: Wall,
    },
    RemoveWall {
        id: WallId,
    },
    /// Drops a door, window or plain opening of usual size onto a wall, as near to `at` as it fits.
    DropOpening {
        wall: WallId,
        id: OpeningId,
        kind: OpeningKind,
        at: Spot,
    },
    PutSlab {
        slab: Slab,
    },
    RemoveSlab {
        id: SlabId,
    },
    PutPoint {
        point: Point,
    },
    RemovePoint {
        id: PointId,
    },
    /// Moves a point; what stands at it goes along.
    MovePoint {
        id: PointId,
        floor: FloorId,
        at: Spot,
        height_m: Metres,
    },
    PutNetwork {
        network: Network,
    },
    RemoveNetwork {
        id: NetworkId,
    },
    PutDevice {
        device: Device,
    },
    RemoveDevice {
        id: DeviceId,
    },
    PutConstruction {
        construction: Construction,
    },
    RemoveConstruction {
        id: String,
    },
    PutReading {
        reading: Reading,
    },
    RemoveReading {
        id: ReadingId,
    },
    PutEmitter {
        emitter: Emitter,
    },
    RemoveEmitter {
        id: EmitterId,
    },
    PutControl {
        control: Control,
    },
    RemoveControl {
        id: ControlId,
    },
    PutScan {
        scan: Scan,
    },
    RemoveScan {
        id: ScanId,
    },
    SetCalibration {
        calibration: Option<Calibration>,
    },
    /// Sets the scale of a plan image: what lies between `a` and `b` on the sheet is in truth
    /// `length_m` long. `a` stays where it is.
    ScaleUnderlay {
        floor: FloorId,
        a: Spot,
        b: Spot,
        length_m: Metres,
    },
    /// Marks a step of the work on a device as done or not done.
    Tick {
        device: DeviceId,
        step: Step,
        done: bool,
    },
    /// Several edits as one.
    Batch {
        edits: Vec<Edit>,
    },
}

/// What an edit did.
#[derive(Clone, Debug, PartialEq)]
pub struct Change {
    /// The edit that takes it back.
    pub inverse: Edit,
    /// What it touched, as `wall:w1`; sorted, each once.
    pub touched: Vec<String>,
}

/// Why an edit was not applied. The site is as it was.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum Refusal {
    /// A value cannot stand in a site.
    #[error("{field}: {reason}")]
    Invalid {
        /// The field, as the job file names it.
        field: &'static str,
        /// What is wrong and what to do.
        reason: String,
    },
    /// What was to be changed is not there, or no longer.
    #[error("there is no {what} {id}; someone may have removed it")]
    Missing {
        /// The kind of thing.
        what: &'static str,
        /// Its id.
        id: String,
    },
    /// Other things depend on it.
    #[error("{what} {id} is used by {count} {by}; change those first")]
    InUse {
        /// The kind of thing.
        what: &'static str,
        /// Its id.
        id: String,
        /// How many depend on it.
        count: usize,
        /// What they are.
        by: &'static str,
    },
    /// A batch is too large or nested too deep.
    #[error("an edit holds at most {most} changes, nested at most 3 deep")]
    TooLarge {
        /// The most changes.
        most: usize,
    },
}
