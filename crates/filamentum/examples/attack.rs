//! What honest people wait while somebody attacks: bodies that drip, the costliest designs, pictures of many pixels.
//!
//! `cargo run --release -p filamentum --example attack -- [SECONDS]`, after `cargo build --release -p filamentum`. The program
//! serves from a folder of its own on loopback; each attack lasts so many seconds (15), with four honest people beside it.
#![allow(clippy::unwrap_used, clippy::print_stdout, reason = "a tool for the one who measures")]

use coil::design::{Design, tall_single};
use dev_database::{Durability, PrivateServer};
use std::fmt::Write as _;
use std::process::{Command, Stdio};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};
use store::Store;
use store::person::{NewPerson, Role};
use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::net::TcpStream;

const PORT: u16 = 8396;
const WORDS: &str = "a password for one hour";
/// Connections of an attack.
const ATTACKERS: usize = 24;

#[derive(Clone, Default)]
struct Person {
    cookie: String,
    token: String,
    key: String,
}

struct Answer {
    status: u16,
    head: String,
    body: String,
}

async fn exchange(head: &str, body: &[u8]) -> Option<Answer> {
    let exchange = async {
        let mut stream = TcpStream::connect(("127.0.0.1", PORT)).await.ok()?;
        let head = format!(
            "{head}Host: 127.0.0.1:{PORT}\r\nConnection: close\r\nAccept: text/html\r\nContent-Length: {}\r\n\r\n",
            body.len()
        );
        stream.write_all(head.as_bytes()).await.ok()?;
        stream.write_all(body).await.ok()?;
        let mut raw = Vec::new();
        stream.read_to_end(&mut raw).await.ok()?;
        let text = String::from_utf8_lossy(&raw).into_owned();
        let (head, body) = text.split_once("\r\n\r\n")?;
        let status = head.split(' ').nth(1)?.parse().ok()?;
        Some(Answer { status, head: head.to_owned(), body: body.to_owned() })
    };
    tokio::time::timeout(Duration::from_mins(2), exchange).await.ok()?
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
    let kind = "Content-Type: application/x-www-form-urlencoded\r\n";
    exchange(&format!("{method} {path} HTTP/1.1\r\nCookie: {cookie}\r\n{kind}"), body.as_bytes()).await
}

fn hidden(page: &str, name: &str) -> String {
    let from = page.split_once(&format!("name=\"{name}\" value=\"")).map_or("", |(_, rest)| rest);
    from.split('"').next().unwrap_or_default().to_owned()
}

fn cookie(answer: &Answer) -> Option<String> {
    let line = answer.head.lines().find(|l| l.to_lowercase().starts_with("set-cookie: "))?;
    line[12..].split(';').next().map(str::to_owned)
}

async fn signed_in(name: &str) -> Option<Person> {
    let page = ask("GET", "/sign-in", "", &[]).await?;
    let form = cookie(&page)?;
    let fields =
        [("csrf", &*hidden(&page.body, "csrf")), ("sign_in", name), ("password", WORDS), ("next", "/")];
    let answer = ask("POST", "/sign-in", &form, &fields).await?;
    let cookie = cookie(&answer)?;
    let sheet = ask("GET", "/designs/new?kind=tall-single", &cookie, &[]).await?;
    Some(Person { token: hidden(&sheet.body, "csrf"), key: hidden(&sheet.body, "key"), cookie })
}

/// As [`signed_in`], again where so many sign in from one address that it has to wait.
async fn enter(name: &str) -> Person {
    loop {
        if let Some(person) = signed_in(name).await {
            return person;
        }
        tokio::time::sleep(Duration::from_secs(1)).await;
    }
}

/// What the program holds, MB, and the most that it has held.
fn memory(pid: u32) -> (u64, u64) {
    let status = std::fs::read_to_string(format!("/proc/{pid}/status")).unwrap_or_default();
    let of = |name: &str| {
        let line = status.lines().find(|line| line.starts_with(name)).unwrap_or_default();
        line.split_whitespace().nth(1).and_then(|kb| kb.parse::<u64>().ok()).unwrap_or(0) / 1024
    };
    (of("VmRSS:"), of("VmHWM:"))
}

