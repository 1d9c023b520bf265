//! Plans of other programs come in; a storey goes out and comes back equal; no bytes stop the program.
#![expect(clippy::unwrap_used, reason = "a plan that was written here can be read")]

use std::collections::BTreeMap;

use dot_reach_core::site::{Edit, Site, Wall, apply};
use dot_reach_formats::plan::{self, As, Choices, PlanError, dxf, geojson, svg};
use dot_reach_standin::houses::larkfield_mill;
use proptest::prelude::*;

fn choices(floor: &str) -> Choices {
    Choices {
        floor: floor.parse().unwrap(),
        metres_per_unit: 1.0,
        layers: BTreeMap::new(),
        two_lines: false,
        as_written: true,
        stem: "in".to_owned(),
    }
}

fn walls(site: &Site, floor: &str) -> Vec<Wall> {
    site.walls.iter().filter(|w| w.floor.as_str() == floor).cloned().collect()
}

/// The Mill without the walls of a storey.
fn emptied(floor: &str) -> Site {
    let mut site = larkfield_mill();
    for wall in walls(&site, floor) {
        apply(&mut site, &Edit::remove(dot_reach_core::site::Kind::Wall, &wall.id)).unwrap();
    }
    site
}

fn comes_back(bytes: &[u8]) {
    let read = plan::read(bytes).unwrap();
    let mut site = emptied("ground");
    let taken = plan::take(&site, &read.value, &choices("ground"));
    assert_eq!(taken.findings, []);
    apply(&mut site, &taken.value).unwrap();
    assert_eq!(walls(&site, "ground"), walls(&larkfield_mill(), "ground"));
}

#[test]
fn a_storey_comes_back_equal_from_each_format() {
    let (mill, ground) = (larkfield_mill(), "ground".parse().unwrap());
    comes_back(&dxf::write(&mill, &ground).unwrap());
    comes_back(svg::write(&mill, &ground).as_bytes());
    comes_back(geojson::write(&mill, &ground).to_string().as_bytes());
}

#[test]
fn layers_alone_give_the_same_walls_where_nothing_of_ours_is_in_the_file() {
    let (mill, ground) = (larkfield_mill(), "ground".parse().unwrap());
    for bytes in [
        dxf::write(&mill, &ground).unwrap(),
        svg::write(&mill, &ground).into_bytes(),
        geojson::write(&mill, &ground).to_string().into_bytes(),
    ] {
        let mut read = plan::read(&bytes).unwrap().value;
        read.ours.clear();
        let mut choices = choices("ground");
        choices.layers = plan::proposed(&read);
        let mut site = emptied("ground");
        let taken = plan::take(&site, &read, &choices);
        apply(&mut site, &taken.value).unwrap();
        let (is, was) = (walls(&site, "ground"), walls(&mill, "ground"));
        assert_eq!(is.len(), was.len());
        let length = |walls: &[Wall]| walls.iter().map(|w| w.length().get()).sum::<f64>();
        assert!((length(&is) - length(&was)).abs() < 0.05);
        let count = |walls: &[Wall]| walls.iter().map(|w| w.openings.len()).sum::<usize>();
        assert_eq!(count(&is), count(&was));
    }
}

/// A room of 4 by 3 m in millimetres, drawn by both faces, with a door that is a block.
const ROOM: &str = include_str!("samples/room-two-lines.dxf");

#[test]
fn two_faces_make_one_wall_and_a_block_of_a_door_an_opening() {
    let read = plan::read(ROOM.as_bytes()).unwrap();
    assert_eq!(read.value.metres_per_unit, Some(0.001));
    let mut site = emptied("ground");
    let mut choices = choices("ground");
    choices.as_written = false;
    choices.two_lines = true;
    choices.metres_per_unit = 0.001;
    choices.layers = plan::proposed(&read.value);
    assert_eq!(choices.layers["A-WALL"], As::Walls { construction: "brick-102".to_owned() });
    assert_eq!(choices.layers["A-DOOR"], As::Doors);
    let taken = plan::take(&site, &read.value, &choices);
    assert_eq!(taken.findings, []);
    apply(&mut site, &taken.value).unwrap();
    let walls = walls(&site, "ground");
    assert_eq!(walls.len(), 4);
    let doors: Vec<_> = walls.iter().flat_map(|w| &w.openings).collect();
    assert_eq!(doors.len(), 1);
    assert!((doors[0].width_m.get() - 0.9).abs() < 0.02, "{}", doors[0].width_m);
}

