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