/// Sends a body at one byte a second until `stop` is set; returns the status codes that came back.
async fn drip(path: &'static str, stop: Arc<AtomicBool>) -> Vec<u16> {
    let mut told = Vec::new();
    while !stop.load(Ordering::Relaxed) {
        let Ok(mut stream) = TcpStream::connect(("127.0.0.1", PORT)).await else { continue };
        let head = format!(
            "POST {path} HTTP/1.1\r\nHost: 127.0.0.1:{PORT}\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: 9000\r\n\r\na="
        );
        let _ = stream.write_all(head.as_bytes()).await;
        let mut some = [0; 64];
        while !stop.load(Ordering::Relaxed) {
            match tokio::time::timeout(Duration::from_secs(1), stream.read(&mut some)).await {
                Ok(Ok(read)) => {
                    let text = String::from_utf8_lossy(&some[..read]).into_owned();
                    told.extend(text.split(' ').nth(1).and_then(|s| s.parse::<u16>().ok()));
                    break;
                }
                Ok(Err(_)) => break,
                Err(_) if stream.write_all(b"x").await.is_err() => break,
                Err(_) => {}
            }
        }
    }
    told
}

/// A design that is allowed, and as costly as such are: a plate of steel that grows until it is refused.
fn costly() -> Design {
    let mut design = tall_single("Sedge", 6, 10.4);
    for side in (20..=150).rev().step_by(5) {
        design.metal = serde_json::from_value(serde_json::json!([
            { "part": "plate", "material": "mild-steel-1010", "size_mm": [side, side, 3], "center_mm": [0, 0, -25] }
        ]))
        .unwrap();
        if coil::prediction::Effort::estimate(&design).seconds < 4.9 {
            break;
        }
    }
    design
}

async fn compute(person: Person, path: &'static str, number: usize, stop: Arc<AtomicBool>) -> Vec<u16> {
    let mut told = Vec::new();
    let mut design = costly();
    while !stop.load(Ordering::Relaxed) {
        // Another one each time, so that nothing is known.
        design.metal[0].size_mm[0] -= 0.01 + 0.001 * number as f64;
        let form = presentation::sheet::form_of(&design, coil::quantity::Units::default()).0;
        let mut fields: Vec<(&str, &str)> = form.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
        fields.extend([("csrf", person.token.as_str()), ("key", person.key.as_str())]);
        told.extend(ask("POST", path, &person.cookie, &fields).await.map(|a| a.status));
    }
    told
}

/// A PNG of as many pixels as are taken, of four colours each, whose file is small.
fn picture() -> Vec<u8> {
    use image::ImageEncoder as _;
    let mut out = Vec::new();
    image::codecs::png::PngEncoder::new(&mut out)
        .write_image(&vec![0_u8; 6000 * 4000 * 4], 6000, 4000, image::ExtendedColorType::Rgba8)
        .unwrap();
    out
}

async fn send_picture(person: Person, picture: Arc<Vec<u8>>, stop: Arc<AtomicBool>) -> Vec<u16> {
    let mut told = Vec::new();
    while !stop.load(Ordering::Relaxed) {
        let mut body = Vec::new();
        let key = store::ClientKey::random();
        for (name, value) in [
            ("csrf", person.token.as_str()),
            ("key", key.as_str()),
            ("subject", "spool"),
            ("of", "1"),
            ("caption", "x"),
        ] {
            let part = format!("--b\r\nContent-Disposition: form-data; name=\"{name}\"\r\n\r\n{value}\r\n");
            body.extend_from_slice(part.as_bytes());
        }
        body.extend_from_slice(
            b"--b\r\nContent-Disposition: form-data; name=\"photo\"; filename=\"a.png\"\r\nContent-Type: image/png\r\n\r\n",
        );
        body.extend_from_slice(&picture);
        body.extend_from_slice(b"\r\n--b--\r\n");
        let head = format!(
            "POST /photos HTTP/1.1\r\nCookie: {}\r\nContent-Type: multipart/form-data; boundary=b\r\n",
            person.cookie
        );
        told.extend(exchange(&head, &body).await.map(|a| a.status));
    }
    told
}

