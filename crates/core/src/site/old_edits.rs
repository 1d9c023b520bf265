//! Edits as version 0.1.0 wrote them into its journals: read, never written. Two of its words, which
//! put an opening into a wall and a scale under a drawing, need the site that they were made on and
//! are not read: their inverses are of these, and a journal tells them by what they touched.

use serde::Deserialize;
use serde_json::{Value, json};

use super::{
    Construction, Control, ControlId, Correction, Device, DeviceId, Edit, Emitter, EmitterId,
    Floor, FloorId, Job, Kind, Network, NetworkId, Point, PointId, Reading, ReadingId, Scan,
    ScanId, Slab, SlabId, Spot, Wall, WallId,
};
use crate::units::Metres;

#[derive(Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case", rename_all_fields = "snake_case")]
pub(super) enum OldEdit {
    SetJob { job: Job },
    PutFloor { floor: Floor },
    RemoveFloor { id: FloorId },
    PutWall { wall: Wall },
    RemoveWall { id: WallId },
    PutSlab { slab: Slab },
    RemoveSlab { id: SlabId },
    PutPoint { point: Point },
    RemovePoint { id: PointId },
    MovePoint { id: PointId, floor: FloorId, at: Spot, height_m: Metres },
    PutNetwork { network: Network },
    RemoveNetwork { id: NetworkId },
    PutDevice { device: Device },
    RemoveDevice { id: DeviceId },
    PutConstruction { construction: Construction },
    RemoveConstruction { id: String },
    PutReading { reading: Reading },
    RemoveReading { id: ReadingId },
    PutEmitter { emitter: Emitter },
    RemoveEmitter { id: EmitterId },
    PutControl { control: Control },
    RemoveControl { id: ControlId },
    PutScan { scan: Scan },
    RemoveScan { id: ScanId },
    SetCalibration { calibration: Option<Correction> },
    Tick { device: DeviceId, step: String, done: bool },
}

impl From<OldEdit> for Edit {
    fn from(old: OldEdit) -> Self {
        match old {
            OldEdit::SetJob { job } => Self::put(job),
            OldEdit::PutFloor { floor } => Self::put(floor),
            OldEdit::RemoveFloor { id } => Self::remove(Kind::Floor, &id),
            OldEdit::PutWall { wall } => Self::put(wall),
            OldEdit::RemoveWall { id } => Self::remove(Kind::Wall, &id),
            OldEdit::PutSlab { slab } => Self::put(slab),
            OldEdit::RemoveSlab { id } => Self::remove(Kind::Slab, &id),
            OldEdit::PutPoint { point } => Self::put(point),
            OldEdit::RemovePoint { id } => Self::remove(Kind::Point, &id),
            OldEdit::MovePoint { id, floor, at, height_m } => {
                let set = |field, value: Value| Self::set(Kind::Point, &id, field, value);
                let edits = vec![
                    set("floor", json!(floor)),
                    set("at", json!(at)),
                    set("height_m", json!(height_m)),
                ];
                Self::Batch { edits }
            }
            OldEdit::PutNetwork { network } => Self::put(network),
            OldEdit::RemoveNetwork { id } => Self::remove(Kind::Network, &id),
            OldEdit::PutDevice { device } => Self::put(device),
            OldEdit::RemoveDevice { id } => Self::remove(Kind::Device, &id),
            OldEdit::PutConstruction { construction } => Self::put(construction),
            OldEdit::RemoveConstruction { id } => Self::remove(Kind::Construction, &id),
            OldEdit::PutReading { reading } => Self::put(reading),
            OldEdit::RemoveReading { id } => Self::remove(Kind::Reading, &id),
            OldEdit::PutEmitter { emitter } => Self::put(emitter),
            OldEdit::RemoveEmitter { id } => Self::remove(Kind::Emitter, &id),
            OldEdit::PutControl { control } => Self::put(control),
            OldEdit::RemoveControl { id } => Self::remove(Kind::Control, &id),
            OldEdit::PutScan { scan } => Self::put(scan),
            OldEdit::RemoveScan { id } => Self::remove(Kind::Scan, &id),
            OldEdit::SetCalibration { calibration: Some(taught) } => Self::put(taught),
            OldEdit::SetCalibration { calibration: None } => {
                Self::remove(Kind::Calibration, &"calibration")
            }
            OldEdit::Tick { device, step, done } => {
                Self::set(Kind::Device, &device, &format!("done.{step}"), done)
            }
        }
    }
}