#[test]
fn what_is_no_plan_is_refused_in_words() {
    let why = |bytes: &[u8]| plan::read(bytes).unwrap_err().to_string();
    assert_eq!(plan::read(b"  ").unwrap_err(), PlanError::Empty);
    assert_eq!(plan::read(b"%PDF-1.7").unwrap_err(), PlanError::Unknown);
    assert!(why(&vec![b'0'; 40_000_000]).contains("leave out furniture"));
    let bomb = br#"<!DOCTYPE svg [<!ENTITY a "aaaaaaaa"><!ENTITY b "&a;&a;&a;">]><svg xmlns="http://www.w3.org/2000/svg">&b;</svg>"#;
    assert!(why(bomb).contains("without them"), "{}", why(bomb));
    assert!(why(b"{\"type\": \"Nothing\"}").contains("GeoJSON"));
    let script = br#"<svg xmlns="http://www.w3.org/2000/svg" width="10" height="10"><script>alert(1)</script><g id="Walls"><path d="M0 0H4V3" fill="none" stroke="black"/></g></svg>"#;
    let read = plan::read(script).unwrap();
    assert_eq!(read.value.layers["Walls"].len(), 2);
    assert!(read.findings[0].reason.contains("nothing in a plan is run"));
}

#[test]
fn a_drawing_without_a_unit_is_taken_for_a_house() {
    let of = |size: f64| plan::likely_unit(size).to_string();
    assert_eq!([of(14.0), of(14_000.0), of(1_400.0), of(45.0)], ["1", "0.001", "0.01", "0.3048"]);
}

#[test]
fn degrees_are_laid_flat() {
    // A square of a thousandth of a degree at 60° north: 55.6 m wide, 111.2 m high.
    let text = r#"{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"layer":"walls"},
        "geometry":{"type":"Polygon","coordinates":[[[10.0,60.0],[10.001,60.0],[10.001,60.001],[10.0,60.001],[10.0,60.0]]]}}]}"#;
    let read = plan::read(text.as_bytes()).unwrap();
    let lengths: Vec<f64> = read.value.layers["walls"]
        .iter()
        .map(|p| (p.a[0] - p.b[0]).hypot(p.a[1] - p.b[1]))
        .collect();
    assert!((lengths[0] - 55.6).abs() < 0.1 && (lengths[1] - 111.2).abs() < 0.1, "{lengths:?}");
}

fn sources() -> [Vec<u8>; 4] {
    let (mill, ground) = (larkfield_mill(), "ground".parse().unwrap());
    [
        dxf::write(&mill, &ground).unwrap(),
        svg::write(&mill, &ground).into_bytes(),
        geojson::write(&mill, &ground).to_string().into_bytes(),
        ROOM.as_bytes().to_vec(),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    #[test]
    fn no_damage_to_a_plan_stops_the_program(
        which in 0..4usize,
        wounds in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..12),
        cut in any::<prop::sample::Index>(),
        cuts in any::<bool>(),
    ) {
        let mut bytes = sources()[which].clone();
        for (at, byte) in wounds {
            let at = at.index(bytes.len());
            bytes[at] = byte;
        }
        if cuts {
            bytes.truncate(cut.index(bytes.len()));
        }
        if let Ok(read) = plan::read(&bytes) {
            let mut choices = choices("ground");
            choices.layers = plan::proposed(&read.value);
            let site = larkfield_mill();
            plan::take(&site, &read.value, &choices);
            choices.as_written = false;
            choices.two_lines = true;
            plan::take(&site, &read.value, &choices);
        }
    }
}