/// Somebody at work: pages, a preview, now and then a new sign-in. Times of each answer with its status.
async fn honest(name: String, stop: Arc<AtomicBool>, all: Arc<Mutex<Vec<(f64, u16)>>>) {
    let person = enter(&name).await;
    let design = tall_single("Reed", 6, 10.4);
    let mut turn = 0_u32;
    while !stop.load(Ordering::Relaxed) {
        turn += 1;
        let began = Instant::now();
        let status = match turn % 4 {
            0 => signed_in(&name).await.map(|_| 200),
            1 => ask("GET", "/logbook", &person.cookie, &[]).await.map(|a| a.status),
            2 => ask("GET", "/designs", &person.cookie, &[]).await.map(|a| a.status),
            _ => {
                let mut design = design.clone();
                design.coils[0].wind.turns = 7000 + turn;
                let form = presentation::sheet::form_of(&design, coil::quantity::Units::default()).0;
                let mut fields: Vec<(&str, &str)> =
                    form.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
                fields.extend([("csrf", person.token.as_str()), ("key", person.key.as_str())]);
                ask("POST", "/designs/preview", &person.cookie, &fields).await.map(|a| a.status)
            }
        };
        all.lock().unwrap().push((began.elapsed().as_secs_f64(), status.unwrap_or(0)));
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
}

#[tokio::main]
async fn main() {
    let seconds: u64 = std::env::args().nth(1).and_then(|s| s.parse().ok()).unwrap_or(15);
    let folder = tempfile::tempdir().unwrap();
    let server = PrivateServer::start(folder.path(), Durability::Full).await.unwrap();
    let store = Store::connect(&server.url("filamentum")).await.unwrap();
    let hash = workshop::hash_password(WORDS);
    let new = |sign_in| NewPerson { name: sign_in, sign_in, password_hash: Some(&hash), role: Role::Owner };
    let (shop, _) = store.create_workshop("Attacked", &new("ode")).await.unwrap();
    for name in ["wren", "ivo", "juno", "mal", "sly", "vex"] {
        store.workshop(shop).add_person(&new(name)).await.unwrap();
    }
    store.close().await;
    server.stop().await;
    let program = std::env::current_exe().unwrap().parent().unwrap().parent().unwrap().join("filamentum");
    let mut child = Command::new(program)
        .args(["serve", "--port", &PORT.to_string(), "--data"])
        .arg(folder.path())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    while ask("GET", "/healthz", "", &[]).await.is_none_or(|a| a.status != 200) {
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    let owner = enter("ode").await;
    let page = ask("GET", "/spools", &owner.cookie, &[]).await.unwrap();
    let (csrf, key) = (hidden(&page.body, "csrf"), hidden(&page.body, "key"));
    let spool = [
        ("csrf", csrf.as_str()),
        ("key", &key),
        ("label", "K-1"),
        ("gauge", "42 AWG"),
        ("left", "400 g"),
        ("insulation", "polyurethane"),
        ("build", "single"),
        ("tolerance", "full"),
    ];
    ask("POST", "/spools", &owner.cookie, &spool).await.unwrap();
    let picture = Arc::new(picture());
    println!(
        "| attack | honest answers | p50 ms | p95 ms | refused | MB now | MB most | what the attackers were told |"
    );
    println!("| --- | --- | --- | --- | --- | --- | --- | --- |");
    for attack in ["nobody", "bodies that drip", "costly previews", "costly comparisons", "pictures"] {
        let stop = Arc::new(AtomicBool::new(false));
        let times = Arc::new(Mutex::new(Vec::new()));
        let mut people = Vec::new();
        for name in ["ode", "wren", "ivo", "juno"] {
            people.push(tokio::spawn(honest(name.to_owned(), Arc::clone(&stop), Arc::clone(&times))));
        }
        let mut bad = Vec::new();
        for k in 0..ATTACKERS {
            let stop = Arc::clone(&stop);
            let who = ["mal", "sly", "vex"][k % 3];
            match attack {
                "bodies that drip" => bad.push(tokio::spawn(drip("/sign-in", stop))),
                "costly previews" => {
                    let person = enter(who).await;
                    bad.push(tokio::spawn(compute(person, "/designs/preview", k, stop)));
                }
                "costly comparisons" => {
                    let person = enter(who).await;
                    bad.push(tokio::spawn(compute(person, "/designs/assumptions", k, stop)));
                }
                "pictures" if k < 8 => {
                    let person = enter(who).await;
                    bad.push(tokio::spawn(send_picture(person, Arc::clone(&picture), stop)));
                }
                _ => {}
            }
        }
        tokio::time::sleep(Duration::from_secs(seconds)).await;
        stop.store(true, Ordering::Relaxed);
        for person in people {
            person.await.unwrap();
        }
        let (now, most) = memory(child.id());
        let mut told = std::collections::BTreeMap::<u16, u32>::new();
        for one in bad {
            for status in one.await.unwrap() {
                *told.entry(status).or_default() += 1;
            }
        }
        let mut all = times.lock().unwrap().clone();
        all.sort_by(|a, b| a.0.total_cmp(&b.0));
        let at = |share: f64| {
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "an index")]
            let k = (share * (all.len() - 1) as f64) as usize;
            1e3 * all[k].0
        };
        let refused = all.iter().filter(|(_, status)| !(200..400).contains(status)).count();
        println!(
            "| {attack} | {} | {:.0} | {:.0} | {refused} | {now} | {most} | {told:?} |",
            all.len(),
            at(0.5),
            at(0.95)
        );
    }
    Command::new("kill").arg(child.id().to_string()).status().unwrap();
    child.wait().unwrap();
}
