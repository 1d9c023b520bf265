//! The command line: `demo` (the default), `serve`, and commands that compute without a screen.
#![expect(clippy::print_stdout, reason = "a command line answers on its standard output")]

mod advise;
mod arguments;
mod calculate;
mod day;
mod hosting;
mod lease;
mod prove;
mod rules;
mod traces;

use std::collections::BTreeMap;
use std::io::Write;
use std::path::Path;
use std::process::ExitCode;

use arguments::{Arguments, ModelPart, Verb};
use clap::Parser;
use dot_reach_core::propagation::Model;
use dot_reach_core::record::Record;
use dot_reach_core::site::Site;
use dot_reach_formats::job_file;
use dot_reach_standin::houses;
use dot_reach_store::{Image, Store, backup, read_copy, rehearse, restore};
use dot_reach_web::now;

type Failure = Box<dyn std::error::Error>;

fn main() -> ExitCode {
    end_quietly_where_nobody_reads_on();
    let arguments = Arguments::parse();
    let verb = arguments.command.unwrap_or(Verb::Demo { serving: arguments.serving });
    match run(verb) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) if is_unread(error.downcast_ref()) => ExitCode::SUCCESS,
        Err(error) => {
            complain(&error.to_string());
            ExitCode::FAILURE
        }
    }
}

/// Whether whoever read what is printed has gone, such as `| head`: that is no failure.
fn is_unread(error: Option<&std::io::Error>) -> bool {
    error.is_some_and(|e| e.kind() == std::io::ErrorKind::BrokenPipe)
}

/// `println!` panics where nobody reads on.
fn end_quietly_where_nobody_reads_on() {
    let usual = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |panic| {
        let text = panic.payload().downcast_ref::<String>().map_or("", String::as_str);
        if text.starts_with("failed printing to stdout") && text.contains("Broken pipe") {
            std::process::exit(0);
        }
        usual(panic);
    }));
}

#[expect(clippy::print_stderr, reason = "a command line complains on its standard error")]
fn complain(text: &str) {
    eprintln!("dot-reach: {text}");
}

fn run(verb: Verb) -> Result<(), Failure> {
    match verb {
        Verb::Demo { serving } => hosting::here(demo_store()?, serving, None),
        Verb::Serve { db: Some(db), backups, serving, .. } => {
            let store = Store::open(&db)?;
            hosting::here(store, serving, backups.of_file(db))
        }
        Verb::Serve { data, backups, serving, .. } => {
            hosting::of_firms(&data.unwrap_or_default(), serving, backups)
        }
        Verb::Firms { data, act } => hosting::firms(&data, act),
        Verb::Place { file, seconds, json } => advise::place(&file, seconds, json),
        Verb::Advise { file, network, disjoint, json } => {
            advise::network(read(&file)?.site, &network, disjoint, json)
        }
        Verb::Fit { file, json } => calculate::fit(&read(&file)?.site, json),
        Verb::Analyse { file, json } => calculate::analyse(&read(&file)?.site, json),
        Verb::Loss { layers, mhz, angle, json } => calculate::loss(&layers, mhz, angle, json),
        Verb::Path { file, from, to, mhz, clutter, leak, doorways, reflections, json } => {
            let model = Model {
                clutter: clutter == ModelPart::On,
                leak: Model::default().leak.filter(|_| leak == ModelPart::On),
                doorways: doorways == ModelPart::On,
                reflections: reflections == ModelPart::On,
                ..Model::default()
            };
            calculate::path(&read(&file)?.site, [&from, &to], mhz, model, json)
        }
        Verb::Prove { file, leave_out, json } => {
            let job = read(&file)?;
            prove::prove(job.site, &job.record, &leave_out, json)
        }
        Verb::Calibrate { file, readings, predict, json } => {
            prove::calibrate(&read(&file)?.site, &readings, &predict, json)
        }
        Verb::Deliver { modulation, bytes, snr_db, sinr_db, busy, on_ms, tries, json } => {
            let source = (busy, on_ms);
            calculate::deliver(&modulation, bytes, (snr_db, sinr_db), source, tries, json)
        }
        Verb::Per { modulation, sinr_db, bytes, json } => {
            calculate::per(&modulation, sinr_db, bytes, json)
        }
        Verb::Visits { file, json } => {
            let job = read(&file)?;
            day::visits(job.site, &job.record, json)
        }
        Verb::Wiring { file, json } => day::wires(&read(&file)?.site, json),
        Verb::Controls { file, json } => rules::controls(read(&file)?.site, json),
        Verb::Schedule { file, from, days, json } => {
            rules::schedule(&read(&file)?.site, &from, days, json)
        }
        Verb::Code { text, system, json } => day::code(&text, system.as_deref(), json),
        Verb::Hub { house, port, speed } => day::hub(&house, port, speed),
        Verb::Import { db, file } => import(&db, &file),
        Verb::Export { db, job } => export(&db, &job),
        Verb::Backup { db, to } => Ok(backup(&db, &to)?),
        Verb::Restore { db, from, rehearse: is_tried } => bring_back(&db, &from, is_tried),
        Verb::Check { db } => check(&db),
        Verb::Standin { house } => match houses::named(&house) {
            Some(folder) => print_job(None, &folder.site, &folder.record, &BTreeMap::new()),
            None => Err(format!(
                "there is no demo house {house}; there are: {}",
                [&houses::NAMES[..], &houses::PRACTICE[..]].concat().join(", ")
            )
            .into()),
        },
        Verb::Schema => {
            println!("{}", serde_json::to_string_pretty(&job_file::schema())?);
            Ok(())
        }
    }
}

