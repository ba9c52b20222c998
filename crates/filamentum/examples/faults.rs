//! Kills the server and MariaDB in the middle of a run, again and again, and counts what was lost or doubled.
//!
//! `cargo run --release -p filamentum --example faults -- [KILLS]`, after `cargo build --release -p filamentum`. A winder
//! of its own process turns all the while; a page notes events under keys of its own and sends each until it is answered.
#![allow(clippy::unwrap_used, clippy::print_stdout, reason = "a tool for the one who measures")]

use coil::design::tall_single;
use dev_database::{Durability, PrivateServer};
use instruments::Winder as _;
use instruments::net::Line;
use rand::rngs::StdRng;
use rand::{RngExt as _, SeedableRng as _};
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};
use store::design::NewRevision;
use store::instrument::NewInstrument;
use store::person::{NewPerson, Role};
use store::run::NewRun;
use store::{ClientKey, RunId, Store, WorkshopId};
use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::net::TcpStream;
use trade::traveller::Traveller;
use trade::winding::WindingEventKind;

const PORT: u16 = 8397;
const BENCH: u16 = 8398;
const PLANNED: u32 = 40_000;
const RPM: f64 = 1500.0;
const WORDS: &str = "a password for one hour";

fn program() -> std::path::PathBuf {
    // Beside this tool's own folder.
    std::env::current_exe().unwrap().parent().unwrap().parent().unwrap().join("filamentum")
}

fn serve(data: &Path) -> Child {
    Command::new(program())
        .args(["serve", "--port", &PORT.to_string(), "--data"])
        .arg(data)
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap()
}

/// Name and parent of a process.
fn process(pid: u32) -> Option<(String, u32)> {
    let stat = std::fs::read_to_string(format!("/proc/{pid}/stat")).ok()?;
    let (head, tail) = stat.rsplit_once(')')?;
    Some((head.to_owned(), tail.split_whitespace().nth(1)?.parse().ok()?))
}

/// The MariaDB that a server has started, by the shell that keeps it.
fn database_of(server: u32) -> Option<u32> {
    std::fs::read_dir("/proc").ok()?.filter_map(Result::ok).find_map(|entry| {
        let pid: u32 = entry.file_name().to_str()?.parse().ok()?;
        let (name, keeper) = process(pid)?;
        (name.contains("mariadbd") && process(keeper)?.1 == server).then_some(pid)
    })
}

fn kill(pid: u32) {
    let _ = Command::new("kill").args(["-9", &pid.to_string()]).status();
}

struct Answer {
    status: u16,
    head: String,
    body: String,
}

async fn ask(method: &str, path: &str, cookie: &str, fields: &[(&str, &str)]) -> Option<Answer> {
    let mut body = String::new();
    for (name, value) in fields {
        write!(body, "{name}=").unwrap();
        for byte in value.bytes() {
            write!(body, "%{byte:02X}").unwrap();
        }
        body.push('&');
    }
    let request = format!(
        "{method} {path} HTTP/1.1\r\nHost: 127.0.0.1:{PORT}\r\nConnection: close\r\nCookie: {cookie}\r\n\
         Content-Type: application/x-www-form-urlencoded\r\nContent-Length: {}\r\n\r\n{body}",
        body.len()
    );
    let exchange = async {
        let mut stream = TcpStream::connect(("127.0.0.1", PORT)).await.ok()?;
        stream.write_all(request.as_bytes()).await.ok()?;
        let mut raw = Vec::new();
        stream.read_to_end(&mut raw).await.ok()?;
        let text = String::from_utf8_lossy(&raw).into_owned();
        let (head, body) = text.split_once("\r\n\r\n")?;
        let status = head.split(' ').nth(1)?.parse().ok()?;
        Some(Answer { status, head: head.to_owned(), body: body.to_owned() })
    };
    tokio::time::timeout(Duration::from_secs(5), exchange).await.ok()?
}

fn hidden(page: &str, name: &str) -> String {
    let from = page.split_once(&format!("name=\"{name}\" value=\"")).map_or("", |(_, rest)| rest);
    from.split('"').next().unwrap_or_default().to_owned()
}

fn cookie(answer: &Answer) -> Option<String> {
    let line = answer.head.lines().find(|l| l.to_lowercase().starts_with("set-cookie: "))?;
    line[12..].split(';').next().map(str::to_owned)
}

