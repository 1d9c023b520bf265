//! Wires: which plans there are, whether they work, and what is asked before one is made.
#![expect(clippy::unwrap_used, reason = "a search that finds nothing has failed its test")]

mod asked;
mod direct;
mod electricity;
mod houses;
mod told;
mod twin;

use dot_reach_core::wires::layout::{Cable, CableEnd, LAYOUTS};
use dot_reach_core::wires::plan::{Beside, Scheme, UnitAt};

/// Every layout for one to three places.
fn layouts() -> Vec<(&'static str, usize, Vec<Cable>)> {
    let safe = LAYOUTS.iter().filter(|row| row.danger.is_empty());
    safe.flat_map(|row| {
        let of = (1..=3).filter(|n| row.is_of(*n));
        of.map(|n| (row.id.as_str(), n, row.cables(n)))
    })
    .collect()
}

/// Every scheme of a unit and what stands beside it, for so many places.
fn schemes(places: usize) -> Vec<Scheme> {
    let at = |n: usize| CableEnd::Place(n);
    let beside = [
        Beside::Nothing,
        Beside::Contact { momentary: true },
        Beside::Contact { momentary: false },
        Beside::Follower { neutral: true },
        Beside::Follower { neutral: false },
        Beside::Fed { neutral: true },
    ];
    let mut all = vec![Scheme {
        unit: None,
        beside: (0..places).map(|n| (at(n), Beside::Nothing)).collect(),
    }];
    for unit in (0..places).map(at).chain([CableEnd::Fitting]) {
        let others: Vec<CableEnd> = (0..places).map(at).filter(|n| *n != unit).collect();
        for neutral in [true, false] {
            for one in beside {
                // The same at each of the others, and remotes at all but one.
                let mixed = others
                    .iter()
                    .enumerate()
                    .map(|(n, at)| (*at, if n == 0 { one } else { Beside::Nothing }));
                let alike = others.iter().map(|at| (*at, one));
                let unit = Some(UnitAt { at: unit, neutral, sensing: false });
                for beside in [alike.collect::<Vec<_>>(), mixed.collect()] {
                    let scheme = Scheme { unit, beside };
                    if !all.contains(&scheme) {
                        all.push(scheme);
                    }
                }
            }
        }
    }
    all
}
