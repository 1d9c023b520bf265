//! The rules of `deny.toml`, held by what Cargo itself knows of the dependencies: licences, bans,
//! sources.
#![expect(clippy::expect_used, reason = "a tree that Cargo cannot read has failed the test")]

use std::collections::BTreeSet;
use std::process::Command;

use serde_json::Value;

fn metadata() -> Value {
    let out = Command::new(env!("CARGO"))
        .args(["metadata", "--format-version", "1", "--locked", "--offline"])
        // What is built here: crates of other systems are not even fetched.
        .args(["--filter-platform", &host()])
        .current_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/../.."))
        .output()
        .expect("cargo runs");
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    serde_json::from_slice(&out.stdout).expect("JSON")
}

/// The machine that this is built on, as Cargo names it.
fn host() -> String {
    let out = Command::new("rustc").arg("-vV").output().expect("rustc runs");
    let text = String::from_utf8_lossy(&out.stdout).into_owned();
    let line = text.lines().find_map(|line| line.strip_prefix("host: "));
    line.expect("its host").to_owned()
}

/// The strings of a list in `deny.toml`.
fn listed(text: &str, key: &str) -> BTreeSet<String> {
    let list = text.split(&format!("\n{key} = [")).nth(1).expect("the list");
    let list = list.split("\n]").next().expect("its end");
    list.split('"').skip(1).step_by(2).map(str::to_owned).collect()
}

/// Whether a licence expression is satisfied: `OR` by one side, `AND` by both.
fn is_allowed(expression: &str, allowed: &BTreeSet<String>) -> bool {
    let plain = expression.replace(['(', ')'], " ").replace('/', " OR ");
    plain.split(" AND ").all(|part| part.split(" OR ").any(|one| allowed.contains(one.trim())))
}

#[test]
fn licences_are_permissive_crates_not_banned_and_of_the_one_registry() {
    let rules = include_str!("../../../deny.toml");
    let allowed = listed(rules, "allow");
    assert!(allowed.len() > 8 && allowed.contains("MIT"), "{allowed:?}");
    let banned: BTreeSet<&str> =
        rules.split("crate = \"").skip(1).filter_map(|rest| rest.split('"').next()).collect();
    assert!(banned.contains("reqwest"));
    let metadata = metadata();
    let (mut wrong, mut seen) = (Vec::new(), 0);
    for package in metadata["packages"].as_array().expect("packages") {
        let name = package["name"].as_str().expect("a name");
        if package["source"].is_null() {
            let wild = package["dependencies"].as_array().expect("dependencies").iter();
            let wild = wild.filter(|d| d["req"] == "*" && d["path"].is_null());
            wrong.extend(wild.map(|d| format!("{name} takes any version of {}", d["name"])));
            continue;
        }
        seen += 1;
        let source = package["source"].as_str().unwrap_or_default();
        if !source.starts_with("registry+") {
            wrong.push(format!("{name} comes from {source}"));
        }
        if banned.contains(name) {
            wrong.push(format!("{name} is banned"));
        }
        let licence = package["license"].as_str().unwrap_or_default();
        if !is_allowed(licence, &allowed) {
            wrong.push(format!("{name} is under “{licence}”"));
        }
    }
    assert!(seen > 150, "the whole tree is looked at: {seen}");
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn a_licence_expression_is_read_as_it_is_meant() {
    let allowed: BTreeSet<String> = ["MIT", "Zlib"].map(str::to_owned).into();
    for (expression, want) in [
        ("MIT", true),
        ("MIT OR GPL-3.0", true),
        ("GPL-3.0", false),
        ("(MIT OR Apache-2.0) AND Zlib", true),
        ("MIT AND GPL-3.0", false),
        ("MIT/Apache-2.0", true),
        ("", false),
    ] {
        assert_eq!(is_allowed(expression, &allowed), want, "{expression}");
    }
}

#[test]
fn what_is_shipped_for_the_browser_is_what_the_registry_has() {
    let root = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");
    for (shipped, package) in [
        ("alpine-csp.js", "@alpinejs/csp/dist/module.esm.min.js"),
        ("idb-keyval.js", "idb-keyval/dist/index.js"),
    ] {
        let Ok(theirs) = std::fs::read(format!("{root}/node_modules/{package}")) else {
            // Only where the packages of the browser tests are installed.
            continue;
        };
        let ours = std::fs::read(format!("{root}/crates/web/assets/vendor/{shipped}"));
        assert_eq!(ours.expect("it is shipped"), theirs, "{shipped}");
    }
    // This one is no module by itself; it stands whole between the lines that make it one.
    if let Ok(theirs) = std::fs::read_to_string(format!("{root}/node_modules/jsqr/dist/jsQR.js")) {
        let ours = std::fs::read_to_string(format!("{root}/crates/web/assets/vendor/jsqr.js"));
        assert!(ours.expect("it is shipped").contains(&theirs), "jsqr.js");
    }
}
