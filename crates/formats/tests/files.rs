//! Out and in again is the same; no bytes stop the program; bad lines are named, good ones taken.

use std::collections::BTreeMap;
use std::ops::ControlFlow;
use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::building::structure::{Doors, Structure};
use dot_reach_core::moment::Moment;
use dot_reach_core::propagation::{Medium, Model};
use dot_reach_core::record::{Folder, Record, Sender, Telling, What};
use dot_reach_core::site::{Edit, Site, apply};
use dot_reach_core::units::Megahertz;
use dot_reach_formats::told::Came;
use dot_reach_formats::{analysis_json, gains_csv, job_file, ledger_csv, readings_csv, tables};
use dot_reach_standin::houses::{larkfield_mill, larkfield_mill_read};
use proptest::prelude::*;

#[expect(clippy::unwrap_used, reason = "the demo job can be written")]
fn mill_file() -> Vec<u8> {
    let Folder { site, record } = larkfield_mill_read();
    job_file::write(Some("mill"), &site, &record, &BTreeMap::new()).unwrap()
}

#[expect(clippy::unwrap_used, reason = "what was read can be written")]
fn written(job: &job_file::ReadJob) -> Vec<u8> {
    job_file::write(job.id.as_deref(), &job.site, &job.record, &BTreeMap::new()).unwrap()
}

/// How a table of a test came in.
fn came<'a>(source: &'a str, now: &'a Moment) -> Came<'a> {
    Came { source, now, stem: "t" }
}

#[expect(clippy::unwrap_used, reason = "it is a time")]
fn now() -> Moment {
    NOW.parse().unwrap()
}

/// What is on record after this was told.
#[expect(clippy::unwrap_used, reason = "a record that is refused is a test that failed")]
fn told_of(site: &Site, record: &Record, told: Vec<What>) -> Record {
    let caller = Sender { name: "Kit".into(), taken: now(), stem: format!("s{}", record.len()) };
    let mut after = record.clone();
    for entry in caller.entries(site, told.into_iter().map(|w| Telling::new(w, None, None))) {
        after.say(entry).unwrap();
    }
    after
}

fn nothing() -> Record {
    Record::default()
}

#[test]
fn a_job_written_and_read_is_equal() {
    let read = job_file::read(&mill_file()).unwrap();
    assert_eq!(read.findings, []);
    let mill = larkfield_mill_read();
    assert_eq!((&read.value.site, &read.value.record), (&mill.site, &mill.record));
    assert_eq!(written(&read.value), mill_file());
}

/// When what does not say so was taken.
const NOW: &str = "2026-05-01T08:00:00Z";

/// A line of readings whose cells are right or not, each on its own.
fn row() -> impl Strategy<Value = String> {
    let device = || {
        prop_oneof![
            4 => prop::sample::select(vec!["mesh-meter", "mesh-kit-isle", "Kitchen island"]).prop_map(str::to_owned),
            1 => "[a-zé0-9 .+-]{0,12}",
        ]
    };
    let level =
        prop_oneof![3 => (-100..-30i32).prop_map(|l| l.to_string()), 1 => "[0-9eE.+−a-]{0,8}"];
    let time = prop_oneof![3 => Just("2026-04-01 10:00".to_owned()), 1 => "[0-9T:Z -]{0,20}"];
    (device(), device(), level, time).prop_map(|(a, b, l, t)| format!("{a},{b},{l},{t}"))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    #[test]
    fn no_damage_to_a_job_file_stops_the_program(
        wounds in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..20),
        cut in any::<prop::sample::Index>(),
    ) {
        let mut bytes = mill_file();
        for (place, byte) in wounds {
            let at = place.index(bytes.len());
            bytes[at] = byte;
        }
        // Whatever comes in that way has passed the same checks as an edit.
        if let Ok(read) = job_file::read(&bytes) {
            let again = written(&read.value);
            let again = job_file::read(&again).unwrap();
            prop_assert_eq!(again.findings, vec![]);
        }
        bytes.truncate(cut.index(bytes.len()));
        prop_assert!(job_file::read(&bytes).is_err());
    }

    #[test]
    fn every_line_of_readings_is_taken_or_named(rows in prop::collection::vec(row(), 1..20)) {
        let text = rows.join("\n");
        let site = larkfield_mill();
        let read = readings_csv::read(&site, &nothing(), &text, came("test", &now()));
        let lines = rows.iter().filter(|r| r.contains(|c: char| !c.is_whitespace() && c != ',')).count();
        let readings = read.value.new.len() + read.value.again;
        prop_assert_eq!(readings + read.findings.len(), lines, "{:?}", read.findings);
        prop_assert!(read.findings.iter().all(|f| f.place.starts_with("line ")));
        told_of(&site, &nothing(), read.value.new);
    }
}

