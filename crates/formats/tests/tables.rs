//! The point sheet and the library as tables: out and in again changes nothing, a bad cell is named and
//! the others are taken.

use dot_reach_core::site::{Edit, Kind, Neutral, apply};
use dot_reach_formats::{library, points_csv};
use dot_reach_standin::houses::larkfield_mill;

fn lines(found: &[dot_reach_formats::ImportFinding]) -> Vec<(&str, &str)> {
    found.iter().map(|f| (f.place.as_str(), f.reason.as_str())).collect()
}

#[test]
fn the_sheet_out_and_in_again_changes_nothing() {
    let mill = larkfield_mill();
    let text = points_csv::write(&mill).unwrap();
    let read = points_csv::read(&mill, &text, None, "in");
    assert_eq!(lines(&read.findings), []);
    let mut again = mill.clone();
    apply(&mut again, &Edit::batch(read.value)).unwrap();
    assert_eq!(again, mill);
}

#[test]
fn a_row_is_known_by_its_tag_and_a_new_one_is_a_point() {
    let mut mill = larkfield_mill();
    let hall = mill.points.named("hall-light").unwrap().clone();
    let text = format!(
        "Tag;Place;Neutral;Breaker;Load;Lamps;W each;Depth mm\n{};;a;9;h;3;20,5;35\n;Porch;s;9;l;2;4;x\n;;s;;;;;\n",
        hall.tag
    );
    let read = points_csv::read(&mill, &text, None, "new");
    let found = lines(&read.findings);
    assert_eq!(found.len(), 2, "{found:?}");
    assert!(found[0].0 == "line 3" && found[0].1.contains("no length"), "{found:?}");
    assert!(found[1].0 == "line 4" && found[1].1.contains("a name or a tag"), "{found:?}");
    apply(&mut mill, &Edit::batch(read.value)).unwrap();
    let after = mill.points.named("hall-light").unwrap();
    assert_eq!(
        (after.neutral, after.circuit.as_str(), after.depth_mm),
        (Neutral::Absent, "9", Some(35.0))
    );
    assert_eq!(mill.loads_of(&hall.id).next().unwrap().watts, Some(20.5));
    let porch = mill.points.iter().find(|p| p.name == "Porch").unwrap();
    assert_eq!((porch.neutral, porch.tag.is_empty()), (Neutral::Seen, false));
}

#[test]
fn another_encoding_is_named_or_read() {
    assert!(points_csv::text_of(b"name\nK\xfcche\n").unwrap_err().contains("line 2"));
    let utf16: Vec<u8> = [0xFF, 0xFE]
        .into_iter()
        .chain("name\nKüche\n".encode_utf16().flat_map(u16::to_le_bytes))
        .collect();
    assert_eq!(points_csv::text_of(&utf16).unwrap(), "name\nKüche\n");
}

#[test]
fn a_cell_that_begins_as_a_formula_stays_text() {
    let mut mill = larkfield_mill();
    let note = "=HYPERLINK(1)";
    apply(&mut mill, &Edit::set(Kind::Point, &"hall-light", "note", note)).unwrap();
    let text = points_csv::write(&mill).unwrap();
    assert!(text.contains("'=HYPERLINK"));
    let read = points_csv::read(&mill, &text, None, "in");
    assert_eq!(read.value, []);
}

#[test]
fn the_library_out_and_in_again_changes_nothing_and_a_changed_row_counts_up() {
    let mill = larkfield_mill();
    for text in [library::csv(&mill).unwrap(), library::json(&mill).to_string()] {
        let read = library::read(&mill, &text);
        assert_eq!(lines(&read.findings), []);
        assert_eq!(read.value, []);
    }
    let text = library::csv(&mill).unwrap();
    let mut rows = csv::Reader::from_reader(text.as_bytes());
    let headings = rows.headers().unwrap().clone();
    let price = headings.iter().position(|h| h == "fit.price").unwrap();
    let row = rows.records().map(Result::unwrap).find(|r| &r[0] == "switch-neutral").unwrap();
    let mut out = csv::Writer::from_writer(Vec::new());
    out.write_record(&headings).unwrap();
    out.write_record(row.iter().enumerate().map(|(n, c)| if n == price { "41.5" } else { c }))
        .unwrap();
    out.write_record(row.iter().enumerate().map(|(n, c)| if n == price { "-4" } else { c }))
        .unwrap();
    let text = String::from_utf8(out.into_inner().unwrap()).unwrap();
    let read = library::read(&mill, &text);
    assert_eq!(read.findings.len(), 1, "{:?}", read.findings);
    let mut own = mill;
    apply(&mut own, &Edit::batch(read.value)).unwrap();
    let row = own.kind("switch-neutral").unwrap();
    assert_eq!((row.fit.price, row.version), (Some(41.5), 1));
}
