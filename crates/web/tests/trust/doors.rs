//! Doors that a second attack tried: headers, reports, passwords that were typed long ago, codes that are guessed, slow bodies.

use super::visit;
use crate::{Visit, with_design, with_run, with_workshop};
use scraper::{Html, Selector};
use sqlx::MySqlPool;
use std::collections::BTreeMap;
use std::time::Duration;
use store::Store;
use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::net::TcpStream;
use workshop::{Actor, Workshop};

const WORDS: &str = "seven thousand turns";

/// A policy as browsers read it: directives with their sources (Content Security Policy Level 3, section 2.2.1).
fn directives(policy: &str) -> BTreeMap<String, Vec<String>> {
    policy
        .split(';')
        .filter_map(|one| {
            let mut words = one.split_whitespace().map(str::to_owned);
            Some((words.next()?, words.collect()))
        })
        .collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn every_answer_has_the_headers() {
    let (mut visit, _) = visit().await;
    visit.sign_in("ode", WORDS).await;
    for path in [
        "/",
        "/sign-in",
        "/designs/new?kind=tall-single",
        "/no-such-page",
        "/assets/x/own/filamentum.css",
        "/healthz",
        "/logbook.csv",
    ] {
        let answer = visit.get(path).await;
        let header = |name: &str| answer.headers.get(name).map_or("", String::as_str);
        let policy = directives(header("content-security-policy"));
        let of = |name: &str| policy.get(name).map(|all| all.join(" ")).unwrap_or_default();
        assert_eq!((of("default-src"), of("script-src")), ("'self'".into(), String::new()), "{path}");
        assert_eq!(
            (of("object-src"), of("base-uri"), of("frame-ancestors")),
            ("'none'".into(), "'none'".into(), "'none'".into())
        );
        assert_eq!(
            (of("form-action"), of("report-uri")),
            ("'self'".into(), "/policy-report".into()),
            "{path}"
        );
        let all: String = policy.values().flatten().cloned().collect();
        assert!(!all.contains("unsafe") && !all.contains('*') && !all.contains("http"), "{path}");
        assert_eq!(header("x-content-type-options"), "nosniff", "{path}");
        assert_eq!(header("referrer-policy"), "same-origin", "{path}");
        assert_eq!(header("cross-origin-opener-policy"), "same-origin", "{path}");
        assert_eq!(header("cross-origin-resource-policy"), "same-origin", "{path}");
        assert!(header("permissions-policy").contains("camera=()"), "{path}");
        let is_asset = path.starts_with("/assets") || path == "/healthz";
        assert!(
            is_asset || header("cache-control").contains("no-store"),
            "{path}: {}",
            header("cache-control")
        );
        assert!(
            !answer.headers.contains_key("server") && !answer.headers.contains_key("x-powered-by"),
            "{path}"
        );
    }
}

async fn report(visit: &Visit, body: &str) -> u16 {
    let mut stream = TcpStream::connect(visit.address).await.unwrap();
    let head = format!(
        "POST /policy-report HTTP/1.1\r\nHost: {}\r\nConnection: close\r\nContent-Type: application/csp-report\r\nContent-Length: {}\r\n\r\n{body}",
        visit.address,
        body.len()
    );
    stream.write_all(head.as_bytes()).await.unwrap();
    let mut answer = String::new();
    stream.read_to_string(&mut answer).await.unwrap();
    answer.split(' ').nth(1).unwrap().parse().unwrap()
}

/// What browsers block is kept, counted and shown to the owner; nonsense and floods are not.
#[tokio::test(flavor = "multi_thread")]
async fn what_browsers_block_is_shown_to_the_owner() {
    let (mut visit, store) = visit().await;
    visit.sign_in("ode", WORDS).await;
    let address = visit.address;
    let body = |blocked: &str| {
        serde_json::json!({"csp-report": {"document-uri": format!("http://{address}/designs?token=secret"), "effective-directive": "script-src-elem",
            "blocked-uri": blocked, "source-file": "moz-extension", "line-number": 4}}).to_string()
    };
    let (evil, markup) = (body("https://evil.example/<script>a.js"), body("inline"));
    for _ in 0..3 {
        assert_eq!(report(&visit, &evil).await, 204);
    }
    assert_eq!(report(&visit, &markup).await, 204);
    for nonsense in ["", "{}", "[1]", "{\"csp-report\": 7}"] {
        assert_eq!(report(&visit, nonsense).await, 204);
    }
    let page = visit.get("/policy-reports").await;
    assert_eq!(page.body.matches("<th scope=\"row\">").count(), 2, "{}", page.body);
    assert!(
        page.body.contains("evil.example")
            && !page.body.contains("<script>a")
            && !page.body.contains("secret")
    );
    for k in 0..300 {
        assert_eq!(report(&visit, &body(&format!("https://{k}.example"))).await, 204);
    }
    assert!(store.policy_reports().await.unwrap().len() < 60, "one address fills no table");
    assert_eq!(report(&visit, &"x".repeat(20_000)).await, 413);
}

async fn age(pool: &MySqlPool) {
    sqlx::query("UPDATE sessions SET state = JSON_SET(state, '$.proven', '0')").execute(pool).await.unwrap();
}

/// A session that was left open makes no lasting way in: the password is asked for, and what was sent goes on with it.
#[tokio::test(flavor = "multi_thread")]
async fn a_lasting_way_in_takes_the_password_again() {
    let (url, _) = dev_database::fresh_database().await;
    let store = Store::connect(&url).await.unwrap();
    with_workshop(&store, "ode").await;
    let pool = MySqlPool::connect(&url).await.unwrap();
    let mut owner = Visit::to(&store);
    owner.sign_in("ode", WORDS).await;
    let mut other = Visit { address: owner.address, code: String::new(), cookies: BTreeMap::new() };
    other.sign_in("ode", WORDS).await;
    age(&pool).await;
    let token = owner.get("/people").await.field("csrf");
    let fields =
        [("csrf", token.as_str()), ("name", "Wren <b>Ashby</b>"), ("sign_in", "wren"), ("role", "operator")];
    let asked = owner.post("/people", &fields).await;
    assert_eq!((asked.status, asked.code()), (403, "password-needed"));
    assert_eq!((asked.field("name"), asked.field("sign_in")), ("Wren <b>Ashby</b>".into(), "wren".into()));
    assert!(!asked.body.contains("<b>Ashby"));
    let with = |password: &'static str| {
        let mut all = fields.to_vec();
        all.push(("confirm_password", password));
        all
    };
    let wrong = owner.post("/people", &with("not it at all")).await;
    assert_eq!((wrong.status, wrong.code()), (403, "password-needed"));
    assert!(wrong.find("#e-confirm_password").is_some_and(|text| !text.is_empty()));
    assert!(!owner.get("/people").await.body.contains("Ashby"), "nothing is done yet");
    let done = owner.post("/people", &with(WORDS)).await;
    assert!(done.find("#link").is_some(), "{}", done.status);
    // It holds for a few minutes, for everything, and for this session alone.
    assert_eq!(owner.post("/week/feeds", &[("csrf", &token)]).await.status, 303);
    let theirs = other.get("/account").await.field("csrf");
    assert_eq!(other.post("/week/feeds", &[("csrf", &theirs)]).await.code(), "password-needed");
    // A new PIN ends the other sessions.
    assert_eq!(owner.post("/account/pin", &[("csrf", &token), ("pin", "407193")]).await.status, 303);
    assert_eq!(other.get("/account").await.status, 303);
    // Somebody else's form is no form, with the password or without.
    age(&pool).await;
    let forged = [("csrf", "00"), ("confirm_password", WORDS), ("pin", "885621")];
    assert_eq!(owner.post("/account/pin", &forged).await.status, 403);
    assert_eq!(
        owner.post("/account/pin", &[("csrf", &token), ("pin", "885621")]).await.code(),
        "password-needed"
    );
}

