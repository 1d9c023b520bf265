//! Constructions of the job, beside or in place of the shipped ones.

pub use crate::materials::construction::Construction;

use crate::site::kept::{Kept, Most, Tie, id_text, name};
use crate::site::{Keyed, Refusal, Wrong};

impl Keyed for Construction {
    type Id = String;
    fn id(&self) -> &String {
        &self.id
    }
}

impl Kept for Construction {
    const MOST: Most =
        Most { count: 500, why: "ten times the shipped library; each is priced at 36 angles" };

    fn ties(&self, _: &mut dyn FnMut(Tie)) {}

    fn check(&self) -> Result<(), Refusal> {
        id_text(&self.id)?;
        name(&self.name)?;
        self.check_layers().map_err(|e| Refusal::wrong("layers", Wrong::Layers(e)))
    }
}
