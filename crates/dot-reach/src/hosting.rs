//! Serving: one file for whoever sits at this machine, or the firms of a folder for those who sign in; and what whoever runs
//! the server does with firms.

use std::net::{SocketAddr, TcpListener};
use std::path::{Path, PathBuf};
use std::time::Duration;

use actix_web::dev::ServerHandle;
use actix_web::rt::signal;
use actix_web::web::Data;
use dot_reach_accounts::{AccountError, Accounts, FirmId, FirmRole, Token};
use dot_reach_store::{Backups, Store};
use dot_reach_web::{Server, Settings, file_of, now, serve, tls};
use jiff::Timestamp;
use opentelemetry_sdk::trace::SdkTracerProvider;
use rustls::ServerConfig;
use tracing_subscriber::layer::SubscriberExt;
use tracing_subscriber::util::SubscriberInitExt;

use crate::arguments::{FirmsVerb, KeptCopies, Serving};
use crate::lease::Lease;
use crate::{Failure, traces};

/// How often files that nobody asks for are looked for.
const TIDY_EVERY: Duration = Duration::from_mins(1);

impl KeptCopies {
    /// Of one file.
    pub(crate) fn of_file(self, of: PathBuf) -> Option<CopyClock> {
        let Self { backups, backup_hours: hours, backup_keep: keep } = self;
        let kept = Backups { of, folder: backups?, keep };
        Some(CopyClock {
            hours,
            copy: Box::new(move || kept.one_more(&now()).map(|_| ()).map_err(Into::into)),
        })
    }

    /// Of all firms of a folder and of their accounts.
    fn of_folder(self, data: &Path) -> Option<CopyClock> {
        let Self { backups, backup_hours: hours, backup_keep: keep } = self;
        let (folder, data) = (backups?, data.to_owned());
        let copy = move || {
            let at = now();
            let kept = |of: PathBuf| Backups { of, folder: folder.clone(), keep };
            let accounts = Accounts::open_beside(&accounts_of(&data))?;
            kept(accounts_of(&data)).one_more_by::<AccountError>(&at, |to| accounts.copy_to(to))?;
            let mut failed = Vec::new();
            for firm in accounts.firms()? {
                let of = file_of(&data, &firm.id);
                // A firm that nobody has come to yet has no file.
                if of.is_file()
                    && let Err(why) = kept(of).one_more(&at)
                {
                    failed.push(format!("{}: {why}", firm.id));
                }
            }
            if failed.is_empty() { Ok(()) } else { Err(failed.join("; ").into()) }
        };
        Some(CopyClock { hours, copy: Box::new(copy) })
    }
}

/// Something that is done by the clock.
pub(crate) struct CopyClock {
    hours: f64,
    copy: Box<dyn Fn() -> Result<(), Failure> + Send>,
}

impl CopyClock {
    /// Does it for as long as the program runs, the first time at once; what fails is told in the log and tried again at the
    /// next.
    fn start(self) -> Result<(), Failure> {
        // Less than a minute is a slip; a year is never.
        let every = Duration::try_from_secs_f64(self.hours.clamp(1.0 / 60.0, 8760.0) * 3600.0)?;
        std::thread::Builder::new().name("backups".to_owned()).spawn(move || {
            loop {
                match (self.copy)() {
                    Ok(()) => tracing::info!("copies were made and read"),
                    Err(error) => tracing::error!(%error, "not all copies were made"),
                }
                std::thread::sleep(every);
            }
        })?;
        Ok(())
    }
}

fn accounts_of(data: &Path) -> PathBuf {
    data.join("accounts.db")
}

/// One file, for whoever sits at this machine.
pub(crate) fn here(
    store: Store,
    serving: Serving,
    backups: Option<CopyClock>,
) -> Result<(), Failure> {
    if serving.listen.is_some_and(|at| !at.ip().is_loopback()) {
        return Err("nobody signs in to this, so it listens on this machine only; for others use “serve --data FOLDER”, \
                    where people sign in"
            .into());
    }
    let way = Way::of(&serving)?;
    println!("Dot Reach is ready at {}", way.address()?);
    run(Server::here(store, way.settings(serving)), way, backups)
}

