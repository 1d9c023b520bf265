//! The command line: `demo` (the default), `serve`, and commands that compute without a screen.
#![expect(clippy::print_stdout, reason = "a command line answers on its standard output")]

mod advise;
mod calculate;
mod day;
mod prove;

use std::collections::BTreeMap;
use std::io::Write;
use std::net::{IpAddr, Ipv4Addr, TcpListener};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use actix_web::web::Data;
use clap::{Parser, Subcommand};
use dot_reach_core::propagation::Model;
use dot_reach_core::record::Record;
use dot_reach_core::site::Site;
use dot_reach_formats::job_file;
use dot_reach_standin::houses;
use dot_reach_store::{Image, Store, backup, read_copy};
use dot_reach_web::{App, Settings, now, serve};
use tracing_subscriber::layer::SubscriberExt;
use tracing_subscriber::util::SubscriberInitExt;

type Failure = Box<dyn std::error::Error>;

/// Plan where the hub stands and what repeats; know hops, range and margin; prove them after.
#[derive(Parser)]
#[command(version, args_conflicts_with_subcommands = true)]
struct Arguments {
    #[command(subcommand)]
    command: Option<Verb>,
    #[command(flatten)]
    serving: Serving,
}

#[derive(Subcommand)]
enum Verb {
    /// A fresh copy of the demo jobs on 127.0.0.1; nothing is kept. This is the default.
    Demo {
        #[command(flatten)]
        serving: Serving,
    },
    /// Your own jobs, kept in a file.
    Serve {
        /// The database file; made if it is not there.
        #[arg(long)]
        db: PathBuf,
        #[command(flatten)]
        serving: Serving,
    },
    /// Routes, margins and verdicts of a job file.
    Analyse {
        /// The job file.
        file: PathBuf,
        /// As JSON, with every link and its terms.
        #[arg(long)]
        json: bool,
    },
    /// What fits where, and what could: every point of a job file with the reasons.
    Fit {
        /// The job file.
        file: PathBuf,
        /// As JSON, with every candidate.
        #[arg(long)]
        json: bool,
    },
    /// The least that is enough, of an abstract problem: one hub site and the cheapest repeaters with which
    /// every device is reached.
    Place {
        /// The problem as JSON; docs/ANALYSE.md says how.
        file: PathBuf,
        /// How long to look at the most; what is best by then is told with what is left open.
        #[arg(long, default_value_t = 60.0)]
        seconds: f64,
        /// As JSON.
        #[arg(long)]
        json: bool,
    },
    /// Where the hub of a network stands and the fewest repeaters, of a job file, with the reasons.
    Advise {
        /// The job file.
        file: PathBuf,
        /// The network, by its id or its name.
        #[arg(long)]
        network: String,
        /// Devices marked critical get two routes that share no device.
        #[arg(long)]
        disjoint: bool,
        /// As JSON.
        #[arg(long)]
        json: bool,
    },
    /// Loss of the bare slab of a construction, by Rec. ITU-R P.2040.
    Loss {
        /// Layers from face to face, such as plasterboard:12.5,air:75,plasterboard:12.5 (mm).
        #[arg(long)]
        layers: String,
        /// Frequency in MHz.
        #[arg(long)]
        mhz: f64,
        /// Angle of incidence in degrees; 0 is straight through.
        #[arg(long, default_value_t = 0.0)]
        angle: f64,
        /// As JSON.
        #[arg(long)]
        json: bool,
    },
    /// Path loss between two devices or two points of a job, with the radios left out.
    Path {
        /// The job file.
        file: PathBuf,
        /// A device's id, or x,y,z in metres: right, down, above the lowest floor.
        #[arg(long, allow_hyphen_values = true)]
        from: String,
        /// The other end.
        #[arg(long, allow_hyphen_values = true)]
        to: String,
        /// Frequency in MHz.
        #[arg(long)]
        mhz: f64,
        /// Clutter allowances.
        #[arg(long, default_value = "on")]
        clutter: Part,
        /// The way around by leaks.
        #[arg(long, default_value = "on")]
        leak: Part,
        /// Ways that bend around jambs.
        #[arg(long, default_value = "on")]
        doorways: Part,
        /// Ways that bounce.
        #[arg(long, default_value = "on")]
        reflections: Part,
        /// As JSON.
        #[arg(long)]
        json: bool,
    },
    /// What the readings of a job say: against the plan, what they teach, what differs and why, what helps, what
    /// to read next.
    Prove {
        /// The job file.
        file: PathBuf,
        /// Readings that are left out of what is learned, by their ids, commas between.
        #[arg(long, value_delimiter = ',')]
        leave_out: Vec<String>,
        /// As JSON.
        #[arg(long)]
        json: bool,
    },
    /// What path gains that were read teach about the house of a job, radios left out, and what is then to be
    /// expected elsewhere; docs/ANALYSE.md says how.
    Calibrate {
        /// The job file.
        file: PathBuf,
        /// CSV: `from,to,mhz,path_gain_db`; an end is a device's id or a quoted x,y,z. No line gives the plan.
        #[arg(long)]
        readings: PathBuf,
        /// CSV: from,to,mhz.
        #[arg(long)]
        predict: PathBuf,
        /// As JSON.
        #[arg(long)]
        json: bool,
    },
    /// What becomes of a frame beside a source that sends some of the time.
    Deliver {
        /// oqpsk, fsk, gfsk or wifi.
        #[arg(long)]
        modulation: String,
        /// Length of the frame.
        #[arg(long, default_value_t = 20)]
        bytes: u32,
        /// Signal to noise ratio in dB; for fsk and gfsk Eb/N0.
        #[arg(long, allow_hyphen_values = true)]
        snr_db: f64,
        /// Signal to interference and noise ratio in dB while the source sends.
        #[arg(long, allow_hyphen_values = true)]
        sinr_db: f64,
        /// The share of time that the source sends, 0 to 1.
        #[arg(long)]
        busy: f64,
        /// How long it sends at a time, in milliseconds.
        #[arg(long, default_value_t = 1.2)]
        on_ms: f64,
        /// How often the frame is sent at most.
        #[arg(long, default_value_t = 4)]
        tries: i32,
        /// As JSON.
        #[arg(long)]
        json: bool,
    },
    /// Bit and frame error rates of a modulation.
    Per {
        /// oqpsk, fsk, gfsk or wifi.
        #[arg(long)]
        modulation: String,
        /// Signal to interference and noise ratio in dB; for fsk and gfsk Eb/N0.
        #[arg(long, allow_hyphen_values = true)]
        sinr_db: f64,
        /// Length of the frame.
        #[arg(long, default_value_t = 20)]
        bytes: u32,
        /// As JSON.
        #[arg(long)]
        json: bool,
    },
    /// Puts a job file into a database.
    Import {
        /// The database file.
        #[arg(long)]
        db: PathBuf,
        /// The job file.
        file: PathBuf,
    },
    /// Writes a job of a database as a job file on the standard output.
    Export {
        /// The database file.
        #[arg(long)]
        db: PathBuf,
        /// The job, as it stands in its address.
        job: String,
    },
    /// Writes a copy of a database while it is in use.
    Backup {
        /// The database file.
        #[arg(long)]
        db: PathBuf,
        /// The copy.
        to: PathBuf,
    },
    /// Reads all of a database, and holds journal, tables and record against each other.
    Check {
        /// The database file.
        db: PathBuf,
    },
    /// Writes a demo job as a job file on the standard output.
    Standin {
        /// larkfield-mill, quay-court, tern-row, practice-flat or practice-mill.
        #[arg(default_value = "larkfield-mill")]
        house: String,
    },
    /// The visits of a job file: what goes off when and why, who comes, what is on no visit.
    Visits {
        /// The job file.
        file: PathBuf,
        /// As JSON.
        #[arg(long)]
        json: bool,
    },
    /// What becomes of every conductor: the connection plan of each box of a job file, tried for every position of every
    /// switch, and what is open.
    Wiring {
        /// The job file.
        file: PathBuf,
        /// As JSON.
        #[arg(long)]
        json: bool,
    },
    /// Reads a join code and holds it against its check digits.
    Code {
        /// What stands on the label, or what a QR holds.
        text: String,
        /// The system that the device is of, such as zwave.
        #[arg(long)]
        system: Option<String>,
        /// As JSON.
        #[arg(long)]
        json: bool,
    },
    /// A hub that is not there: answers over the open contract of docs/COLLECTOR.md as the hubs of a house
    /// would, on 127.0.0.1.
    Hub {
        /// larkfield-mill, quay-court, tern-row, or a job file.
        #[arg(default_value = "larkfield-mill")]
        house: String,
        /// The port; 0 takes any that is free.
        #[arg(long, default_value_t = 8931)]
        port: u16,
        /// How many times as fast as in truth interviews go.
        #[arg(long, default_value_t = 1.0)]
        speed: f64,
    },
    /// Writes the JSON Schema of the job file on the standard output.
    Schema,
}

