//! The floors of this crate: no module looks up to one that stands above it. Read off every path that
//! the sources name, so that an arrow that is not in this list fails here and not in a reader's head.

#![expect(clippy::unwrap_used, reason = "sources that cannot be read have failed the test")]

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

/// From the ground up. A module may name those before it, and itself.
const FLOORS: [&str; 51] = [
    // Quantities and numbers, and how they are said.
    "glossary",
    "speech",
    "units",
    "moment",
    "confidence",
    "pulse",
    // Places and lines; no house.
    "geometry",
    // Rows.
    "materials",
    "radio",
    "codes",
    "catalogue",
    // The plan; what happened, which knows of the plan no more than what it names; hands on the sheet.
    "site",
    "record",
    "trial",
    "fit",
    "survey",
    "wires",
    "draw",
    // The house as an eye and as a ray meets it.
    "sensing",
    "building",
    "propagation",
    // What readings taught of that.
    "learned",
    // Who hears whom, and what follows.
    "network",
    "staircase",
    "findings",
    "analysis",
    "assumptions",
    // What is asked of an analysis.
    "coverage",
    "simulate",
    "placement",
    "control",
    "keys",
    "power",
    "lifetimes",
    "summary",
    "bill",
    // What may be done by the record, and the day as it is planned.
    "gate",
    "platforms",
    "rules",
    "spoken",
    "names",
    "install",
    "needed",
    "effects",
    "elsewhere",
    "systems",
    "cures",
    "compare",
    // What was measured against all that.
    "prove",
    // What a page asks for.
    "wish",
    // The map.
    "lib",
];

fn sources(folder: &Path, found: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            sources(&path, found);
        } else if path.extension().is_some_and(|e| e == "rs") {
            found.push(path);
        }
    }
}

/// The modules that a text names by `crate::…`, comments and tests left out.
fn named(text: &str) -> Vec<String> {
    let code: String = text
        .split("#[cfg(test)]")
        .next()
        .unwrap_or_default()
        .lines()
        .filter(|line| !line.trim_start().starts_with("//"))
        .collect::<Vec<_>>()
        .join("\n");
    let word = |text: &str| -> String {
        text.chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect()
    };
    let mut found = Vec::new();
    for rest in code.split("crate::").skip(1) {
        if let Some(list) = rest.strip_prefix('{') {
            let list = list.split('}').next().unwrap_or_default();
            found.extend(list.split(',').map(|name| word(name.trim())));
        } else {
            found.push(word(rest));
        }
    }
    found.retain(|name| FLOORS.contains(&name.as_str()));
    found
}

#[test]
fn no_arrow_runs_up() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let mut files = Vec::new();
    sources(&root, &mut files);
    assert!(files.len() > 80, "the sources are found: {}", files.len());
    let floor = |name: &str| FLOORS.iter().position(|f| *f == name);
    let (mut wrong, mut arrows) = (Vec::new(), 0);
    for file in files {
        let within = file.strip_prefix(&root).unwrap();
        let first = within.components().next().unwrap().as_os_str().to_string_lossy().into_owned();
        let module = first.trim_end_matches(".rs").to_owned();
        let Some(here) = floor(&module) else {
            wrong.push(format!("{module} stands on no floor: give it one"));
            continue;
        };
        for other in named(&fs::read_to_string(&file).unwrap()) {
            arrows += 1;
            if floor(&other) > Some(here) {
                wrong.push(format!("{} looks up to {other}", within.display()));
            }
        }
    }
    assert!(arrows > 200, "arrows are found: {arrows}");
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn the_map_names_the_floors_in_their_order() {
    let map = include_str!("../src/lib.rs");
    let rows = map.lines().filter_map(|line| line.strip_prefix("//! | [`")?.split('`').next());
    assert_eq!(rows.chain(["lib"]).collect::<Vec<_>>(), FLOORS);
}

/// The public types and traits of a source, tests left out.
fn types(text: &str) -> impl Iterator<Item = &str> {
    let code = text.split("#[cfg(test)]").next().unwrap_or_default();
    code.lines().filter_map(|line| {
        let (visibility, rest) = line.split_once(' ')?;
        let (what, name) = rest.split_once(' ')?;
        let is_type = ["struct", "enum", "type", "trait"].contains(&what);
        let name = name.split(|c: char| !c.is_alphanumeric()).next()?;
        (visibility.starts_with("pub") && is_type).then_some(name)
    })
}

/// A page's own row or query is read beside its template, by nobody else.
#[test]
fn one_name_stands_for_one_thing_in_the_whole_program() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap();
    let mut files = Vec::new();
    sources(crates, &mut files);
    files.retain(|f| !f.components().any(|c| c.as_os_str() == "pages" || c.as_os_str() == "tests"));
    let mut seen: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for file in files {
        let within = file.strip_prefix(crates).unwrap().display().to_string();
        for name in types(&fs::read_to_string(&file).unwrap()) {
            seen.entry(name.to_owned()).or_default().push(within.clone());
        }
    }
    assert!(seen.len() > 500, "types are found: {}", seen.len());
    seen.retain(|_, places| places.len() > 1);
    assert!(seen.is_empty(), "{seen:#?}");
}

#[test]
fn an_arrow_is_seen_in_every_way_of_writing_it() {
    let text = "use crate::{site, units::Db};\nlet x = crate::network::link::received(a);\n// crate::prove\n#[cfg(test)]\nuse crate::simulate;";
    assert_eq!(named(text), ["site", "units", "network"]);
}

#[test]
fn the_core_names_no_screen_and_geometry_no_house() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let mut files = Vec::new();
    sources(&root, &mut files);
    for file in files {
        let text = fs::read_to_string(&file).unwrap();
        assert!(!text.contains("enum Screen"), "{}", file.display());
    }
}