/// The firms of a folder.
pub(crate) fn of_firms(data: &Path, serving: Serving, backups: KeptCopies) -> Result<(), Failure> {
    std::fs::create_dir_all(data.join("firms"))?;
    only_for_its_owner(data)?;
    let way = Way::of(&serving)?;
    // Before any file is opened: it may be another's still.
    if let Some(path) = &serving.lease {
        Lease::take(path, &serving.node)?.keep()?;
    }
    let accounts = Accounts::open(&accounts_of(data))?;
    if let Some(copies) = &serving.sync {
        second_copies(data, &accounts, copies)?;
    }
    let address = way.address()?;
    println!("Dot Reach is ready at {address}");
    if let Some(token) = accounts.first_link(Timestamp::now())? {
        println!(
            "Nobody is in yet. This link makes the first firm and its owner; it works once, within a day:\n{address}/in/{}",
            token.as_str()
        );
    }
    let clock = backups.of_folder(data);
    run(Server::of_firms(data, accounts, way.settings(serving)), way, clock)
}

/// A second copy of every firm that has none yet: nobody may come to some of them for long.
fn second_copies(data: &Path, accounts: &Accounts, copies: &Path) -> Result<(), Failure> {
    for firm in accounts.firms()? {
        let file = file_of(data, &firm.id);
        let has_one = file.file_name().is_some_and(|name| copies.join(name).exists());
        if file.exists() && !has_one {
            Store::open_with_copy(&file, copies)?.close();
        }
    }
    Ok(())
}

/// Nobody else on this machine reads along.
fn only_for_its_owner(folder: &Path) -> Result<(), Failure> {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        std::fs::set_permissions(folder, std::fs::Permissions::from_mode(0o700))?;
    }
    Ok(())
}

/// How people come to the server.
struct Way {
    listener: TcpListener,
    tls: Option<ServerConfig>,
    drain: Duration,
    /// What is to be sent still when it ends.
    traces: Option<SdkTracerProvider>,
}

impl Way {
    fn of(serving: &Serving) -> Result<Self, Failure> {
        let filter: tracing_subscriber::filter::Targets = serving.log.parse()?;
        let lines = tracing_subscriber::fmt::layer().with_writer(std::io::stderr);
        let (tracer, provider) = serving.traces.as_deref().map(traces::to).transpose()?.unzip();
        let spans = tracer.map(|tracer| tracing_opentelemetry::layer().with_tracer(tracer));
        tracing_subscriber::registry().with(spans).with(lines).with(filter).init();
        let tls = match (&serving.tls_cert, &serving.tls_key) {
            (Some(chain), Some(key)) => Some(tls::from_files(chain, key)?),
            _ => None,
        };
        let here = |port| TcpListener::bind(SocketAddr::from(([127, 0, 0, 1], port)));
        let listener = if let Some(at) = serving.listen {
            TcpListener::bind(at)?
        } else {
            // Someone uses that port already: any free one will do.
            here(serving.port).or_else(|_| here(0))?
        };
        let is_far = !listener.local_addr()?.ip().is_loopback();
        if is_far && tls.is_none() && serving.behind.is_empty() {
            if !serving.plain_to_all {
                return Err("without TLS it listens on this machine only: give --tls-cert and --tls-key, or name the proxy \
                            in front at which TLS ends with --behind; --plain-to-all serves without, to whoever reads along"
                    .into());
            }
            tracing::warn!(
                "serving without TLS to other machines: passwords and jobs can be read on the way"
            );
        }
        let drain = Duration::from_secs(serving.drain_seconds);
        Ok(Self { listener, tls, drain, traces: provider })
    }

    fn address(&self) -> Result<String, Failure> {
        let scheme = if self.tls.is_some() { "https" } else { "http" };
        Ok(format!("{scheme}://{}", self.listener.local_addr()?))
    }

