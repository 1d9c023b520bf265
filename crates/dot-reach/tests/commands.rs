//! The command line gives the numbers of the screen.

mod common;

use common::{json, run};
use serde_json::json;

fn file(folder: &tempfile::TempDir) -> String {
    let path = folder.path().join("mill.json");
    std::fs::write(&path, run(&["standin"]).stdout).ok();
    path.to_string_lossy().into_owned()
}

#[test]
fn the_loss_of_a_stud_wall_is_that_of_the_recommendation() {
    let told = json(&[
        "loss",
        "--layers",
        "plasterboard:12.5,air:75,plasterboard:12.5",
        "--mhz",
        "2440",
        "--angle",
        "0",
        "--json",
    ]);
    assert!((told["mean_db"].as_f64().unwrap() - 0.95).abs() < 0.01, "{told}");
    let oblique =
        json(&["loss", "--layers", "concrete:200", "--mhz", "2440", "--angle", "60", "--json"]);
    assert!((oblique["mean_db"].as_f64().unwrap() - 15.94).abs() < 0.01, "{oblique}");
    assert!(oblique["te_db"].as_f64() > oblique["tm_db"].as_f64(), "{oblique}");
}

#[test]
fn impossible_wishes_are_refused_in_words() {
    for (arguments, words) in [
        (
            ["loss", "--layers", "brick:-3", "--mhz", "2440"],
            "give a thickness from 0.01 to 5000 mm",
        ),
        (["loss", "--layers", "brick:100", "--mhz", "NaN"], "between 400 and 6000"),
    ] {
        let output = run(&arguments);
        assert!(!output.status.success());
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(said.contains(words), "{said}");
    }
}

#[test]
fn a_job_file_is_analysed_with_every_link_and_route() {
    let folder = tempfile::tempdir().unwrap();
    let told = json(&["analyse", &file(&folder), "--json"]);
    assert_eq!(told["job"], "Larkfield Mill");
    let mesh = told["networks"].as_array().unwrap().iter().find(|n| n["id"] == "mesh").unwrap();
    let device =
        &mesh["devices"].as_array().unwrap().iter().find(|d| d["hops"].as_u64() > Some(0)).unwrap();
    let weakest = device["weakest_margin_db"].as_f64().unwrap();
    let hops = device["route"].as_array().unwrap();
    let least = hops
        .iter()
        .flat_map(|h| [&h["margin_out_db"], &h["margin_back_db"]])
        .filter_map(serde_json::Value::as_f64)
        .fold(f64::INFINITY, f64::min);
    assert!((weakest - least).abs() < 1e-12);
}

#[test]
fn a_broken_file_is_complained_about_and_nothing_printed() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("broken.json");
    std::fs::write(&path, "{").unwrap();
    let output = run(&["analyse", path.to_str().unwrap(), "--json"]);
    assert!(!output.status.success() && output.stdout.is_empty());
}

#[test]
fn a_path_adds_up_by_its_terms_and_each_part_can_be_taken_away() {
    let folder = tempfile::tempdir().unwrap();
    let file = file(&folder);
    let loss = |extra: &[&str]| {
        let ends = [
            "path",
            &file,
            "--from",
            "mesh-meter",
            "--to",
            "mesh-kit-isle",
            "--mhz",
            "2440",
            "--json",
        ];
        let told = json(&[&ends[..], extra].concat());
        let total = told["path_loss_db"].as_f64().unwrap();
        let terms = told["terms"].as_array().unwrap();
        let sum: f64 = terms.iter().filter_map(|t| t["loss_db"].as_f64()).sum();
        assert!((total - sum).abs() < 1e-9, "{told}");
        assert_eq!(told["schools"].as_array().map(Vec::len), Some(3));
        total
    };
    let all = loss(&[]);
    assert!(loss(&["--reflections", "off"]) > all);
    assert!(loss(&["--clutter", "off"]) < all);
    let bare =
        loss(&["--clutter", "off", "--leak", "off", "--doorways", "off", "--reflections", "off"]);
    assert!(bare > 40.2, "{bare}");
}

#[test]
fn a_path_between_two_points_in_the_open_is_free_space() {
    let folder = tempfile::tempdir().unwrap();
    let told = json(&[
        "path",
        &file(&folder),
        "--from",
        "50,-20,3",
        "--to",
        "60,-20,3",
        "--mhz",
        "2440",
        "--reflections",
        "off",
        "--json",
    ]);
    assert!((told["path_loss_db"].as_f64().unwrap() - 60.2).abs() < 0.01, "{told}");
}

#[test]
fn error_rates_are_those_of_the_standard() {
    for (sinr, want) in [("0", 2.55e-2), ("1", 2.06e-3)] {
        let told =
            json(&["per", "--modulation", "oqpsk", "--sinr-db", sinr, "--bytes", "20", "--json"]);
        assert!((told["per"].as_f64().unwrap() / want - 1.0).abs() < 5e-3, "{told}");
    }
    let told = json(&["per", "--modulation", "oqpsk", "--sinr-db", "-2", "--json"]);
    assert!((told["ber"].as_f64().unwrap() / 5.197e-3 - 1.0).abs() < 1e-3, "{told}");
}

