//! The shipped catalogue as JSON: what every plan starts from, laid open.
//!
//! Key names stay stable. Losses are decibels straight through, by the band in MHz that they are
//! computed at.

use dot_reach_core::catalogue::{DEVICE_SOURCE, DeviceKind, KINDS};
use dot_reach_core::materials::construction::{
    CONSTRUCTIONS, Construction, FrequencyBand, PRICED_AT,
};
use dot_reach_core::units::Db;
use serde_json::{Map, Value, json};

/// The catalogue as one value.
pub fn value() -> Value {
    let constructions: Vec<_> = CONSTRUCTIONS.iter().map(construction).collect();
    let devices: Vec<_> = KINDS.iter().map(device).collect();
    json!({ "constructions": constructions, "devices": devices })
}

fn device(row: &DeviceKind) -> Value {
    let mut value = json!(row);
    value["source"] = DEVICE_SOURCE.into();
    value
}

fn construction(row: &Construction) -> Value {
    let by_band = |of: &dyn Fn(FrequencyBand) -> Db| -> Value {
        let entry = |(word, mhz)| (String::from(word), json!(rounded(of(FrequencyBand::of(mhz)))));
        Value::Object(PRICED_AT.map(entry).into_iter().collect::<Map<_, _>>())
    };
    let at = |band: FrequencyBand| row.straight_loss(band.priced_at());
    json!({
        "id": row.id, "name": row.name, "use": row.used_for, "layers": row.layers,
        "loss_db": by_band(&at),
        "slab_db": by_band(&|band| at(band) - row.clutter(band)),
        "clutter_db": by_band(&|band| row.clutter(band)),
        "source": row.source,
    })
}

/// To a hundredth of a decibel: finer is noise.
fn rounded(loss: Db) -> f64 {
    (loss.get() * 100.0).round() / 100.0
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn losses_are_slab_and_clutter_together_in_every_band() {
        let catalogue = value();
        let rows = catalogue["constructions"].as_array().unwrap();
        assert_eq!(rows.len(), CONSTRUCTIONS.len());
        for row in rows {
            for (band, _) in PRICED_AT {
                let of = |key: &str| row[key][band].as_f64().unwrap();
                let sum = of("slab_db") + of("clutter_db");
                assert!((of("loss_db") - sum).abs() < 0.011, "{row}");
            }
        }
        assert_eq!(catalogue["devices"].as_array().unwrap().len(), KINDS.len());
    }
}
