//! What the command line is asked with: each verb with its own words.

use std::net::{IpAddr, SocketAddr};
use std::path::PathBuf;

use clap::{Parser, Subcommand};

/// Plan where the hub stands and what repeats; know hops, range and margin; prove them after.
#[derive(Parser)]
#[command(version, args_conflicts_with_subcommands = true)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    pub(crate) command: Option<Verb>,
    #[command(flatten)]
    pub(crate) serving: Serving,
}

#[derive(Subcommand)]
pub(crate) enum Verb {
    /// A fresh copy of the demo jobs on 127.0.0.1; nothing is kept. This is the default.
    Demo {
        #[command(flatten)]
        serving: Serving,
    },
    /// Your own jobs: in one file that whoever sits at this machine has, or the firms of a folder, whose people sign in.
    #[command(group = clap::ArgGroup::new("what").required(true).args(["db", "data"]))]
    Serve {
        /// The database file; made if it is not there. Nobody signs in.
        #[arg(long)]
        db: Option<PathBuf>,
        /// The folder of the firms; made if it is not there. The first start prints the link that makes the first owner.
        #[arg(long, env = "DOT_REACH_DATA")]
        data: Option<PathBuf>,
        #[command(flatten)]
        backups: KeptCopies,
        #[command(flatten)]
        serving: Serving,
    },
    /// The firms of a folder, for whoever runs the server; also while it is in use.
    Firms {
        /// The folder.
        #[arg(long, env = "DOT_REACH_DATA")]
        data: PathBuf,
        #[command(subcommand)]
        act: FirmsVerb,
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
        clutter: ModelPart,
        /// The way around by leaks.
        #[arg(long, default_value = "on")]
        leak: ModelPart,
        /// Ways that bend around jambs.
        #[arg(long, default_value = "on")]
        doorways: ModelPart,
        /// Ways that bounce.
        #[arg(long, default_value = "on")]
        reflections: ModelPart,
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
    /// Puts a backup in the place of a database that no server has open; what was there is kept beside it.
    Restore {
        /// The database file.
        #[arg(long)]
        db: PathBuf,
        /// The backup.
        from: PathBuf,
        /// Reads all of the backup and says what it holds; nothing is put anywhere.
        #[arg(long)]
        rehearse: bool,
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
    /// Who works what: each control with its delay, success and what is left of it in an outage; scenes, names that are
    /// taken for each other, and what answers to the phrases of the household.
    Controls {
        /// The job file.
        file: PathBuf,
        /// As JSON.
        #[arg(long)]
        json: bool,
    },
    /// What the rules of a job do by clock and sun, with what does not make sense.
    Schedule {
        /// The job file.
        file: PathBuf,
        /// The first day, such as 2026-12-01.
        #[arg(long)]
        from: String,
        /// How many days.
        #[arg(long, default_value_t = 365)]
        days: u16,
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

/// What is done with the firms of a folder.
#[derive(Subcommand)]
pub(crate) enum FirmsVerb {
    /// Each firm by its word and its name.
    List,
    /// Makes a firm, and prints the link that makes its owner.
    Add {
        /// What it is called.
        name: String,
    },
    /// Prints a link by which somebody chooses a new password: for an owner who lost theirs.
    Reset {
        /// The firm, by its word.
        firm: String,
        /// By what they sign in.
        login: String,
    },
    /// Deletes a firm for good: its people, its links and its file. Stop the server first, or have nobody of it at work.
    Delete {
        /// The firm, by its word.
        firm: String,
        /// The same word again: it cannot be undone.
        #[arg(long)]
        really: String,
        /// The folder of second copies, where the server keeps them: the firm's goes too.
        #[arg(long, env = "DOT_REACH_SYNC")]
        sync: Option<PathBuf>,
    },
}

/// Copies that are made by the clock.
#[derive(clap::Args)]
pub(crate) struct KeptCopies {
    /// A folder for copies that are made by the clock, each read as it is made.
    #[arg(long, env = "DOT_REACH_BACKUPS")]
    pub(crate) backups: Option<PathBuf>,
    /// Hours from one copy to the next.
    #[arg(long, env = "DOT_REACH_BACKUP_HOURS", default_value_t = 24.0, requires = "backups")]
    pub(crate) backup_hours: f64,
    /// How many copies stay; the oldest go.
    #[arg(long, env = "DOT_REACH_BACKUP_KEEP", default_value_t = 14, requires = "backups")]
    pub(crate) backup_keep: usize,
}

/// How to serve; each may be set by flag or in the environment.
#[derive(clap::Args)]
pub(crate) struct Serving {
    /// The port; 0 takes any that is free.
    #[arg(long, env = "DOT_REACH_PORT", default_value_t = 4517)]
    pub(crate) port: u16,
    /// Address and port to listen on, such as 0.0.0.0:443; in place of `--port`, which listens on this machine alone.
    #[arg(long, env = "DOT_REACH_LISTEN", conflicts_with = "port")]
    pub(crate) listen: Option<SocketAddr>,
    /// The certificate with its chain, PEM; read anew when the file changes.
    #[arg(long, env = "DOT_REACH_TLS_CERT", requires = "tls_key")]
    pub(crate) tls_cert: Option<PathBuf>,
    /// The key of the certificate, PEM.
    #[arg(long, env = "DOT_REACH_TLS_KEY", requires = "tls_cert")]
    pub(crate) tls_key: Option<PathBuf>,
    /// Proxies in front, by their addresses, at which TLS ends; nobody else is answered. Commas between them.
    #[arg(long, env = "DOT_REACH_BEHIND", value_delimiter = ',', conflicts_with = "tls_cert")]
    pub(crate) behind: Vec<IpAddr>,
    /// Without TLS also to other machines: whoever is on the way reads along.
    #[arg(long)]
    pub(crate) plain_to_all: bool,
    /// A file that all machines see which could serve this folder: only whoever holds the lease in it serves.
    #[arg(long, env = "DOT_REACH_LEASE")]
    pub(crate) lease: Option<PathBuf>,
    /// By what name this node holds the lease.
    #[arg(long, env = "DOT_REACH_NODE", default_value = "one", requires = "lease")]
    pub(crate) node: String,
    /// How long it goes on answering after SIGTERM, while `/readyz` says that it ends.
    #[arg(long, env = "DOT_REACH_DRAIN_SECONDS", default_value_t = 0)]
    pub(crate) drain_seconds: u64,
    /// A folder, such as one that another machine sees, in which a second copy of each firm is kept: nothing is acknowledged
    /// that is not there too.
    #[arg(long, env = "DOT_REACH_SYNC")]
    pub(crate) sync: Option<PathBuf>,
    /// A collector of traces by OpenTelemetry (OTLP over HTTP), by scheme, host and port.
    #[arg(long, env = "DOT_REACH_TRACES")]
    pub(crate) traces: Option<String>,
    /// How many firms are open at a time.
    #[arg(long, env = "DOT_REACH_MOST_OPEN", default_value_t = 50)]
    pub(crate) most_open: usize,
    /// Names by which it may be asked for, beside this machine's own, as a browser sends them:
    /// reach.example:4517, or all of *.reach.example. Commas between them.
    #[arg(long, env = "DOT_REACH_HOSTS", value_delimiter = ',')]
    pub(crate) hosts: Vec<String>,
    /// Collectors that may be asked beside those on this machine, each `host:port`. Commas between them.
    #[arg(long, env = "DOT_REACH_COLLECTORS", value_delimiter = ',')]
    pub(crate) collectors: Vec<String>,
    /// Threads that answer requests.
    #[arg(long, env = "DOT_REACH_WORKERS", default_value_t = 2)]
    pub(crate) workers: usize,
    /// The largest edit in kB.
    #[arg(long, env = "DOT_REACH_MOST_EDIT_KB", default_value_t = 4096)]
    pub(crate) most_edit_kb: usize,
    /// How much may be kept of what was computed, in MB.
    #[arg(long, env = "DOT_REACH_CACHE_MB", default_value_t = 192)]
    pub(crate) cache_mb: usize,
    /// What is logged: error, warn, info, debug, or by module as in `warn,dot_reach_web=debug`.
    #[arg(long, env = "DOT_REACH_LOG", default_value = "warn")]
    pub(crate) log: String,
}

/// Whether a part of the model is in force.
#[derive(Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum ModelPart {
    On,
    Off,
}