/// A job file of these walls and fifty devices, on one storey.
fn crowded(walls: &[serde_json::Value]) -> String {
    let place = |d: u32| {
        let at = [f64::from(d) + 0.3, f64::from(d) * 2.0 + 0.2];
        json!({"id": format!("p{d}"), "name": "p", "floor": "g", "at": at, "height_m": 1.0, "kind": "shelf"})
    };
    let device = |d: u32| {
        let kind = if d == 0 { "hub" } else { "plug-socket" };
        json!({"id": format!("d{d}"), "name": "d", "point": format!("p{d}"), "kind": kind, "network": "n"})
    };
    json!({"format": "dot-reach-job", "version": 2, "site": {
        "job": {"name": "Crowded", "region": "eu", "confidence": 0.95},
        "floors": [{"id": "g", "name": "G", "elevation_m": 0.0, "height_m": 2.5}],
        "networks": [{"id": "n", "name": "N", "system": "zigbee"}],
        "walls": walls,
        "points": (0..50).map(place).collect::<Vec<_>>(),
        "devices": (0..50).map(device).collect::<Vec<_>>(),
    }})
    .to_string()
}

#[test]
fn thousands_of_openings_are_left_out_by_name_and_the_rest_is_analysed_in_little_room() {
    let wall = |w: u32| {
        let opening = |o: u32| json!({"id": format!("o{o}"), "kind": "door", "start_m": f64::from(o) * 1.4, "width_m": 0.8, "height_m": 2.0, "construction": "door-wood"});
        let y = f64::from(w) * 0.5;
        json!({"id": format!("w{w}"), "floor": "g", "a": [0.0, y], "b": [60.0, y], "construction": "stud-wall",
            "openings": (0..40).map(opening).collect::<Vec<_>>()})
    };
    let text = crowded(&(0..200).map(wall).collect::<Vec<_>>());
    assert!(text.len() > 600_000 && text.len() < 1_100_000, "{}", text.len());
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("crowded.json");
    std::fs::write(&file, text).unwrap();
    // All memory that it may ask for, in kilobytes: 8,000 openings took six gigabytes.
    let bounded = "ulimit -v 900000; exec \"$0\" analyse \"$1\"";
    let output = std::process::Command::new("sh")
        .args(["-c", bounded, env!("CARGO_BIN_EXE_dot-reach"), file.to_str().unwrap()])
        .output()
        .unwrap();
    let told = String::from_utf8_lossy(&output.stderr);
    assert!(output.status.success(), "{told}");
    let named = "that makes 520 openings on a storey; 500 is the most";
    assert_eq!(told.matches(named).count(), 188, "{told}");
    assert!(String::from_utf8_lossy(&output.stdout).lines().count() >= 50);
}

#[test]
fn what_fits_where_is_told_with_its_reasons() {
    let folder = tempfile::tempdir().unwrap();
    let told = json(&["fit", &file(&folder), "--json"]);
    let points = told["points"].as_array().unwrap();
    assert_eq!(points.len(), 56);
    let verdicts = ["fits", "fits if", "not known yet", "electrician decides", "does not fit"];
    let rank = |v: &serde_json::Value| verdicts.iter().position(|w| v == w).unwrap();
    let (mut devices, mut unfit) = (0, Vec::new());
    for point in points {
        for device in point["devices"].as_array().unwrap() {
            devices += 1;
            // The verdict is that of the worst reason, and each has a way out.
            let reasons = device["reasons"].as_array().unwrap();
            let worst = reasons.iter().map(|r| rank(&r["verdict"])).max().unwrap_or(0);
            assert_eq!(rank(&device["verdict"]), worst, "{device}");
            assert!(reasons.iter().all(|r| !r["ways_out"].as_array().unwrap().is_empty()));
            if worst == 4 {
                unfit.push(device["name"].as_str().unwrap().to_owned());
            }
        }
        let ranks: Vec<_> =
            point["candidates"].as_array().unwrap().iter().map(|c| rank(&c["verdict"])).collect();
        assert!(ranks.is_sorted() && !ranks.is_empty(), "{point}");
    }
    assert!(devices >= 56, "{devices}");
    assert_eq!(unfit, ["River room bed left"]);
    // The plain form has a line a device, the worst first.
    let plain = run(&["fit", &file(&folder)]);
    let plain = String::from_utf8_lossy(&plain.stdout).into_owned();
    assert_eq!(plain.lines().count(), devices);
    assert!(plain.starts_with("does not fit"), "{plain}");
}

