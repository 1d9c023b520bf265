//! Path loss between two places as JSON. Key names stay stable; losses are dB, lengths metres.

use dot_reach_core::geometry::Place;
use dot_reach_core::propagation::schools::PathLossSchool;
use dot_reach_core::propagation::{Medium, SignalWay, Term};
use dot_reach_core::staircase::{describe, way_words};
use serde_json::{Value, json};

use crate::analysis_json::cause;

/// `path_loss_db` and `terms` of the model in force, every way, and each school beside it.
pub fn value(medium: &Medium, from: Place, to: Place) -> Value {
    let (main, others) = medium.explain(from, to);
    let schools: Vec<_> = PathLossSchool::ALL
        .iter()
        .map(|school| {
            let loss = school.loss(medium, from, to);
            json!({ "school": school.name(), "path_loss_db": loss, "assumes": school.assumes() })
        })
        .collect();
    let others: Vec<_> = others.iter().map(|w| way(medium, w)).collect();
    json!({
        "mhz": medium.frequency(), "distance_m": from.distance(to), "path_loss_db": main.loss,
        "way": way_words(medium, &main.kind), "length_m": main.length,
        "terms": terms(medium, &main.terms, main.length), "other_ways": others, "schools": schools,
    })
}

fn way(medium: &Medium, way: &SignalWay) -> Value {
    json!({
        "way": way_words(medium, &way.kind), "path_loss_db": way.loss, "length_m": way.length,
        "terms": terms(medium, &way.terms, way.length),
    })
}

fn terms(medium: &Medium, terms: &[Term], length: f64) -> Vec<Value> {
    let term = |term: &Term| {
        let (of, name) = describe(medium, term, length);
        let (cause, id) = cause(&of);
        json!({
            "cause": cause, "id": id, "name": name, "loss_db": term.loss, "at_m": term.t * length,
            "extrapolated": medium.extrapolated(term.cause),
        })
    };
    terms.iter().map(term).collect()
}
