//! What leads that are made new are cut from: size by the conductors whose part they take on, colour by the country.

use super::ControlWiring;
use super::boxes::NewLead;
use crate::catalogue::countries::WiringCountry;
use crate::site::{Conductor, Function, Gauge, Point, Site};

/// Size and colour of every new lead, where they are known.
pub(super) fn cut(site: &Site, all: &mut [ControlWiring]) {
    let country = site.job.country();
    for control in all {
        let circuit = control.circuit.clone();
        for of in &mut control.boxes {
            let Some(point) = site.points.get(&of.point) else { continue };
            for lead in &mut of.leads {
                lead.size = size(site, point, &circuit, lead);
                lead.colour = country.map(|country| colour(country, lead)).unwrap_or_default();
            }
        }
    }
}

/// What a lead of this part is joined to, by what was found in the box.
fn taken_on(lead: &NewLead) -> Option<Function> {
    match lead.carries {
        "line" => Some(Function::Line),
        "neutral" => Some(Function::Neutral),
        "earth" => Some(Function::Earth),
        _ => None,
    }
}

/// The largest of the conductors whose part it takes on; where none of that part is listed, the largest of its circuit.
fn size(site: &Site, point: &Point, circuit: &str, lead: &NewLead) -> Option<Gauge> {
    let lead_box = site.box_of(point);
    let is_own = |c: &&Conductor| {
        let of = c.circuit.trim();
        of.is_empty() || of == circuit
    };
    let own = || lead_box.conductors.iter().filter(is_own);
    let of_part =
        taken_on(lead).and_then(|part| own().filter(|c| c.found == part).map(|c| c.size).max());
    let of_box = || own().filter(|c| c.found != Function::Earth).map(|c| c.size).max();
    let of_circuit = || {
        let mut rows = site.circuits.iter().filter(|c| c.label.trim() == circuit);
        rows.find_map(|c| c.size)
    };
    of_part.or_else(of_box).or_else(of_circuit)
}

fn colour(country: &WiringCountry, lead: &NewLead) -> String {
    let first = |colours: &[String]| colours.first().cloned().unwrap_or_default();
    match lead.carries {
        "neutral" => first(&country.neutral),
        "earth" => country.earth.clone(),
        "line" => first(&country.line),
        // A line that is switched, or a signal, is of the colour of a line, and says which.
        part => format!("{}, marked {part}", first(&country.line)),
    }
}
