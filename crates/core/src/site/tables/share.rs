//! A device that stands in a further platform, beside the one that it is joined to.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{DeviceId, PlatformId};
use crate::moment::Moment;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{Kind, Refusal, Wrong};

id!(/** A device in a further platform. */ ShareId);

/// How a device comes to be in a further platform.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ComesIn {
    /// It is let in by hand: a window is opened where it is joined, and its code typed in the other.
    #[default]
    LetIn,
    /// It arrives by itself, by what ties the two platforms.
    ByItself,
    /// It is not to be seen there.
    KeptOut,
}

impl ComesIn {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 3] = [
        (Self::LetIn, "is let in by hand"),
        (Self::ByItself, "arrives by itself"),
        (Self::KeptOut, "is not to be seen there"),
    ];

    /// Its words.
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|(of, _)| *of == self).map_or("", |(_, name)| name)
    }
}

/// A device in a further platform, or kept out of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct DeviceShare {
    /// Its id.
    pub id: ShareId,
    /// The device.
    pub device: DeviceId,
    /// The platform.
    pub platform: PlatformId,
    /// How it comes to be there.
    #[serde(default)]
    pub comes: ComesIn,
    /// For how many minutes its window stays open; nothing while nobody said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub window_minutes: Option<u16>,
    /// The code that is typed there while it is open; empty until it is shown.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub code: String,
    /// Since when it is so, where that was before the day or is ticked on no card; else the record knows.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub since: Option<Moment>,
}

impl DeviceShare {
    /// The word under which it is ticked when the device is named. It holds for what was looked at: said otherwise later, it
    /// is another.
    pub fn tick(&self) -> String {
        let how = match self.comes {
            ComesIn::LetIn => "let-in",
            ComesIn::ByItself => "by-itself",
            ComesIn::KeptOut => "kept-out",
        };
        format!("share-{}-{how}", self.platform)
    }
}

/// The longest that a window stays open, in minutes; *planning value*, a day.
const MOST_MINUTES: u16 = 1440;

kept_by_id!(DeviceShare, ShareId);
impl Kept for DeviceShare {
    const MOST: Most = Most { count: 5000, why: "two a device" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("device", Kind::Device, &self.device, Bond::GoesAlong));
        visit(Tie::new("platform", Kind::Platform, &self.platform, Bond::GoesAlong));
    }

    fn check(&self) -> Result<(), Refusal> {
        note("code", &self.code)?;
        match self.window_minutes {
            Some(is) if !(1..=MOST_MINUTES).contains(&is) => {
                let (low, high, unit) = (1.0, f64::from(MOST_MINUTES), "minutes");
                Err(Refusal::wrong(
                    "window_minutes",
                    Wrong::Sheet { is: is.into(), low, high, unit },
                ))
            }
            _ => Ok(()),
        }
    }
}