#[test]
fn what_is_wrong_in_a_job_file_is_listed_and_the_rest_taken() {
    let mut value: serde_json::Value = serde_json::from_slice(&mill_file()).unwrap();
    value["site"]["walls"][0]["construction"] = "cheese".into();
    value["site"]["points"][3]["floor"] = "attic".into();
    let read = job_file::read(value.to_string().as_bytes()).unwrap();
    let words: Vec<_> =
        read.findings.iter().map(|f| format!("{}: {}", f.place, f.reason)).collect();
    assert!(words[0].ends_with("floor: there is no storey attic"), "{words:?}");
    // The devices of a point that was left out are left out too, each named.
    assert!(words.iter().any(|w| w.contains("there is no point")), "{words:?}");
    assert_eq!(read.value.site.points.len(), larkfield_mill().points.len() - 1);
    // What another thing decides is no reason to leave anything out: it is found, with its cure.
    assert_eq!(read.value.site.walls.len(), larkfield_mill().walls.len());
    let analysis = analyse(&Arc::new(read.value.site), &Options::default());
    let gone = analysis.findings.iter().find(|f| f.found.rule() == "construction gone").unwrap();
    assert_eq!(
        gone.found.to_string(),
        "No construction is called “cheese”: 1 of the walls, openings and floors name it."
    );
}