/// The secret of a second factor is the server's: whoever sends the form chooses none.
#[tokio::test(flavor = "multi_thread")]
async fn the_secret_of_a_second_factor_is_kept_by_the_server() {
    let (mut visit, store) = visit().await;
    visit.sign_in("ode", WORDS).await;
    let page = visit.get("/account/second-factor").await;
    let (token, shown) = (page.field("csrf"), page.find("code.wrap").unwrap());
    assert_eq!(
        visit.get("/account/second-factor").await.find("code.wrap").unwrap(),
        shown,
        "the same until it is set"
    );
    let code = |secret: &str| {
        let now = u64::try_from(time::OffsetDateTime::now_utc().unix_timestamp()).unwrap();
        let secret = totp_rs::Secret::try_from_base32(secret).unwrap();
        totp_rs::Builder::new().with_secret(secret).build().unwrap().generate(now).to_string()
    };
    let own = "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ";
    let chosen = [("csrf", token.as_str()), ("secret", own), ("code", &code(own))];
    assert_eq!(visit.post("/account/second-factor", &chosen).await.status, 422);
    let right = [("csrf", token.as_str()), ("secret", own), ("code", &code(&shown))];
    assert_eq!(visit.post("/account/second-factor", &right).await.status, 200);
    let kept = store.second_factors().await.unwrap();
    assert_eq!(kept.len(), 1);
    assert_ne!(kept[0].1, own);
    // Five wrong codes end what the right password began.
    let mut thief = Visit { address: visit.address, code: String::new(), cookies: BTreeMap::new() };
    assert!(thief.sign_in("ode", WORDS).await.headers["location"].starts_with("/sign-in/code"));
    for k in 1..=5 {
        let token = thief.get("/sign-in/code").await.field("csrf");
        let wrong = thief.post("/sign-in/code", &[("csrf", &token), ("code", "000000")]).await;
        assert_eq!(wrong.status, if k < 5 { 422 } else { 303 }, "{k}");
    }
    assert_eq!(thief.get("/sign-in/code").await.headers["location"], "/sign-in");
}

