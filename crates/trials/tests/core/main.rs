//! What the core promises: laws that no model may break, worked values with their source, slow twins, and every
//! door to what keeps people safe.

mod air;
mod assumed;
mod budgets;
mod cable;
mod calibration;
mod chances;
mod choices;
mod common;
mod controls;
mod crossings;
mod cures;
mod day;
mod drawing;
mod edits;
mod field_rules;
mod findings;
mod fit;
mod fit_and_order;
mod laws;
mod limits;
mod lived_in;
mod mill;
mod offer;
mod placement;
mod propagation_laws;
mod route_cases;
mod routes;
mod schools;
mod surfaces;
mod survey;
mod traced_house;
mod verdicts;
mod ways_twin;
mod wires;
mod words;
