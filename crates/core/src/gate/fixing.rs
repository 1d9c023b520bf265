//! How a thing without a supply of its own is fixed, and what lies behind it: conductors that nobody looks at again.

use super::work::WorkedDevice;
use crate::catalogue::PointKind;
use crate::radio::mounting::BoxKind;
use crate::site::FixedBy;
use crate::wires;

/// What is looked at where it is put up, each by its word.
pub(super) fn fixed(spot: &WorkedDevice<'_>) -> Vec<(String, String)> {
    let held = match spot.device.fixed {
        FixedBy::Unsaid => None,
        FixedBy::Bracket => Some("Its bracket sits level, and it comes out of it by hand"),
        FixedBy::Adhesive => Some(
            "The ground was clean and dry, and it was pressed on for as long as its sheet says",
        ),
        FixedBy::Screws => Some("Screwed on; no cable and no pipe runs behind: looked for first"),
        FixedBy::Nothing => Some("The household knows where it lies"),
    };
    let label = spot.binds().next().map(|_| "Its label says what each key does");
    [("fixed", held), ("capped", behind(spot)), ("sticker", label)]
        .into_iter()
        .filter_map(|(word, text)| Some((word.to_owned(), text?.to_owned())))
        .collect()
}

/// What is to be true of the conductors behind it. Only what is said to be no box, or to lie about far from one, asks
/// nothing: where nobody said, there may be one. Where an old switch came off for it, its box is there wherever it lies.
fn behind(spot: &WorkedDevice<'_>) -> Option<&'static str> {
    let lies_about = spot.device.fixed == FixedBy::Nothing && !spot.opens_box();
    if spot.kind.is_on_mains() || lies_about {
        return None;
    }
    if wires::keeps_switch(spot.site, spot.point) {
        return None;
    }
    match spot.site.box_of(spot.point).back_box {
        BoxKind::None => None,
        BoxKind::Plastic | BoxKind::Metal => Some(
            "In the box behind it each conductor is joined in a connector or capped by itself, with the circuit dead, pressed back and covered",
        ),
        BoxKind::Unknown if spot.point.kind == PointKind::Shelf => None,
        BoxKind::Unknown => Some(
            "No box lies behind it; or in it each conductor is joined in a connector or capped by itself, with the circuit dead, pressed back and covered",
        ),
    }
}
