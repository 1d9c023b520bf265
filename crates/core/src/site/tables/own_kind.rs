//! Devices of the job's own library, beside or in place of the shipped ones. A job holds its rows
//! itself: what a firm changes in its library later leaves them as they are.

pub use crate::catalogue::DeviceKind;

use crate::site::kept::{Kept, Most, Tie, id_text, name};
use crate::site::{Keyed, Refusal, Wrong};

impl Keyed for DeviceKind {
    type Id = String;
    fn id(&self) -> &String {
        &self.id
    }
}

impl Kept for DeviceKind {
    const MOST: Most = Most { count: 2000, why: "twenty times the shipped library" };

    const SETS: &'static [&'static str] = &["fit.platforms", "systems", "fit.accepts"];

    fn ties(&self, _: &mut dyn FnMut(Tie)) {}

    fn check(&self) -> Result<(), Refusal> {
        id_text(&self.id)?;
        name(&self.name)?;
        self.wrong_value().map_or(Ok(()), |(field, is, low, high, unit)| {
            Err(Refusal::wrong(field, Wrong::Sheet { is, low, high, unit }))
        })?;
        if self.systems.is_empty() {
            return Err(Refusal::wrong("systems", Wrong::NoSystem));
        }
        Ok(())
    }
}