/// How to serve; each may be set by flag or in the environment.
#[derive(clap::Args)]
struct Serving {
    /// The port; 0 takes any that is free.
    #[arg(long, env = "DOT_REACH_PORT", default_value_t = 4517)]
    port: u16,
    /// The address to listen on.
    #[arg(long, env = "DOT_REACH_ADDRESS", default_value_t = IpAddr::V4(Ipv4Addr::LOCALHOST))]
    address: IpAddr,
    /// Names by which it may be asked for, beside this machine's own, as a browser sends them:
    /// reach.example:4517. Commas between them.
    #[arg(long, env = "DOT_REACH_HOSTS", value_delimiter = ',')]
    hosts: Vec<String>,
    /// Collectors that may be asked beside those on this machine, each `host:port`. Commas between them.
    #[arg(long, env = "DOT_REACH_COLLECTORS", value_delimiter = ',')]
    collectors: Vec<String>,
    /// Threads that answer requests.
    #[arg(long, env = "DOT_REACH_WORKERS", default_value_t = 2)]
    workers: usize,
    /// The largest edit in kB.
    #[arg(long, env = "DOT_REACH_MOST_EDIT_KB", default_value_t = 4096)]
    most_edit_kb: usize,
    /// How much may be kept of what was computed, in MB.
    #[arg(long, env = "DOT_REACH_CACHE_MB", default_value_t = 192)]
    cache_mb: usize,
    /// What is logged: error, warn, info, debug, or by module as in `warn,dot_reach_web=debug`.
    #[arg(long, env = "DOT_REACH_LOG", default_value = "warn")]
    log: String,
}