async fn well() {
    let began = Instant::now();
    while ask("GET", "/healthz", "", &[]).await.is_none_or(|a| a.status != 200) {
        assert!(began.elapsed() < Duration::from_mins(1), "it does not come back");
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
}

/// A workshop with a run to wind and a winder, before the server starts.
async fn prepared(data: &Path) -> (WorkshopId, RunId) {
    let private = PrivateServer::start(data, Durability::Full).await.unwrap();
    let store = Store::connect(&private.url("filamentum")).await.unwrap();
    let hash = workshop::hash_password(WORDS);
    let owner =
        NewPerson { name: "Ode Farrow", sign_in: "ode", password_hash: Some(&hash), role: Role::Owner };
    let (workshop, owner) = store.create_workshop("Faults", &owner).await.unwrap();
    let mut design = tall_single("Sedge", 6, 10.4);
    design.coils[0].wind.turns = PLANNED;
    let new = NewRevision {
        key: ClientKey::random(),
        parent: None,
        note: "",
        design: &design,
        prediction: None,
        newest_seen: None,
        is_variant: false,
    };
    let revision = store.workshop(workshop).save_revision(owner, &new).await.unwrap();
    let run = NewRun {
        coils: &[],
        tolerance: trade::comparison::TolerancePolicy::default(),
        key: ClientKey::random(),
        revision,
        spool: None,
        operator: owner,
        planned_turns: PLANNED,
        stops: &[PLANNED],
        design: &design,
        remark: "",
        other_wire: "",
        traveller: &Traveller::usual(&design),
        winder: None,
        calibration: (None, coil::prediction::Calibration::default()),
        judgement: None,
        at: None,
    };
    let run = store.workshop(workshop).start_run(owner, &run).await.unwrap();
    let winder = NewInstrument {
        key: ClientKey::random(),
        kind: trade::instrument::InstrumentKind::Winder,
        name: "Winder",
        address: &format!("127.0.0.1:{BENCH}"),
        resolution: None,
        accuracy: None,
        test_hz: None,
        due: None,
        input_pf: None,
        input_mohm: None,
        simulated: true,
    };
    store.workshop(workshop).add_instrument(owner, &winder).await.unwrap();
    store.close().await;
    private.stop().await;
    (workshop, run)
}

#[derive(Default)]
struct Sent {
    /// Keys of accepted events with their turn.
    accepted: Mutex<BTreeMap<String, u32>>,
    tries: AtomicU32,
    ended: AtomicBool,
}

/// A page that notes something every few hundredths of a second, each until it is answered.
async fn notes(run: RunId, cookie: String, csrf: String, sent: Arc<Sent>) {
    let mut turn = 0;
    while !sent.ended.load(Ordering::Relaxed) {
        turn += 1;
        let key = ClientKey::random().to_string();
        let (at, words) = (turn.to_string(), key.clone());
        let fields =
            [("csrf", csrf.as_str()), ("key", &key), ("what", "note"), ("at_turn", &at), ("words", &words)];
        loop {
            sent.tries.fetch_add(1, Ordering::Relaxed);
            let answer = ask("POST", &format!("/runs/{run}/events"), &cookie, &fields).await;
            match answer {
                Some(a) if a.status == 200 => {
                    sent.accepted.lock().unwrap().insert(key.clone(), turn);
                    break;
                }
                _ if sent.ended.load(Ordering::Relaxed) => return,
                _ => tokio::time::sleep(Duration::from_millis(100)).await,
            }
        }
        tokio::time::sleep(Duration::from_millis(30)).await;
    }
}

/// A page that looks on, and comes back when the connection ends.
async fn looks_on(run: RunId, cookie: String, sent: Arc<Sent>) {
    while !sent.ended.load(Ordering::Relaxed) {
        let request =
            format!("GET /runs/{run}/live HTTP/1.1\r\nHost: 127.0.0.1:{PORT}\r\nCookie: {cookie}\r\n\r\n");
        if let Ok(mut stream) = TcpStream::connect(("127.0.0.1", PORT)).await
            && stream.write_all(request.as_bytes()).await.is_ok()
        {
            let mut buffer = [0_u8; 4096];
            // What it says does not matter here; that somebody listens does.
            while let Ok(1..) = stream.read(&mut buffer).await {
                if sent.ended.load(Ordering::Relaxed) {
                    return;
                }
            }
        }
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
}

#[tokio::main]
async fn main() {
    let kills: u32 = std::env::args().nth(1).and_then(|t| t.parse().ok()).unwrap_or(50);
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("data");
    let (workshop, run) = prepared(&data).await;
    let mut bench = Command::new(program())
        .args(["bench", "--port", &BENCH.to_string()])
        .stdout(Stdio::null())
        .spawn()
        .unwrap();
    let mut server = serve(&data);
    well().await;
    let page = ask("GET", "/sign-in", "", &[]).await.unwrap();
    let first = cookie(&page).unwrap_or_default();
    let token = hidden(&page.body, "csrf");
    let fields = [("csrf", token.as_str()), ("sign_in", "ode"), ("password", WORDS)];
    let entered = ask("POST", "/sign-in", &first, &fields).await.unwrap();
    let cookie = cookie(&entered).unwrap_or(first);
    let page = ask("GET", "/", &cookie, &[]).await.unwrap();
    let csrf = hidden(&page.body, "csrf");
    let sent = Arc::new(Sent::default());
    let mut winder = Line::to(format!("127.0.0.1:{BENCH}"));
    winder.run(RPM, None).await.unwrap();
    let pages = [
        tokio::spawn(notes(run, cookie.clone(), csrf.clone(), Arc::clone(&sent))),
        tokio::spawn(notes(run, cookie.clone(), csrf, Arc::clone(&sent))),
        tokio::spawn(looks_on(run, cookie, Arc::clone(&sent))),
    ];
    let mut dice = StdRng::seed_from_u64(7);
    let (mut of_server, mut of_database, mut longest) = (0_u32, 0_u32, Duration::ZERO);
    for _ in 0..kills {
        tokio::time::sleep(Duration::from_millis(dice.random_range(200..1500))).await;
        let began = Instant::now();
        let database = database_of(server.id());
        if let (true, Some(pid)) = (dice.random_bool(0.5), database) {
            kill(pid);
            of_database += 1;
        } else {
            kill(server.id());
            let _ = server.wait();
            of_server += 1;
            server = serve(&data);
        }
        well().await;
        longest = longest.max(began.elapsed());
    }
    tokio::time::sleep(Duration::from_secs(2)).await;
    winder.stop().await.unwrap();
    tokio::time::sleep(Duration::from_secs(3)).await;
    let counter = winder.status().await.unwrap().turns;
    sent.ended.store(true, Ordering::Relaxed);
    for page in pages {
        let _ = tokio::time::timeout(Duration::from_secs(12), page).await;
    }
    // A clean end, then the log is read without the server.
    let _ = Command::new("kill").args(["-TERM", &server.id().to_string()]).status();
    let _ = server.wait();
    let _ = bench.kill();
    let _ = bench.wait();
    let private = PrivateServer::start(&data, Durability::Full).await.unwrap();
    let store = Store::connect(&private.url("filamentum")).await.unwrap();
    let events = store.workshop(workshop).events(run).await.unwrap();
    let accepted = sent.accepted.lock().unwrap().clone();
    let mut found: BTreeMap<String, u32> = BTreeMap::new();
    for event in events.iter().filter(|e| e.event.what == WindingEventKind::Note) {
        *found.entry(event.words.clone()).or_default() += 1;
    }
    let lost = accepted.keys().filter(|key| !found.contains_key(*key)).count();
    let doubled = found.values().filter(|n| **n > 1).count();
    let counts: Vec<u32> =
        events.iter().filter(|e| e.event.what == WindingEventKind::Count).map(|e| e.event.at_turn).collect();
    let backwards = counts.windows(2).filter(|p| p[1] <= p[0]).count();
    println!(
        "kill -9 of the server {of_server}, of MariaDB {of_database}; longest until all answered again {:.1} s",
        longest.as_secs_f64()
    );
    println!(
        "events: {} sent, {} answered, {} in the log; lost {lost}, doubled {doubled}",
        sent.tries.load(Ordering::Relaxed),
        accepted.len(),
        found.len()
    );
    println!(
        "turns: the counter ended at {counter}, the log at {}; {} counts, {backwards} doubled or backwards",
        counts.last().copied().unwrap_or(0),
        counts.len()
    );
    store.close().await;
    private.stop().await;
    assert!(
        lost == 0 && doubled == 0 && backwards == 0 && counts.last() == Some(&counter),
        "something is amiss"
    );
}