#[test]
fn reading_is_broken_off_at_the_next_image_once_nobody_waits() {
    let mut value: serde_json::Value = serde_json::from_slice(&mill_file()).unwrap();
    value["images"] = serde_json::json!({"00": "", "01": ""});
    let bytes = value.to_string().into_bytes();
    let mut told = Vec::new();
    let read = job_file::read_while(&bytes, &mut |done, of| {
        told.push((done, of));
        if done == 1 { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
    });
    assert!(read.unwrap().is_none());
    assert_eq!(told, [(0, 2), (1, 2)]);
}

#[test]
fn a_job_file_of_the_first_version_is_read_whole() {
    let kept = include_bytes!("kept/job-version-1.json");
    let read = job_file::read(kept).unwrap();
    assert_eq!(read.findings, []);
    let then: serde_json::Value = serde_json::from_slice(kept).unwrap();
    let mut now: serde_json::Value = serde_json::from_slice(&written(&read.value)).unwrap();
    assert_eq!((&then["version"], &now["version"]), (&1.into(), &job_file::VERSION.into()));
    // Tables that are new since are empty; all else is as it was, to the last digit.
    for (table, value) in now["site"].as_object_mut().unwrap() {
        match then["site"].get(table) {
            Some(was) => assert_eq!(value, was, "{table}"),
            None => assert_eq!(value.as_array().map(Vec::len), Some(0), "{table}"),
        }
    }
    let newer = String::from_utf8_lossy(kept).replacen("\"version\": 1", "\"version\": 99", 1);
    let error = job_file::read(newer.as_bytes()).unwrap_err().to_string();
    assert_eq!(error, "this job file has version 99; this program reads versions 1 to 2");
}

#[test]
fn readings_come_by_name_or_id_with_comma_or_semicolon() {
    let site = larkfield_mill();
    let text = "from;to;rssi_dbm;time\nHub, Zigbee;Kitchen island;−61;2026-04-01 10:00\n\
                mesh-meter;mesh-kit-isle;-62.5 dBm;2026-04-01T10:01:00+01:00\n";
    let read = readings_csv::read(&site, &nothing(), text, came("test", &now()));
    assert_eq!(read.findings, []);
    assert_eq!(read.value.new.len(), 2);
    let odd = readings_csv::read(
        &site,
        &nothing(),
        "mesh-meter,mesh-kit-isle,NaN,2026-04-01",
        came("test", &now()),
    );
    assert_eq!(odd.findings[0].reason, "“NaN” is no level in dBm");
    let loud = readings_csv::read(
        &site,
        &nothing(),
        "mesh-meter,mesh-kit-isle,90,2026-04-01",
        came("test", &now()),
    );
    assert_eq!(
        loud.findings[0].reason,
        "rssi_dbm: is 90.0 dBm; a level heard lies between −140 and 20 dBm"
    );
}

#[test]
fn readings_are_taken_as_people_paste_them() {
    let site = larkfield_mill();
    let of = |text: &str| {
        let read = readings_csv::read(&site, &nothing(), text, came("test", &now()));
        assert_eq!(read.findings, [], "{text}");
        let put = |e: &What| serde_json::to_value(e).unwrap();
        let told = |v: serde_json::Value| {
            format!("{} {} {} {}", v["from"], v["to"], v["rssi_dbm"], v["at"]).replace('"', "")
        };
        read.value.new.iter().map(put).map(told).collect::<Vec<_>>()
    };
    let want = ["mesh-meter mesh-kit-isle -61.5 2026-03-14T10:05:00Z"];
    for text in [
        "mesh-meter,mesh-kit-isle,-61.5,2026-03-14 10:05",
        "mesh-meter\tmesh-kit-isle\t−61,5\t14.3.2026 10:05",
        "mesh-meter;mesh-kit-isle;-61,5 dBm;14/03/2026 10:05",
        "\"Hub, Zigbee\",Kitchen island,-61.5,14-03-2026 10:05",
        // A name with a comma in a table of commas, a decimal comma behind it.
        "Hub, Zigbee,Kitchen island,-61,5,2026-03-14T10:05:00Z",
        "Hub,Zigbee,kitchen island,-61.5,2026-03-14 10:05:00",
        // Twice the same is one.
        "mesh-meter,mesh-kit-isle,-61.5,2026-03-14 10:05\nmesh-meter,mesh-kit-isle,-61.5,14.3.2026 10:05",
    ] {
        assert_eq!(of(text), want, "{text}");
    }
    assert_eq!(
        of("mesh-meter,mesh-kit-isle,-61"),
        [format!("mesh-meter mesh-kit-isle -61.0 {NOW}")]
    );
    let bad = readings_csv::read(
        &site,
        &nothing(),
        "mesh-meter,mesh-kit-isle,-61,03/14/2026",
        came("test", &now()),
    );
    assert!(bad.findings[0].reason.contains("is no time"), "the day comes before the month");
}

#[test]
fn readings_written_and_read_are_the_same_levels() {
    let Folder { site, record } = larkfield_mill_read();
    let written = readings_csv::write(&record).unwrap();
    let now = now();
    let read = readings_csv::read(&site, &record, &written, came("again", &now));
    assert_eq!(read.findings, []);
    let count = record.readings.len();
    assert_eq!((read.value.new.len(), read.value.again), (0, count), "all are there");
    let read = readings_csv::read(&site, &nothing(), &written, came("again", &now));
    assert_eq!((read.value.new.len(), read.value.again), (count, 0));
}

#[test]
fn the_terms_of_every_link_add_up_to_its_level() {
    let analysis = analyse(&Arc::new(larkfield_mill()), &Options::default());
    let value = analysis_json::value(&analysis).unwrap();
    let number = |v: &serde_json::Value| v.as_f64().unwrap_or(f64::NAN);
    let mut seen = 0;
    for network in value["networks"].as_array().unwrap() {
        for link in network["links"].as_array().unwrap() {
            for way in ["a_to_b", "b_to_a"] {
                let way = &link[way];
                let losses: f64 =
                    way["terms"].as_array().unwrap().iter().map(|t| number(&t["loss_db"])).sum();
                let level = number(&way["tx_dbm"]) - losses;
                assert!((level - number(&way["received_dbm"])).abs() < 1e-9, "{link}");
                seen += 1;
            }
        }
    }
    assert!(seen > 500, "{seen}");
}

#[test]
fn the_ledger_has_a_line_a_device_and_no_formulas() {
    let mut site = larkfield_mill();
    let mut device = site.devices.named("mesh-kit-isle").unwrap().clone();
    device.name = "=1+1".to_owned();
    apply(&mut site, &Edit::put(device)).unwrap();
    let analysis = analyse(&Arc::new(site), &Options::default());
    let count: usize = analysis.networks.iter().map(|n| n.nodes.len()).sum();
    let text = ledger_csv::write(&analysis).unwrap();
    assert_eq!(text.lines().count(), count + 1);
    assert!(text.contains("'=1+1") && !text.contains(",=1+1"));
}

#[test]
fn the_schema_names_what_another_program_must_write() {
    let schema = job_file::schema().to_string();
    for word in ["construction", "height_m", "openings", "stands_open", "elevation_m", "rssi_dbm"] {
        assert!(schema.contains(word), "{word}");
    }
}

#[test]
fn tables_of_hubs_come_back_as_they_were_written_and_twice_is_once() {
    let site = larkfield_mill();
    let text = r#"{"readings": [
        {"from": "mesh-meter", "to": "mesh-util-light", "lqi": 180, "time": "2026-04-01 10:00", "firmware": "2.1"},
        {"from": "mesh-meter", "to": "mesh-util-light", "margin_db": 12.5, "time": "2026-04-01 10:00"},
        {"from": "mesh-meter", "to": "nobody", "rssi_dbm": -60}
    ], "nodes": [
        {"network": "mesh", "node": 7, "device": "mesh-util-light", "via": ["mesh-kit-isle"], "answers": true},
        {"network": "mesh", "node": 99}
    ], "others": []}"#;
    assert!(tables::is_meant(text));
    let now = now();
    let read = tables::read(&site, &nothing(), text, came("hub", &now));
    assert_eq!(read.value.new.len(), 4, "{:?}", read.findings);
    let places: Vec<&str> = read.findings.iter().map(|f| f.place.as_str()).collect();
    assert_eq!(places, ["others", "readings 3"]);
    let with = told_of(&site, &nothing(), read.value.new);
    let again = tables::read(&site, &with, text, came("hub", &now));
    assert_eq!((again.value.new.len(), again.value.again), (0, 4));
    let written = tables::write(&with).to_string();
    let back = tables::read(&site, &nothing(), &written, came("hub", &now));
    assert_eq!(back.findings, []);
    assert_eq!((back.value.new.len(), back.value.again), (4, 0));
    let csv = "network,node,device,via,answers\nmesh,7,mesh-util-light,mesh-kit-isle mesh-land-light,yes\nmesh,8,nobody,,\n";
    assert!(tables::is_meant(csv));
    let nodes = tables::read(&site, &nothing(), csv, came("hub", &now));
    assert_eq!(nodes.value.new.len(), 1);
    assert!(nodes.findings[0].place == "line 3" && nodes.findings[0].reason.contains("nobody"));
}

