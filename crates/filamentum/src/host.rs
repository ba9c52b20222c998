//! Serving: the listener, the database, and a clean end.

use crate::configuration::ServeArguments;
use crate::database::Database;
use crate::demo;
use anyhow::{Context as _, bail};
use dev_database::PrivateServer;
use identity::stand_in::{StandInPerson, StandInProvider};
use instruments::simulated::Bench;
use std::io::ErrorKind;
use std::net::{Ipv4Addr, SocketAddr, TcpListener};
use std::time::Duration;
use store::Store;
use tokio::signal::unix::{Signal, SignalKind, signal};
use tracing_subscriber::EnvFilter;
use workshop::{ProviderSettings, SecretKey, Workshop};

/// Structured logs to standard error: JSON with `FILAMENTUM_LOG_JSON`, levels by `RUST_LOG`.
pub(crate) fn log() {
    let filter = EnvFilter::try_from_default_env()
        .unwrap_or_else(|_| EnvFilter::new("warn,filamentum=info,web=info,workshop=info,store=info"));
    let builder = tracing_subscriber::fmt().with_env_filter(filter).with_writer(std::io::stderr);
    if std::env::var_os("FILAMENTUM_LOG_JSON").is_some() {
        builder.json().init();
    } else {
        builder.init();
    }
}

/// What runs everything that waits.
pub(crate) fn runtime() -> std::io::Result<tokio::runtime::Runtime> {
    tokio::runtime::Builder::new_multi_thread().enable_all().build()
}

fn listen(address: SocketAddr) -> anyhow::Result<TcpListener> {
    let port = address.port();
    TcpListener::bind(address).map_err(|error| match error.kind() {
        ErrorKind::AddrInUse => {
            anyhow::anyhow!("port {port} is busy: another program, or another Filamentum, listens there. Stop it, or choose another with --port {}", port.wrapping_add(1))
        }
        ErrorKind::AddrNotAvailable => {
            anyhow::anyhow!("{} is no address of this machine: choose another with --listen", address.ip())
        }
        _ => anyhow::anyhow!("cannot listen on {address}: {error}. Choose another with --listen"),
    })
}

/// Serves the simulated bench until it is stopped.
pub(crate) async fn bench(port: u16, pace: f64) -> anyhow::Result<()> {
    let listener = listen(SocketAddr::new(Ipv4Addr::LOCALHOST.into(), port))?;
    listener.set_nonblocking(true)?;
    println!("The simulated bench listens on {}", listener.local_addr()?);
    let listener = tokio::net::TcpListener::from_std(listener)?;
    let serving = instruments::server::serve(Bench::new(SEED, pace), listener);
    tokio::select! {
        () = serving => {}
        _ = tokio::signal::ctrl_c() => {}
    }
    Ok(())
}

/// Seed of the simulated bench's dice.
const SEED: u64 = 20_261_124;
/// The demo winds and cools faster than life, so that a run can be watched to its end.
const DEMO_PACE: f64 = 12.0;
/// Winders of the demo, each with a counter of its own.
const DEMO_WINDERS: u64 = 2;

/// Starts a simulated bench for each winder on a port of its own, and moves the simulated instruments to them.
async fn bench_beside(store: &Store) -> anyhow::Result<()> {
    let mut addresses = Vec::new();
    for seed in 0..DEMO_WINDERS {
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await?;
        addresses.push(listener.local_addr()?.to_string());
        tokio::spawn(instruments::server::serve(Bench::new(SEED + seed, DEMO_PACE), listener));
    }
    store.readdress_simulated(&addresses).await?;
    println!("Simulated benches listen on {}, {DEMO_PACE} times faster than life", addresses.join(" and "));
    Ok(())
}

/// People of the stand-in provider: their names, and the group that each is in.
const PROVIDER_PEOPLE: [(&str, &str, &str); 3] =
    [("lark", "Lark Penrose", "design"), ("rafe", "Rafe Quill", "bench"), ("sable", "Sable Orne", "office")];
/// What the stand-in knows this program by, and its secret: of no worth, since it believes everybody.
const PROVIDER_CLIENT: (&str, &str) = ("filamentum", "stand-in");

fn provider_people() -> Vec<StandInPerson> {
    let person = |&(subject, name, group): &(&str, &str, &str)| StandInPerson {
        subject: subject.to_owned(),
        name: name.to_owned(),
        user_name: subject.to_owned(),
        groups: vec![group.to_owned()],
        has_second_factor: true,
    };
    PROVIDER_PEOPLE.iter().map(person).collect()
}

/// Starts a stand-in for a provider of single sign-on beside the demo: on the next port, so that it is the same one at the next start.
async fn provider_beside(demo: SocketAddr) -> anyhow::Result<ProviderSettings> {
    let next = SocketAddr::new(Ipv4Addr::LOCALHOST.into(), demo.port().wrapping_add(1));
    let listener = match tokio::net::TcpListener::bind(next).await {
        Ok(listener) => listener,
        Err(_) => tokio::net::TcpListener::bind("127.0.0.1:0").await?,
    };
    let stand_in = StandInProvider::new(listener.local_addr()?, PROVIDER_CLIENT, provider_people());
    let issuer = stand_in.issuer().to_owned();
    println!("A stand-in for single sign-on listens on {issuer}");
    tokio::spawn(stand_in.serve(listener));
    let (client_id, client_secret) = PROVIDER_CLIENT;
    Ok(ProviderSettings {
        name: "Stand-in accounts".to_owned(),
        issuer,
        client_id: client_id.to_owned(),
        client_secret: client_secret.to_owned(),
    })
}

