//! Every change ever made to the job.

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::site::Edit;
use dot_reach_store::{Act, Entry};

use crate::app::App;
use crate::error::WebError;
use crate::pages::jobs::day;
use crate::pages::{Opened, Shell, html};

#[derive(Template)]
#[template(path = "journal/page.html")]
struct Page {
    shell: Shell,
    entries: Vec<Line>,
}

struct Line {
    revision: u64,
    at: String,
    who: String,
    what: String,
    touched: String,
}

/// How many entries one page shows.
const MOST: u32 = 500;

#[get("/jobs/{job}/journal")]
pub(crate) async fn show(
    job: web::Path<String>,
    app: web::Data<App>,
) -> Result<HttpResponse, WebError> {
    let Opened { job, shell, .. } = Opened::of(&app, &job, "Journal")?;
    let entries = app.store.journal(&job, MOST)?.into_iter().map(line).collect();
    html(&Page { shell, entries })
}

fn line(entry: Entry) -> Line {
    let what = match (entry.act, entry.of_revision) {
        (Act::Undo, Some(of)) => format!("Took back change {of}: {}", words(&entry.edit)),
        (Act::Redo, Some(of)) => format!("Made change {of} again: {}", words(&entry.edit)),
        _ => capital(&words(&entry.edit)),
    };
    let touched = match entry.touched.as_slice() {
        [] => String::new(),
        few if few.len() <= 3 => few.join(", ").replace(':', " "),
        many => format!("{} things", many.len()),
    };
    Line { revision: entry.revision, at: day(&entry.at), who: entry.who, what, touched }
}

fn capital(text: &str) -> String {
    let mut letters = text.chars();
    letters
        .next()
        .map(|c| c.to_uppercase().collect::<String>() + letters.as_str())
        .unwrap_or_default()
}

/// An edit in a few words.
fn words(edit: &Edit) -> String {
    match edit {
        Edit::SetJob { .. } => "changed the brief".to_owned(),
        Edit::PutFloor { floor } => format!("set storey {}", floor.name),
        Edit::RemoveFloor { id } => format!("removed storey {id}"),
        Edit::PutWall { wall } => format!("set a wall of {}", wall.construction),
        Edit::RemoveWall { .. } => "removed a wall".to_owned(),
        Edit::DropOpening { .. } => "put an opening into a wall".to_owned(),
        Edit::PutSlab { slab } => format!("set a floor of {}", slab.construction),
        Edit::RemoveSlab { .. } => "removed a floor".to_owned(),
        Edit::PutPoint { point } => format!("set point {}", point.name),
        Edit::RemovePoint { .. } => "removed a point".to_owned(),
        Edit::MovePoint { at: [x, y], height_m, .. } => {
            format!("moved a point to {x:.2}, {y:.2} m, {height_m:.2} up")
        }
        Edit::PutNetwork { network } => format!("set network {}", network.name),
        Edit::RemoveNetwork { .. } => "removed a network".to_owned(),
        Edit::PutDevice { device } => format!("set device {}", device.name),
        Edit::RemoveDevice { .. } => "removed a device".to_owned(),
        Edit::PutConstruction { construction } => {
            format!("set construction {}", construction.name)
        }
        Edit::RemoveConstruction { .. } => "removed a construction".to_owned(),
        Edit::PutReading { reading } => format!("recorded {}", reading.rssi_dbm),
        Edit::RemoveReading { .. } => "removed a reading".to_owned(),
        Edit::PutEmitter { emitter } => format!("set {} on the air", emitter.name),
        Edit::RemoveEmitter { .. } => "took a source off the air".to_owned(),
        Edit::PutControl { .. } => "set a control".to_owned(),
        Edit::RemoveControl { .. } => "removed a control".to_owned(),
        Edit::PutScan { scan } => format!("recorded {} in a scan", scan.carrier.name()),
        Edit::RemoveScan { .. } => "removed a line of a scan".to_owned(),
        Edit::SetCalibration { calibration: Some(c) } => {
            format!("calibrated by {} readings", c.readings)
        }
        Edit::SetCalibration { calibration: None } => "took the calibration out".to_owned(),
        Edit::ScaleUnderlay { length_m, .. } => format!("set the scale by {length_m:.2}"),
        Edit::Tick { step, done, .. } => {
            let step = format!("{step:?}").to_lowercase();
            if *done { format!("ticked {step}") } else { format!("unticked {step}") }
        }
        Edit::Batch { edits } => match edits.as_slice() {
            [one] => words(one),
            [first, ..] => format!("{}, and {} more", words(first), edits.len() - 1),
            [] => "nothing".to_owned(),
        },
    }
}
