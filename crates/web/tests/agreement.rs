//! What the ledger, the surface and the handover of a job say is the same: all demo jobs, as printed.
#![expect(clippy::expect_used, reason = "a page that does not hold what it must has failed")]

mod common;

use std::collections::BTreeMap;

use common::TestApp;
use dot_reach_core::site::Site;
use dot_reach_standin::houses;
use serde_json::json;

/// A device as a page has it: verdict, hops, weakest margin.
type Told = (String, String, String);

/// What stands between the first `open` and the next `close` of a text.
fn between<'a>(text: &'a str, open: &str, close: &str) -> &'a str {
    text.split_once(open).and_then(|(_, rest)| rest.split_once(close)).map_or("", |(own, _)| own)
}

/// The words of a piece of a page without its tags.
fn words(html: &str) -> String {
    let pieces = html.split('<').map(|piece| piece.split_once('>').map_or(piece, |(_, own)| own));
    pieces.collect::<String>().split_whitespace().collect::<Vec<_>>().join(" ")
}

/// The devices of a job by network and name, as the ledgers of Reach have them, hubs left out.
fn ledgers(app: &TestApp, job: &str, site: &Site) -> BTreeMap<(String, String), Told> {
    let mut told = BTreeMap::new();
    for network in site.networks.iter() {
        let page =
            app.get(&format!("/jobs/{job}/reach?network={}&col=hops,margin,off", network.id)).body;
        for line in page.split("data-device-row=").skip(1) {
            let line = line.split("</button>").next().unwrap_or_default();
            let name = words(&format!("<{}", between(line, "<span class=\"name\"", "</span>")));
            let verdict = words(between(line, "<span class=\"verdict\">", "</span>"));
            let mut cells = line
                .split("<span class=\"cell")
                .skip(1)
                .map(|c| words(&format!("<{}", c.split("</span>").next().unwrap_or_default())));
            let hops = cells.next().expect("hops");
            let margin = with_range(&cells.next().expect("a margin"), cells.next());
            if hops != "hub" {
                told.insert((network.name.clone(), name), (verdict, hops, margin));
            }
        }
    }
    told
}

/// A margin with how far off it may be, as the handover prints it.
fn with_range(margin: &str, off: Option<String>) -> String {
    match off {
        Some(off) if margin != "–" => format!("{margin} ± {off}"),
        _ => margin.to_owned(),
    }
}

/// The same as the handover prints them.
fn handover(app: &TestApp, job: &str) -> BTreeMap<(String, String), Told> {
    let page = app.get(&format!("/jobs/{job}/handover")).body;
    let table = between(&page, "<h2>Ledger</h2>", "</table>");
    let rows = table.split("<tr>").skip(2).map(|row| {
        let cells: Vec<_> = row.split("<td").skip(1).map(|c| words(&format!("<{c}"))).collect();
        (
            (cells[2].clone(), cells[1].clone()),
            cells[4].clone(),
            (cells[5].clone(), cells[6].clone(), cells[8].clone()),
        )
    });
    rows.filter(|(_, role, _)| role != "hub").map(|(who, _, told)| (who, told)).collect()
}

/// The cells of a surface: where, and the margin that a device there would be told.
fn surface(app: &TestApp, job: &str, network: &str, floor: &str) -> Vec<([f64; 2], f64)> {
    let path = format!("/jobs/{job}/surface.csv?network={network}&floor={floor}");
    let text = app.get(&path).body;
    let number = |t: &str| t.parse::<f64>().unwrap_or(f64::NAN);
    let cell = |line: &str| {
        let of: Vec<f64> = line.split(',').map(number).collect();
        ([of[0], of[1]], of[2])
    };
    text.lines().skip(1).map(cell).collect()
}