/// Serves the stand-in provider by itself until it is stopped.
pub(crate) async fn provider(port: u16, client_secret: &str) -> anyhow::Result<()> {
    let listener = listen(SocketAddr::new(Ipv4Addr::LOCALHOST.into(), port))?;
    listener.set_nonblocking(true)?;
    let client = (PROVIDER_CLIENT.0, client_secret);
    let stand_in = StandInProvider::new(listener.local_addr()?, client, provider_people());
    println!("The stand-in provider listens on {}; it knows the client {}", stand_in.issuer(), client.0);
    let listener = tokio::net::TcpListener::from_std(listener)?;
    tokio::select! {
        () = stand_in.serve(listener) => {}
        _ = tokio::signal::ctrl_c() => {}
    }
    Ok(())
}

/// Which workshop is served.
pub(crate) enum Show {
    /// One's own.
    Own,
    /// The invented one, with a password of one's own for its owner, or the one that everybody knows.
    Demo { password: Option<String> },
}

/// Serves until Ctrl-C or SIGTERM.
pub(crate) async fn serve(arguments: &ServeArguments, show: Show) -> anyhow::Result<()> {
    let settings = arguments.settings()?;
    let (show_demo, password) = match show {
        Show::Own => (false, None),
        Show::Demo { password } => (true, password),
    };
    if show_demo && !settings.listen.ip().is_loopback() && password.is_none() {
        bail!(
            "everybody knows the demo's password: to let other machines reach it, choose one with --password"
        );
    }
    let listener = listen(settings.listen)?;
    let address = listener.local_addr()?;
    let database = Database::to_serve(&settings.database, settings.is_fresh).await?;
    let store = database.store().await?;
    let private = database.private;
    if show_demo {
        demo::clear_half_loaded(&store).await?;
    }
    if show_demo && !store.has_workshop().await? {
        println!("Loading the demo workshop …");
        Box::pin(demo::load(&store)).await.context("the demo workshop could not be loaded")?;
    }
    if let Some(password) = &password {
        demo::set_password(&store, password).await?;
    }
    if show_demo {
        bench_beside(&store).await.context("the simulated bench could not be started")?;
    }
    // Before anything is announced: whoever reads the address may stop us in the same moment.
    let ends = (signal(SignalKind::interrupt())?, signal(SignalKind::terminate())?);
    let scheme = if settings.options.certificate.is_some() { "https" } else { "http" };
    println!("\nFilamentum listens on {scheme}://{address}");
    if let Some(base) = &settings.options.base_url {
        println!("People reach it at {}", base.text());
    }
    if !address.ip().is_loopback() && scheme == "http" {
        println!(
            "Without TLS whoever is in between reads passwords: give --certificate and --key, or put a proxy with TLS in front."
        );
    }
    if show_demo {
        let password =
            password.as_ref().map_or(format!("“{}”", demo::PASSWORD), |_| "that you chose".to_owned());
        println!("Sign in as “{}” with the password {password}", demo::SIGN_IN);
    }
    let key = SecretKey::at(&settings.secret_key)
        .with_context(|| format!("the key {} cannot be used", settings.secret_key.display()))?;
    let mut workshop =
        Workshop::new(store.clone()).with_backups(settings.backups).with_secret_key(key).await?;
    let provider = match settings.provider {
        // It accepts any choice of person, so it is offered on loopback only.
        None if show_demo && address.ip().is_loopback() => Some(provider_beside(address).await?),
        configured => configured,
    };
    if let Some(provider) = provider {
        workshop = workshop.with_provider(provider).context("single sign-on cannot be used")?;
    }
    if !workshop.is_set_up().await? {
        println!("The first visit sets the workshop up; it takes this code: {}", workshop.set_up_code());
    }
    println!("Ctrl-C stops it and its database.\n");
    if !show_demo {
        let behind = workshop.clone();
        tokio::spawn(async move { behind.back_up_by_the_clock().await });
    }
    let server = web::serve(workshop, listener, &settings.options)?;
    let handle = server.handle();
    let serving = tokio::spawn(server);
    let private = wait(private, serving, ends).await?;
    println!("Stopping …");
    handle.stop(true).await;
    store.close().await;
    if let Some(private) = private {
        private.stop().await;
    }
    println!("Stopped; the data are kept.");
    Ok(())
}

/// Waits for the end, sweeping old sessions and raising the private database again should it fall.
async fn wait(
    mut private: Option<PrivateServer>,
    mut serving: tokio::task::JoinHandle<std::io::Result<()>>,
    (mut interrupt, mut terminate): (Signal, Signal),
) -> anyhow::Result<Option<PrivateServer>> {
    loop {
        let fallen = async {
            match private.as_mut() {
                Some(server) => server.ended().await,
                None => std::future::pending().await,
            }
        };
        tokio::select! {
            _ = interrupt.recv() => return Ok(private),
            _ = terminate.recv() => return Ok(private),
            ended = &mut serving => {
                ended??;
                return Ok(private);
            }
            () = fallen => {
                tracing::error!("MariaDB ended by itself; starting it again");
                tokio::time::sleep(Duration::from_millis(500)).await;
                if let Some(server) = private.as_mut()
                    && let Err(error) = server.restart().await
                {
                    tracing::error!(%error, "MariaDB did not come back; trying again in five seconds");
                    tokio::time::sleep(Duration::from_secs(5)).await;
                }
            }
        }
    }
}