#[test]
fn a_heading_may_name_columns_in_any_order() {
    let site = larkfield_mill();
    let text = "time,to,from,rssi_dbm,lqi\n2026-04-01 10:00,mesh-util-light,mesh-meter,-61,200\n,mesh-util-light,mesh-meter,,\n";
    let read = readings_csv::read(&site, &nothing(), text, came("hub", &now()));
    assert_eq!(read.value.new.len(), 1);
    assert!(read.findings[0].reason.contains("nothing was heard"), "{:?}", read.findings);
    let What::Read(reading) = &read.value.new[0] else { panic!("no reading") };
    assert_eq!((reading.from.as_str(), reading.lqi), ("mesh-meter", Some(200)));
}

#[test]
fn path_gains_are_read_by_line_and_what_is_asked_keeps_its_order() {
    let site = larkfield_mill();
    let readings = "from,to,mhz,path_gain_db\nmesh-meter,\"1,2,1.2\",2440,-70\nmesh-meter,nobody,2440,-70\n\"1, 2, 1.2\",mesh-meter,2440,-71\n";
    let asked = "from,to,mhz\nmesh-util-light,mesh-meter,868.42\n\"1,2,1.2\",mesh-meter,2440\n";
    let read = gains_csv::read(&site, readings, asked).unwrap();
    assert_eq!(read.lines, [2, 4]);
    assert_eq!(read.findings[0].0, 3);
    // The same place is the same radio, however it is written.
    assert_eq!(read.survey.ends.len(), 3);
    assert_eq!(read.survey.asked.len(), 2);
    assert_eq!(read.asked_as[1], ["1,2,1.2", "mesh-meter"]);
    assert!(
        gains_csv::read(&site, readings, "nobody,mesh-meter,2440").unwrap_err().contains("line 1")
    );
    // Without a reading it is the plan.
    let none = gains_csv::read(&site, "from,to,mhz,path_gain_db\n", asked).unwrap();
    let plan = dot_reach_core::prove::gains::taught(&site, &none.survey);
    let structure = Arc::new(Structure::new(&site, Doors::AsDrawn));
    let medium = Medium::new(&structure, Megahertz::new(868.42), Model::default());
    let place = |id: &str| gains_csv::place(&site, id).unwrap().1;
    let loss = medium.loss(place("mesh-util-light"), place("mesh-meter"));
    assert!((plan.predictions[0].0 + loss.get()).abs() < 1e-9);
    assert!(plan.corrections.iter().all(|c| c.db == 0.0 && c.readings == 0));
    let told = dot_reach_core::prove::gains::taught(&site, &read.survey);
    assert!(told.predictions[1].1 < told.predictions[0].1, "{told:?}");
}