#[test]
fn blocks_within_blocks_that_stand_for_millions_of_lines_are_left_out_in_time() {
    // Twelve of the next in each, six deep: millions of lines out of a file of a few kilobytes.
    let twelve = |of: &dyn Fn(usize) -> String| (0..12).map(of).collect::<String>();
    let insert = |block: usize| {
        move |n: usize| format!("0\nINSERT\n8\n0\n2\nB{block}\n10\n{n}.0\n20\n0.0\n")
    };
    let line = |n: usize| format!("0\nLINE\n8\nw\n10\n{n}.0\n20\n0.0\n11\n{n}.0\n21\n1.0\n");
    let block = |depth: usize| {
        let inner = if depth == 5 { twelve(&line) } else { twelve(&insert(depth + 1)) };
        let head = format!("0\nBLOCK\n8\n0\n2\nB{depth}\n10\n0.0\n20\n0.0\n3\nB{depth}\n");
        format!("{head}{inner}0\nENDBLK\n8\n0\n")
    };
    let blocks: String = (0..6).map(block).collect();
    let text = format!(
        "0\nSECTION\n2\nBLOCKS\n{blocks}0\nENDSEC\n0\nSECTION\n2\nENTITIES\n{}0\nENDSEC\n0\nEOF\n",
        twelve(&insert(0))
    );
    let read = plan::read(text.as_bytes()).unwrap();
    let told: Vec<_> = read.findings.iter().map(|f| f.reason.clone()).collect();
    assert!(told.iter().any(|t| t.contains("left out")), "{told:?}");
    let lines: usize = read.value.layers.values().map(Vec::len).sum();
    assert!((1..=plan::MOST_PIECES).contains(&lines), "{lines}");
}

#[test]
fn what_an_svg_repeats_within_itself_is_counted_before_it_is_drawn() {
    // Ten of the next in each, nine deep: a thousand million lines out of two kilobytes.
    let ten = |of: &str| of.repeat(10);
    let group = |depth: usize| {
        let inner = if depth == 9 {
            r#"<path d="M0 0L1 1" stroke="black"/>"#.to_owned()
        } else {
            ten(&format!(r##"<use href="#g{}"/>"##, depth + 1))
        };
        format!(r#"<g id="g{depth}">{inner}</g>"#)
    };
    let svg = |inner: &str| {
        format!(r#"<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9">{inner}</svg>"#)
    };
    let refused = |inner: &str| {
        let told = plan::read(svg(inner).as_bytes()).map(|read| read.findings);
        assert!(told.as_ref().is_err_and(|e| e.to_string().contains("repeats parts")), "{told:?}");
    };
    refused(&(0..10).map(group).collect::<String>());
    // A marker at each of many corners, of many lines itself.
    let lines = r#"<path d="M0 0L1 1" stroke="black"/>"#.repeat(1000);
    let marker = format!(r#"<marker id="m">{lines}</marker>"#);
    let corners = "L1,1 ".repeat(4000);
    refused(&format!(r#"{marker}<path d="M0 0{corners}" stroke="black" marker-mid="url(#m)"/>"#));
    refused(&format!(
        r#"{marker}<style>path {{ marker-mid: url(#m) }}</style><path d="M0 0{corners}" stroke="black"/>"#
    ));
    // A door that a plan uses a thousand times is no such thing.
    let door = r#"<defs><g id="door"><path d="M0 0L1 1" stroke="black"/></g></defs>"#;
    let doors: Vec<_> = (0..1000).map(|n| format!(r##"<use href="#door" x="{n}"/>"##)).collect();
    let doors = doors.concat();
    let read = plan::read(svg(&format!("{door}{doors}")).as_bytes()).unwrap();
    assert_eq!(read.value.layers.values().map(Vec::len).sum::<usize>(), 1000);
}

#[test]
fn a_line_without_an_end_is_refused_before_it_is_read() {
    let endless = [b"0\nSECTION\n2\n".as_slice(), &vec![b'A'; 1_000_000]].concat();
    let told = plan::read(&endless).unwrap_err().to_string();
    assert!(told.contains("a line of it is longer"), "{told}");
}
