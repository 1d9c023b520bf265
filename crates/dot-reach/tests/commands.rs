//! The command line gives the numbers of the screen.

mod common;

use common::{json, run};

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