/// A job file; what could not be taken of it is complained about.
fn read(file: &Path) -> Result<job_file::ReadJob, Failure> {
    let bytes = std::fs::read(file).map_err(|e| format!("{}: {e}", file.display()))?;
    let read = job_file::read(&bytes).map_err(|e| format!("{}: {e}", file.display()))?;
    for finding in &read.findings {
        complain(&format!("left out {}: {}", finding.place, finding.reason));
    }
    Ok(read.value)
}

fn demo_store() -> Result<Store, Failure> {
    let store = Store::fleeting()?;
    let names = houses::NAMES.iter().chain(&houses::PRACTICE);
    for (day, name) in names.rev().enumerate() {
        let Some(folder) = houses::named(name) else { continue };
        let at = format!("2026-03-{:02}T17:00:00Z", 10 + day);
        store.create_told(&folder.site, &folder.record, None, &at)?;
    }
    Ok(store)
}

fn import(db: &Path, file: &Path) -> Result<(), Failure> {
    let store = Store::open(db)?;
    let job = read(file)?;
    for image in job.images.into_values() {
        store.keep_image(&Image {
            media_type: image.media_type.to_owned(),
            width_px: image.width_px,
            height_px: image.height_px,
            bytes: image.bytes,
        })?;
    }
    let id = store.create_told(&job.site, &job.record, job.id.as_deref(), &now())?;
    println!("{id}");
    Ok(())
}

fn export(db: &Path, job: &str) -> Result<(), Failure> {
    let store = read_copy(db)?;
    let id = job.parse()?;
    let open = store.open_job(&id)?;
    let mut images = BTreeMap::new();
    for sha in job_file::images_named(&open.site, &open.record) {
        if let Some(image) = store.image(sha)? {
            images.insert(sha.clone(), image.bytes);
        }
    }
    print_job(Some(&store.uid(&id)?), &open.site, &open.record, &images)
}

fn print_job(
    id: Option<&str>,
    site: &Site,
    record: &Record,
    images: &BTreeMap<String, Vec<u8>>,
) -> Result<(), Failure> {
    let mut out = std::io::stdout().lock();
    out.write_all(&job_file::write(id, site, record, images)?)?;
    writeln!(out)?;
    Ok(())
}

/// Puts a backup in the place of a database, or only reads it and says what it holds.
fn bring_back(db: &Path, from: &Path, is_tried: bool) -> Result<(), Failure> {
    if is_tried {
        let jobs = rehearse(from)?;
        let count =
            if jobs.len() == 1 { "1 job".to_owned() } else { format!("{} jobs", jobs.len()) };
        println!("{} can be brought back to {}: {count}", from.display(), db.display());
        for name in &jobs {
            println!("  {name}");
        }
        return Ok(());
    }
    let there = restore(from, db)?;
    let kept = there.map(|kept| format!("; what was there is kept as {}", kept.display()));
    println!("{} is back{}", db.display(), kept.unwrap_or_default());
    Ok(())
}

/// Reads all of a database, and holds journal, tables and record against each other.
fn check(db: &Path) -> Result<(), Failure> {
    let found = dot_reach_store::check(db)?;
    if found.is_empty() {
        println!("nothing is wrong with {}", db.display());
        return Ok(());
    }
    for line in &found {
        println!("{line}");
    }
    Err(format!("{} things are wrong with {}", found.len(), db.display()).into())
}