/// Guessing at a PIN is on the owner's bench, and nobody else's.
#[tokio::test(flavor = "multi_thread")]
async fn guessing_is_on_the_owners_bench() {
    let (mut owner, store) = visit().await;
    let design = with_design(&mut owner).await;
    with_run(&mut owner, &design).await;
    let workshop = Workshop::new(store.clone());
    let (shop, _) = store.workshops().await.unwrap()[0].clone();
    let ode = store.workshop(shop).people().await.unwrap().remove(0);
    workshop.set_own_pin(&Actor::from_person(&ode), "407193".into(), "").await.unwrap();
    owner.sign_in("ode", WORDS).await;
    let token = owner.get("/stations").await.field("csrf");
    let code = owner.post("/stations", &[("csrf", &token), ("name", "Window")]).await.find("#code").unwrap();
    let station = workshop.enrol_station(&code, "192.0.2.1".parse().unwrap()).await.unwrap();
    assert!(!owner.get("/").await.body.contains("guessed at"));
    let mut refused = 0;
    for k in 0..20_u8 {
        let from = std::net::IpAddr::from([192, 0, 2, k]);
        let tried = workshop.stand_at(&station, ode.id, "111222".into(), from).await.unwrap_err();
        refused += usize::from(tried.code() == "too-many-attempts");
    }
    assert_eq!(refused, 10, "from ten addresses as from one");
    assert!(owner.get("/").await.body.contains("guessed at"));
    assert!(owner.get("/audit?action=guessing").await.body.contains("Guessing"));
}

/// Two dozen connections that drip a body: whoever signs in meanwhile is answered at once.
#[tokio::test(flavor = "multi_thread")]
async fn dripping_bodies_hold_nobody_up() {
    let (mut honest, _) = visit().await;
    let address = honest.address;
    let mut held = Vec::new();
    for k in 0..60 {
        let mut stream = TcpStream::connect(address).await.unwrap();
        let to = if k % 2 == 0 { "/sign-in" } else { "/designs/preview" };
        let head = format!(
            "POST {to} HTTP/1.1\r\nHost: {address}\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: 5000\r\n\r\nsign_in="
        );
        stream.write_all(head.as_bytes()).await.unwrap();
        held.push(stream);
    }
    tokio::time::sleep(Duration::from_millis(400)).await;
    for stream in &mut held {
        let _ = stream.write_all(b"x").await;
    }
    let began = std::time::Instant::now();
    assert_eq!(honest.sign_in("ode", WORDS).await.status, 303);
    assert_eq!(honest.get("/").await.status, 200);
    assert!(began.elapsed() < Duration::from_secs(8), "a turn was held: {:?}", began.elapsed());
    // Most of them were told to come back.
    let mut refused = 0;
    for stream in &mut held {
        let mut some = [0; 64];
        if let Ok(Ok(read)) = tokio::time::timeout(Duration::from_millis(20), stream.read(&mut some)).await {
            refused += usize::from(String::from_utf8_lossy(&some[..read]).contains(" 429 "));
        }
    }
    assert_eq!(refused, 54, "six of one address may be slow");
}

/// A design whose comparison would keep the machine for a minute is refused with the part to make smaller; by itself it may be
/// predicted.
#[tokio::test(flavor = "multi_thread")]
async fn a_costly_comparison_is_refused_with_what_to_make_smaller() {
    let (mut visit, _) = visit().await;
    with_design(&mut visit).await;
    let token = visit.get("/designs/new?kind=tall-single").await.field("csrf");
    let mut design = coil::design::tall_single("Sedge", 6, 10.4);
    design.metal = serde_json::from_value(serde_json::json!([
        { "part": "plate", "material": "mild-steel-1010", "size_mm": [150, 150, 3], "center_mm": [0, 0, -25] }
    ]))
    .unwrap();
    let mut form = presentation::sheet::form_of(&design, coil::quantity::Units::default()).0;
    form.insert("csrf".into(), token);
    let fields: Vec<(&str, &str)> = form.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    let refused = visit.post("/designs/assumptions", &fields).await;
    assert_eq!(
        refused.code(),
        "too-costly",
        "{}: {}",
        refused.status,
        coil::prediction::Effort::estimate(&design).seconds
    );
    let page = Html::parse_document(&refused.body);
    let text: String = page.select(&Selector::parse("main p").unwrap()).flat_map(|p| p.text()).collect();
    assert!(text.contains("metal"), "{text}");
}

/// An address with a number that is none, or with nonsense after the question mark, has a page in words like any other.
#[tokio::test(flavor = "multi_thread")]
async fn a_bad_address_has_a_page_in_words() {
    let (mut visit, _) = visit().await;
    visit.sign_in("ode", WORDS).await;
    for (path, status) in
        [("/runs/abc", 404), ("/spools/-1", 404), ("/runs/new?revision=abc", 400), ("/nowhere", 404)]
    {
        let page = visit.get(path).await;
        assert_eq!(page.status, status, "{path}");
        assert!(page.body.contains("<h1") && page.body.contains("</html>"), "{path}: {}", page.body);
        for raw in ["parse", "u64", "deserialize", "Query"] {
            assert!(!page.body.contains(raw), "{path}: {}", page.body);
        }
    }
}