/// Whether a part of the model is in force.
#[derive(Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
enum Part {
    On,
    Off,
}

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
        Verb::Demo { serving } => host(demo_store()?, serving),
        Verb::Serve { db, serving } => host(Store::open(&db)?, serving),
        Verb::Place { file, seconds, json } => advise::place(&file, seconds, json),
        Verb::Advise { file, network, disjoint, json } => {
            advise::network(read(&file)?.site, &network, disjoint, json)
        }
        Verb::Fit { file, json } => calculate::fit(&read(&file)?.site, json),
        Verb::Analyse { file, json } => calculate::analyse(&read(&file)?.site, json),
        Verb::Loss { layers, mhz, angle, json } => calculate::loss(&layers, mhz, angle, json),
        Verb::Path { file, from, to, mhz, clutter, leak, doorways, reflections, json } => {
            let model = Model {
                clutter: clutter == Part::On,
                leak: Model::default().leak.filter(|_| leak == Part::On),
                doorways: doorways == Part::On,
                reflections: reflections == Part::On,
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
        Verb::Code { text, system, json } => day::code(&text, system.as_deref(), json),
        Verb::Hub { house, port, speed } => day::hub(&house, port, speed),
        Verb::Import { db, file } => import(&db, &file),
        Verb::Export { db, job } => export(&db, &job),
        Verb::Backup { db, to } => Ok(backup(&db, &to)?),
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

fn host(store: Store, serving: Serving) -> Result<(), Failure> {
    let filter: tracing_subscriber::filter::Targets = serving.log.parse()?;
    let lines = tracing_subscriber::fmt::layer().with_writer(std::io::stderr);
    tracing_subscriber::registry().with(lines).with(filter).init();
    if !serving.address.is_loopback() {
        return Err("nobody signs in here yet, so it listens on this machine only (127.0.0.1 or ::1); for others put \
                    a proxy in front that asks who they are, and name it with --hosts"
            .into());
    }
    let listener = match TcpListener::bind((serving.address, serving.port)) {
        Ok(listener) => listener,
        // Someone uses that port already: any free one will do.
        Err(_) => TcpListener::bind((serving.address, 0))?,
    };
    println!("Dot Reach is ready at http://{}", listener.local_addr()?);
    let settings = Settings {
        workers: serving.workers.max(1),
        most_body: serving.most_edit_kb * 1024,
        cache_bytes: serving.cache_mb * 1024 * 1024,
        hosts: serving.hosts,
        collectors: serving.collectors,
    };
    let app = Data::new(App::new(store, settings));
    let kept = app.clone();
    let system = actix_web::rt::System::new();
    system.block_on(async move { serve(listener, app)?.await })?;
    kept.close();
    // Work that nobody waits for any longer goes on in its thread: it does not hold up the end.
    std::process::exit(0)
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