#[test]
fn ledger_and_handover_of_every_demo_job_say_the_same() {
    let app = TestApp::demo();
    for name in houses::NAMES {
        let site = houses::named(name).expect("a demo house").site;
        let job = slug(&site);
        let (ledgers, handover) = (ledgers(&app, &job, &site), handover(&app, &job));
        assert!(ledgers.len() > 5, "{job}: {}", ledgers.len());
        for (who, told) in &ledgers {
            assert_eq!(handover.get(who), Some(told), "{job}: {who:?}");
        }
        assert_eq!(ledgers.len(), handover.len(), "{job}");
    }
}

#[test]
fn a_device_put_on_the_ground_of_a_surface_is_told_what_the_surface_says() {
    const PROBES: usize = 5;
    let app = TestApp::demo();
    for name in houses::NAMES {
        let site = houses::named(name).expect("a demo house").site;
        let job = slug(&site);
        let (mut squares, mut sum, mut count) = (0.0, 0.0, 0.0_f64);
        for network in site.networks.iter() {
            let Some(floor) = site.floors_upward().first().map(|f| f.id.clone()) else { continue };
            let cells = surface(&app, &job, network.id.as_str(), floor.as_str());
            // Ground that is reached with no more than is needed is where a word turns.
            let worth: Vec<_> = cells.iter().filter(|(_, m)| *m > -10.0).collect();
            let step = (worth.len() / PROBES).max(1);
            for (n, (at, margin)) in worth.into_iter().step_by(step).take(PROBES).enumerate() {
                let id = format!("probe-{}-{n}", network.id);
                let name = format!("Probe {} {n}", network.id);
                let point = json!({"do": "put", "kind": "point", "value": {"id": id, "name": name, "floor": floor, "at": at, "height_m": 1.1, "kind": "bare-wall"}});
                let device = json!({"do": "put", "kind": "device", "value": {"id": id, "name": name, "point": id, "kind": "sensor-battery", "network": network.id}});
                let put = json!({"do": "batch", "edits": [point, device]});
                if network.system == dot_reach_core::radio::system::System::Wifi {
                    continue;
                }
                let answer = app.post(
                    &format!("/jobs/{job}/edits"),
                    &json!({"edit": put, "edit_id": id, "client": "c"}),
                );
                assert_eq!(answer.status, 200, "{}", answer.body);
                let who = (network.name.clone(), name);
                let page = app
                    .get(&format!(
                        "/jobs/{job}/reach?network={}&select={id}&col=hops,margin,off",
                        network.id
                    ))
                    .body;
                let row =
                    page.split(&format!("data-device-row=\"{id}\"")).nth(1).expect("its line");
                let line = row.split("</button>").next().unwrap_or_default();
                let told: Vec<_> = line
                    .split("<span class=\"cell")
                    .skip(1)
                    .map(|c| words(&format!("<{}", c.split("</span>").next().unwrap_or_default())))
                    .collect();
                let printed = handover(&app, &job);
                let (verdict, hops, margin_printed) =
                    printed.get(&who).expect("its row in the handover");
                assert_eq!(
                    [hops, margin_printed],
                    [&told[0], &with_range(&told[1], told.get(2).cloned())],
                    "{job}: {who:?}, {verdict}"
                );
                if let Ok(told) = told[1].replace('−', "-").parse::<f64>() {
                    squares += (told - margin).powi(2);
                    sum += told - margin;
                    count += 1.0;
                }
                let undone = app.post(
                    &format!("/jobs/{job}/undo"),
                    &json!({"client": "c", "edit_id": format!("u-{id}")}),
                );
                assert_eq!(undone.status, 200, "{}", undone.body);
            }
        }
        // A surface fits its bounces to sampled links instead of tracing each.
        let (rmse, bias) = ((squares / count).sqrt(), sum / count);
        assert!(
            count >= 5.0 && rmse < 2.5 && bias.abs() < 1.5,
            "{job}: {rmse:.2} {bias:.2} of {count}"
        );
    }
}

/// The id that a job gets by its name.
fn slug(site: &Site) -> String {
    let words = site.job.name.to_lowercase().replace(|c: char| !c.is_alphanumeric(), "-");
    words.split('-').filter(|w| !w.is_empty()).collect::<Vec<_>>().join("-")
}