#[test]
fn what_a_hub_tells_by_numbers_becomes_devices_by_the_records_of_joining() {
    let site = larkfield_mill();
    let joined = |id: &str, device: &str, node: u32| {
        let value = serde_json::json!({"id": id, "device": device, "node": node, "at": "2026-03-20T10:00:00Z"});
        What::Joined(serde_json::from_value(value).unwrap())
    };
    let joined = vec![joined("j1", "mesh-util-light", 2), joined("j2", "mesh-kit-isle", 3)];
    let record = told_of(&site, &nothing(), joined);
    let told = serde_json::json!({
        "neighbours": [{"node": 0, "neighbour": 2, "rssi_dbm": -61.0, "lqi": 180},
                       {"node": 3, "neighbour": 2, "rssi_dbm": -70.0}, {"node": 0, "neighbour": 44}],
        "routes": [{"node": 3, "via": [0, 2]}],
        "nodes": [{"node": 2, "ready": true}, {"node": 3, "ready": true}, {"node": 44, "ready": false}],
    });
    let told: tables::OfHub = serde_json::from_value(told).unwrap();
    let network = site.networks.named("mesh").unwrap().id.clone();
    let now = now();
    let read = tables::of_hub(&site, &record, &network, &told, came("hub", &now));
    assert_eq!(read.findings, []);
    let record = told_of(&site, &record, read.value.new);
    let heard = record.readings.iter();
    let heard: Vec<_> = heard.map(|r| (r.from.as_str(), r.to.as_str())).collect();
    assert_eq!(heard, [("mesh-util-light", "mesh-meter"), ("mesh-util-light", "mesh-kit-isle")]);
    let report = |node: u32| record.node_reports.iter().find(|r| r.node == Some(node)).unwrap();
    assert_eq!(report(44).device, None);
    let via = report(3).via.as_ref().unwrap();
    assert_eq!(
        via.iter().map(dot_reach_core::site::DeviceId::as_str).collect::<Vec<_>>(),
        ["mesh-util-light"]
    );
    // Asked again it is the same, and taken once.
    let again = tables::of_hub(&site, &record, &network, &told, came("hub", &now));
    assert_eq!(again.value.new, []);
}