    fn settings(&self, serving: Serving) -> Settings {
        let is_behind = !serving.behind.is_empty();
        Settings {
            workers: serving.workers.max(1),
            most_body: serving.most_edit_kb * 1024,
            cache_bytes: serving.cache_mb * 1024 * 1024,
            hosts: serving.hosts,
            collectors: serving.collectors,
            most_open: serving.most_open.max(1),
            sync: serving.sync,
            is_secure: self.tls.is_some() || is_behind,
            proxies: serving.behind,
            is_behind,
        }
    }
}

/// Ends it on SIGTERM and on Ctrl-C, after a time in which `readyz` says that it ends and who comes is still answered: a proxy
/// in front sends them elsewhere meanwhile.
async fn end_after(drain: Duration, server: Data<Server>, handle: ServerHandle) {
    let mut ended = match signal::unix::signal(signal::unix::SignalKind::terminate()) {
        Ok(ended) => ended,
        Err(error) => return tracing::error!(%error, "signals cannot be heard"),
    };
    let _either =
        futures_util::future::select(Box::pin(ended.recv()), Box::pin(signal::ctrl_c())).await;
    server.leave();
    actix_web::rt::time::sleep(drain).await;
    handle.stop(true).await;
}

fn run(server: Server, way: Way, backups: Option<CopyClock>) -> Result<(), Failure> {
    if let Some(clock) = backups {
        clock.start()?;
    }
    let server = Data::new(server);
    let (kept, idle) = (server.clone(), server.clone());
    std::thread::Builder::new().name("tidy".to_owned()).spawn(move || {
        loop {
            std::thread::sleep(TIDY_EVERY);
            idle.tidy();
        }
    })?;
    let system = actix_web::rt::System::new();
    system.block_on(async move {
        let http = serve(way.listener, server.clone(), way.tls, way.drain.is_zero())?;
        if !way.drain.is_zero() {
            actix_web::rt::spawn(end_after(way.drain, server, http.handle()));
        }
        http.await
    })?;
    kept.close();
    if let Some(traces) = way.traces {
        // A collector that is gone holds nothing up.
        drop(traces.shutdown());
    }
    // Work that nobody waits for any longer goes on in its thread: it does not hold up the end.
    std::process::exit(0)
}

/// What whoever runs the server does with firms.
pub(crate) fn firms(data: &Path, act: FirmsVerb) -> Result<(), Failure> {
    std::fs::create_dir_all(data.join("firms"))?;
    let accounts = Accounts::open_beside(&accounts_of(data))?;
    let at = Timestamp::now();
    let link = |token: &Token, good: &str| println!("/in/{}\n{good}", token.as_str());
    match act {
        FirmsVerb::List => {
            for firm in accounts.firms()? {
                println!("{}\t{}", firm.id, firm.name);
            }
        }
        FirmsVerb::Add { name } => {
            let firm = accounts.make_firm(&name, at)?;
            let token = accounts.invite(&firm.id, FirmRole::Owner, "", at)?;
            link(
                &token,
                "makes the owner: put the address of the server before it; it works once, within 7 days",
            );
        }
        FirmsVerb::Reset { firm, login } => {
            let firm: FirmId = firm.parse()?;
            let person = accounts.by_login(&firm, &login)?;
            let token = accounts.reset(&firm, &person.id, at)?;
            link(
                &token,
                "leads to a new password: put the address of the server before it; it works once, within a day",
            );
        }
        FirmsVerb::Delete { firm, really, sync } => {
            if firm != really {
                return Err("say its word again with --really: it cannot be undone".into());
            }
            let firm: FirmId = firm.parse()?;
            let file = file_of(data, &firm);
            let _nobody_else = dot_reach_store::lock(&file)?;
            accounts.delete_firm(&firm)?;
            let second = sync.as_deref().and_then(|folder| Some(folder.join(file.file_name()?)));
            for file in std::iter::once(file).chain(second) {
                for end in ["", "-wal", "-shm", ".lock"] {
                    let mut name = file.clone().into_os_string();
                    name.push(end);
                    match std::fs::remove_file(&name) {
                        Err(e) if e.kind() != std::io::ErrorKind::NotFound => return Err(e.into()),
                        _ => {}
                    }
                }
            }
            println!("{firm} is deleted; its copies in the folder of backups are yours to delete");
        }
    }
    Ok(())
}