#[test]
fn a_problem_is_solved_with_its_routes_and_what_is_wrong_with_one_is_told_at_once() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("problem.json").to_string_lossy().into_owned();
    // Two candidates reach the device; the cheaper one from the dearer hub site is the least.
    let problem = json!({
        "hub_sites": [{"id": "h1", "cost": 0}, {"id": "h2", "cost": 2}],
        "candidates": [{"id": "near", "cost": 9}, {"id": "far", "cost": 4}],
        "existing": [{"id": "e"}], "devices": [{"id": "d", "critical": true}, {"id": "x"}],
        "links": [["h1", "near"], ["near", "d"], ["h2", "far"], ["far", "d"], ["h2", "e"], ["e", "d"],
            ["e", "x"]],
        "hop_limit": 2, "max_repeaters": null, "disjoint": true,
    });
    std::fs::write(&path, problem.to_string()).unwrap();
    let told = json(&["place", &path, "--json"]);
    assert_eq!(told["status"], "optimal");
    assert_eq!(
        (&told["cost"], &told["bound"], &told["hub"], &told["repeaters"]),
        (&json!(6.0), &json!(6.0), &json!("h2"), &json!(["far"]))
    );
    assert_eq!(told["routes"]["d"].as_array().unwrap().len(), 2);
    assert_eq!(told["routes"]["x"], json!([["h2", "e", "x"]]));
    // At most none: then the device that needs two routes is left out.
    let mut tight = problem.clone();
    tight["max_repeaters"] = json!(0);
    std::fs::write(&path, tight.to_string()).unwrap();
    let told = json(&["place", &path, "--json"]);
    assert_eq!((&told["status"], &told["unserved"]), (&json!("infeasible"), &json!(["d"])));
    assert_eq!((&told["cost"], &told["bound"]), (&json!(2.0), &json!(2.0)));
    let wrong = json!({"hub_sites": [], "devices": [{"id": "d"}, {"id": "d"}], "links": [["d", "z"]],
        "hop_limit": 2});
    std::fs::write(&path, wrong.to_string()).unwrap();
    let output = run(&["place", &path, "--json"]);
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(!output.status.success() && output.stdout.is_empty());
    for part in ["hub_sites is empty", "d stands in the lists twice", "z is in no list"] {
        assert!(said.contains(part), "{said}");
    }
}

#[test]
fn a_job_is_advised_with_the_reasons_of_the_screen() {
    let folder = tempfile::tempdir().unwrap();
    let told = json(&["advise", &file(&folder), "--network", "mesh", "--json"]);
    assert_eq!((&told["status"], &told["proven"]), (&json!("optimal"), &json!(true)));
    assert_eq!(told["at_target"]["then"], told["at_target"]["of"]);
    let reasons = told["reasons"].as_array().unwrap();
    assert!(reasons[0].as_str().unwrap().contains("Less is not enough"), "{reasons:?}");
    assert_eq!(told["repeaters"].as_array().unwrap().len() + 2, reasons.len());
    let output = run(&["advise", &file(&folder), "--network", "nowhere"]);
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(!output.status.success() && said.contains("this job has heat, mesh, star"), "{said}");
}

#[test]
fn a_command_ends_quietly_where_nobody_reads_on() {
    for arguments in [&["schema"][..], &["standin"], &["standin", "tern-row"]] {
        let mut child = std::process::Command::new(env!("CARGO_BIN_EXE_dot-reach"))
            .args(arguments)
            .stdout(std::process::Stdio::piped())
            .stderr(std::process::Stdio::piped())
            .spawn()
            .unwrap();
        drop(child.stdout.take());
        let ended = child.wait_with_output().unwrap();
        let said = String::from_utf8_lossy(&ended.stderr);
        assert!(
            ended.status.success() && said.is_empty(),
            "{arguments:?}: {} {said}",
            ended.status
        );
    }
}

#[test]
fn it_listens_on_this_machine_only() {
    let refused = run(&["demo", "--listen", "0.0.0.0:0"]);
    let said = String::from_utf8_lossy(&refused.stderr);
    assert!(!refused.status.success() && said.contains("this machine only"), "{said}");
}

#[test]
fn a_database_is_copied_rehearsed_and_brought_back_as_the_guide_for_operators_says() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name).to_string_lossy().into_owned();
    let (job, db, copy) = (at("job.json"), at("jobs.db"), at("copy.db"));
    std::fs::write(&job, run(&["standin", "quay-court"]).stdout).unwrap();
    let said = |arguments: &[&str]| {
        let ended = run(arguments);
        let told = [ended.stdout, ended.stderr].concat();
        (ended.status.success(), String::from_utf8_lossy(&told).into_owned())
    };
    assert!(said(&["import", "--db", &db, &job]).0);
    assert!(said(&["backup", "--db", &db, &copy]).0);
    assert!(said(&["import", "--db", &db, &job]).0);
    let (is_well, told) = said(&["restore", "--db", &db, &copy, "--rehearse"]);
    assert!(is_well && told.contains("1 job\n") && told.contains("Quay Court"), "{told}");
    let (is_well, told) = said(&["restore", "--db", &db, &copy]);
    assert!(is_well && told.contains("jobs.db.before-1"), "{told}");
    assert!(said(&["check", &db]).0);
    // What was there is a database as any: the second job is in it still.
    let (_, told) = said(&["restore", "--db", &db, &at("jobs.db.before-1"), "--rehearse"]);
    assert!(told.contains("2 jobs"), "{told}");
    let (is_well, told) = said(&["restore", "--db", &db, &job]);
    assert!(!is_well && told.contains("another program"), "{told}");
}
