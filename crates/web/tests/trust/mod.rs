//! Doors that stood open once, over HTTP: each is tried as it was tried then.

mod doors;
mod instruments;
mod roles;
mod spoiled;
mod tls;
mod trail;

use super::{Visit, with_design, with_run, with_workshop};
use std::io::Write as _;
use std::time::Duration;
use store::Store;
use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::net::TcpStream;

/// Sends bytes as they are and returns what comes back within a few seconds.
async fn raw(visit: &Visit, request: &[u8]) -> String {
    let mut stream = TcpStream::connect(visit.address).await.unwrap();
    let _ = stream.write_all(request).await;
    let mut answer = Vec::new();
    let _ = tokio::time::timeout(Duration::from_secs(5), stream.read_to_end(&mut answer)).await;
    String::from_utf8_lossy(&answer).into_owned()
}

fn status(answer: &str) -> u16 {
    answer.split(' ').nth(1).and_then(|s| s.parse().ok()).unwrap_or_else(|| panic!("{answer}"))
}

/// A visit where a workshop is set up, and its store.
async fn visit() -> (Visit, Store) {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    (Visit::to(&store), store)
}

#[tokio::test(flavor = "multi_thread")]
async fn sign_in_takes_small_plain_forms_only() {
    let (mut visit, _) = visit().await;
    visit.get("/sign-in").await;
    let long = "o".repeat(5_000_000);
    let body = format!("sign_in={long}&password=x");
    let head = format!(
        "POST /sign-in HTTP/1.1\r\nHost: {}\r\nContent-Type: application/x-www-form-urlencoded\r\n\
         Content-Length: {}\r\nConnection: close\r\n\r\n",
        visit.address,
        body.len()
    );
    let answer = raw(&visit, &[head.as_bytes(), &body.as_bytes()[..200_000]].concat()).await;
    assert!(answer.is_empty() || status(&answer) == 413, "{answer}");
    // Below the size of the form, above that of a name: it is wrong like any other, and keeps nothing.
    let answer = visit.sign_in(&"o".repeat(4_000), "seven thousand turns").await;
    assert_eq!(answer.status, 200);
    // What is compressed is not unpacked, wherever it is sent.
    for path in ["/sign-in", "/setup", "/designs/preview"] {
        let head = format!(
            "POST {path} HTTP/1.1\r\nHost: {}\r\nContent-Type: application/x-www-form-urlencoded\r\n\
             Content-Encoding: gzip\r\nContent-Length: 4\r\nConnection: close\r\n\r\n\x1f\u{1}\u{1}\u{1}",
            visit.address
        );
        assert_eq!(status(&raw(&visit, head.as_bytes()).await), 415, "{path}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn guessing_is_told_how_long_to_wait() {
    let (mut visit, _) = visit().await;
    let mut last = visit.sign_in("ode", "wrong").await;
    // On a busy machine attempts take so long that some are given back meanwhile.
    for spelling in ["ODE", "ｏde", " ode", "odE", "ode", "ode"].into_iter().cycle().take(60) {
        last = visit.sign_in(spelling, "wrong").await;
        if last.status == 429 {
            break;
        }
    }
    assert_eq!((last.status, last.headers["filamentum-code"].as_str()), (429, "too-many-attempts"));
    let wait: u64 = last.headers["retry-after"].parse().unwrap();
    assert!((1..=60).contains(&wait));
    tokio::time::sleep(Duration::from_secs(wait)).await;
    assert_eq!(visit.sign_in("ode", "seven thousand turns").await.status, 303, "slowed down, not locked out");
}

#[tokio::test(flavor = "multi_thread")]
async fn only_our_own_names_are_answered() {
    let (visit, _) = visit().await;
    let ask = |host: String| {
        let request = format!(
            "GET /sign-in HTTP/1.1\r\nHost: {host}\r\nX-Forwarded-Host: evil.example\r\nConnection: close\r\n\r\n"
        );
        async move { request }
    };
    let port = visit.address.port();
    for (host, expected) in [
        (visit.address.to_string(), 200),
        (format!("localhost:{port}"), 200),
        ("rebound.example".to_owned(), 421),
        (format!("rebound.example:{port}"), 421),
    ] {
        let request = ask(host.clone()).await;
        assert_eq!(status(&raw(&visit, request.as_bytes()).await), expected, "{host}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_labels_code_is_made_of_our_own_address() {
    let (mut visit, _) = visit().await;
    let design = with_design(&mut visit).await;
    let run = with_run(&mut visit, &design).await;
    let address = format!("http://{}{run}", visit.address);
    let page = visit.get(&format!("{run}/paper")).await;
    assert!(page.body.contains(&address), "{}", page.status);
}

/// The document that a sheet carries is checked before it is used.
#[tokio::test(flavor = "multi_thread")]
async fn a_tampered_document_computes_nothing() {
    let (mut visit, _) = visit().await;
    with_design(&mut visit).await;
    let token = visit.get("/designs/new?kind=tall-single").await.field("csrf");
    let form = presentation::sheet::form_of(
        &coil::design::tall_single("Sedge", 6, 10.4),
        coil::quantity::Units::default(),
    );
    for count in ["4000000000", "300000", "-1", "null"] {
        let document = form.get("document").replacen("\"count\":6", &format!("\"count\":{count}"), 1);
        assert_ne!(document, form.get("document"));
        let mut fields: Vec<(String, String)> =
            form.iter().map(|(n, v)| (n.to_owned(), v.to_owned())).filter(|(n, _)| n != "document").collect();
        fields.push(("document".into(), document));
        fields.push(("csrf".into(), token.clone()));
        let fields: Vec<(&str, &str)> = fields.iter().map(|(n, v)| (n.as_str(), v.as_str())).collect();
        let answer = visit.post("/designs/preview", &fields).await;
        assert!(answer.status == 200 && answer.body.len() < 500_000, "{count}: {}", answer.body.len());
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_session_ends_when_it_is_ended_and_its_streams_with_it() {
    let (mut visit, _) = visit().await;
    let design = with_design(&mut visit).await;
    let run = with_run(&mut visit, &design).await;
    let cookie: Vec<String> = visit.cookies.iter().map(|(n, v)| format!("{n}={v}")).collect();
    let mut stream = TcpStream::connect(visit.address).await.unwrap();
    let mut request = String::new();
    let _ = std::fmt::Write::write_fmt(
        &mut request,
        format_args!(
            "GET {run}/live HTTP/1.1\r\nHost: {}\r\nConnection: close\r\nCookie: {}\r\n\r\n",
            visit.address,
            cookie.join("; ")
        ),
    );
    stream.write_all(request.as_bytes()).await.unwrap();
    let mut first = [0_u8; 4096];
    let read = stream.read(&mut first).await.unwrap();
    assert!(String::from_utf8_lossy(&first[..read]).contains("200"), "the stream runs");
    let token = visit.get("/logbook").await.field("csrf");
    let left = visit.post("/sign-out", &[("csrf", token.as_str())]).await;
    assert_eq!((left.status, left.headers["clear-site-data"].as_str()), (303, "\"cache\""));
    let mut rest = Vec::new();
    let ended = tokio::time::timeout(Duration::from_secs(30), stream.read_to_end(&mut rest)).await;
    assert!(ended.is_ok(), "the stream goes on without its session");
    // The cookie that was held before is worth nothing now.
    assert_eq!(visit.get("/logbook").await.status, 303);
}

#[tokio::test(flavor = "multi_thread")]
async fn somebody_lists_and_ends_their_sessions() {
    let (mut one, _) = visit().await;
    assert_eq!(one.sign_in("ode", "seven thousand turns").await.status, 303);
    let mut other =
        Visit { address: one.address, code: String::new(), cookies: std::collections::BTreeMap::new() };
    assert_eq!(other.sign_in("ode", "seven thousand turns").await.status, 303);
    let page = one.get("/account").await;
    assert_eq!(page.body.matches("data-session=").count(), 2, "{}", page.status);
    let token = page.field("csrf");
    let ended = one.post("/account/sessions/others", &[("csrf", token.as_str())]).await;
    assert_eq!(ended.status, 303);
    assert_eq!(one.get("/account").await.body.matches("data-session=").count(), 1);
    assert_eq!(other.get("/account").await.status, 303);
}

#[tokio::test(flavor = "multi_thread")]
async fn one_session_holds_a_few_streams_and_no_more() {
    let (mut visit, _) = visit().await;
    let design = with_design(&mut visit).await;
    let run = with_run(&mut visit, &design).await;
    let cookie: Vec<String> = visit.cookies.iter().map(|(n, v)| format!("{n}={v}")).collect();
    let mut held = Vec::new();
    let mut refused = 0;
    for _ in 0..20 {
        let mut stream = TcpStream::connect(visit.address).await.unwrap();
        let mut request = Vec::new();
        write!(
            request,
            "GET {run}/live HTTP/1.1\r\nHost: {}\r\nCookie: {}\r\n\r\n",
            visit.address,
            cookie.join("; ")
        )
        .unwrap();
        stream.write_all(&request).await.unwrap();
        let mut first = [0_u8; 64];
        let read = stream.read(&mut first).await.unwrap();
        if status(&String::from_utf8_lossy(&first[..read])) == 429 {
            refused += 1;
        }
        held.push(stream);
    }
    assert_eq!(refused, 8);
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_not_there_is_said_so() {
    let (mut visit, _) = visit().await;
    assert_eq!(visit.get("/no-such-page").await.status, 404);
    assert_eq!(visit.get("/assets/x/own/no-such-file.js").await.status, 404);
    visit.sign_in("ode", "seven thousand turns").await;
    for path in ["/runs/999999", "/revisions/999999", "/spools/999999", "/experiments/999999"] {
        assert_eq!(visit.get(path).await.status, 404, "{path}");
    }
}

/// Whoever names an address makes the server connect to it: this machine's own services are out of reach.
#[tokio::test(flavor = "multi_thread")]
async fn an_instrument_is_asked_in_allowed_networks_only() {
    let (mut visit, _) = visit().await;
    visit.sign_in("ode", "seven thousand turns").await;
    let post = async |visit: &mut Visit, path: &str, fields: &[(&str, &str)]| {
        let page = visit.get("/instruments").await;
        let (token, key) = (page.field("csrf"), page.field("key"));
        let mut all = vec![("csrf", token.as_str()), ("key", key.as_str())];
        all.extend_from_slice(fields);
        visit.post(path, &all).await
    };
    let at = |address: &'static str| [("kind", "ohm"), ("name", "Bench meter"), ("address", address)];
    assert_eq!(
        post(&mut visit, "/instruments", &at("192.0.2.7:5025")).await.status,
        422,
        "none is allowed yet"
    );
    for network in
        ["127.0.0.0/8 1-65535", "127.0.0.1 3306", "169.254.169.254 80", "0.0.0.0/0 1-65535", "here", ""]
    {
        let refused = post(&mut visit, "/instruments/networks", &[("network", network)]).await;
        assert_eq!(refused.status, 422, "{network}");
        assert!(refused.find("#e-network").is_some_and(|text| !text.is_empty()), "{network}");
    }
    let allowed = post(&mut visit, "/instruments/networks", &[("network", "192.0.2.0/24 5025-5030")]).await;
    assert_eq!(allowed.status, 303);
    for address in
        ["127.0.0.1:3306", "localhost:5025", "[::1]:5025", "[::ffff:127.0.0.1]:5025", "192.0.2.7:3306"]
    {
        let refused = post(&mut visit, "/instruments", &at(address)).await;
        assert_eq!(refused.status, 422, "{address}");
        assert!(refused.find("#e-address").is_some_and(|text| !text.is_empty()), "{address}");
    }
    assert_eq!(post(&mut visit, "/instruments", &at("192.0.2.7:5025")).await.status, 303);
    // What is allowed no longer is not asked any more, although it stands on the list.
    assert_eq!(post(&mut visit, "/instruments/networks/1/remove", &[]).await.status, 303);
    let refused = post(&mut visit, "/instruments/1/test", &[]).await;
    assert!(refused.status == 409 || refused.status == 303, "{}", refused.status);
}

/// Whoever sends a byte now and then holds a connection for a bounded time.
#[tokio::test(flavor = "multi_thread")]
async fn slow_heads_and_slow_bodies_are_cut_off() {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let address = listener.local_addr().unwrap();
    let short = Duration::from_millis(700);
    let timeouts = web::Timeouts { head: short, body: short, rest: short };
    assert!(web::Timeouts::default().body <= Duration::from_secs(30));
    let options = web::ServeOptions { timeouts, ..web::ServeOptions::default() };
    tokio::spawn(web::serve(workshop::Workshop::new(store), listener, &options).unwrap());
    let slow_head = format!("POST /sign-in HTTP/1.1\r\nHost: {address}\r\nX-Slow: ");
    let slow_body = format!(
        "POST /sign-in HTTP/1.1\r\nHost: {address}\r\nContent-Type: application/x-www-form-urlencoded\r\n\
         Content-Length: 5000\r\n\r\nsign_in="
    );
    for start in [slow_head, slow_body] {
        let mut stream = TcpStream::connect(address).await.unwrap();
        stream.write_all(start.as_bytes()).await.unwrap();
        let began = std::time::Instant::now();
        let mut answer = Vec::new();
        let ended = async {
            loop {
                let mut some = [0; 512];
                tokio::select! {
                    read = stream.read(&mut some) => match read {
                        Ok(0) | Err(_) => return,
                        Ok(n) => {
                            answer.extend(&some[..n]);
                            return;
                        }
                    },
                    () = tokio::time::sleep(Duration::from_millis(100)) => {}
                }
            }
        };
        tokio::time::timeout(Duration::from_secs(15), ended).await.expect("it is held for ever");
        let text = String::from_utf8_lossy(&answer).into_owned();
        assert!(text.is_empty() || text.contains(" 408 "), "{text}");
        assert!(began.elapsed() >= Duration::from_millis(300));
    }
}
