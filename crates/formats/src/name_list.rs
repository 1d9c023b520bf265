//! Names and rooms as a platform has them, as people get them: a table with headings or without, JSON, or names line by
//! line.

use dot_reach_core::record::NamedThere;

use crate::hub_list::rows;
use crate::{ImportFinding, Imported};

/// Reads the names of a list in its order. What has no name is a finding.
pub fn read(text: &str) -> Imported<Vec<NamedThere>> {
    let (mut value, mut findings) = (Vec::new(), Vec::new());
    for (place, row) in rows(text, |_, _| "room") {
        match (row.name.is_empty(), row.room.is_empty()) {
            (true, true) => {}
            (true, false) => findings.push(ImportFinding {
                place,
                reason: "has a room and no name: it is left out".to_owned(),
            }),
            (false, _) => value.push(NamedThere { name: row.name, room: row.room }),
        }
    }
    if value.is_empty() {
        let reason = "holds no name: one line a device, its name and then its room, or a heading with name, room";
        findings.push(ImportFinding { place: "the list".to_owned(), reason: reason.to_owned() });
    }
    Imported { value, findings }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read_as(text: &str) -> Vec<(String, String)> {
        read(text).value.into_iter().map(|row| (row.name, row.room)).collect()
    }

    #[test]
    fn a_list_is_read_with_a_heading_without_one_and_as_json() {
        let wanted =
            [("Door lamp", "Hall"), ("Desk lamp", "")].map(|(n, r)| (n.to_owned(), r.to_owned()));
        assert_eq!(read_as("Room;Name\nHall;Door lamp\n;Desk lamp\n"), wanted);
        assert_eq!(read_as("Door lamp\tHall\nDesk lamp\n"), wanted);
        assert_eq!(read_as(r#"[{"name": "Door lamp", "area": "Hall"}, "Desk lamp"]"#), wanted);
    }

    #[test]
    fn what_has_no_name_is_told() {
        let read = read("name;room\n;Hall\n");
        assert_eq!(read.value, []);
        assert_eq!(read.findings.len(), 2);
    }
}
