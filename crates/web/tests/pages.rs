//! Pages over HTTP, against a private MariaDB: who may see what, and what a visitor is told.
#![allow(clippy::unwrap_used, reason = "a test says what is missing by failing")]

mod forms;
mod journeys;
mod logbook;
mod sets;
mod trust;
mod units;
mod winding;
mod workbench;

use dev_database::{Durability, PrivateServer};
use scraper::{Html, Selector};
use std::collections::{BTreeMap, HashMap};
use std::fmt::Write as _;
use std::net::TcpListener;
use store::Store;
use store::person::{NewPerson, Role};
use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::net::TcpStream;
use workshop::Workshop;

/// A browser without a screen: keeps its cookies, follows nothing.
struct Visit {
    address: std::net::SocketAddr,
    /// What setting up takes.
    code: String,
    cookies: BTreeMap<String, String>,
}

struct Answer {
    status: u16,
    headers: HashMap<String, String>,
    body: String,
}

impl Answer {
    /// The code of a refusal.
    fn code(&self) -> &str {
        self.headers.get("filamentum-code").map_or("", String::as_str)
    }

    fn find(&self, css: &str) -> Option<String> {
        let page = Html::parse_document(&self.body);
        page.select(&Selector::parse(css).unwrap())
            .next()
            .map(|e| e.text().collect::<String>().trim().to_owned())
    }

    fn field(&self, name: &str) -> String {
        let page = Html::parse_document(&self.body);
        let css = Selector::parse(&format!("[name='{name}']")).unwrap();
        page.select(&css).next().and_then(|e| e.value().attr("value").map(str::to_owned)).unwrap_or_default()
    }
}

/// A body that came in chunks, each behind its size in hexadecimal, put together. One that was broken off has no last chunk.
fn whole(chunks: &str) -> String {
    let (mut rest, mut body) = (chunks.as_bytes(), Vec::new());
    loop {
        let end = rest.windows(2).position(|pair| pair == b"\r\n").expect("the answer was broken off");
        let size = usize::from_str_radix(std::str::from_utf8(&rest[..end]).unwrap(), 16).unwrap();
        if size == 0 {
            return String::from_utf8(body).unwrap();
        }
        body.extend_from_slice(&rest[end + 2..end + 2 + size]);
        rest = &rest[end + 4 + size..];
    }
}

impl Visit {
    fn to(store: &Store) -> Self {
        Self::new(Workshop::new(store.clone()))
    }

    fn new(workshop: Workshop) -> Self {
        let listener = TcpListener::bind("127.0.0.1:0").unwrap();
        let address = listener.local_addr().unwrap();
        let code = workshop.set_up_code().to_owned();
        tokio::spawn(web::serve(workshop, listener, &web::ServeOptions::default()).unwrap());
        Self { address, code, cookies: BTreeMap::new() }
    }

    async fn ask(&mut self, method: &str, path: &str, body: &str) -> Answer {
        let mut stream = TcpStream::connect(self.address).await.unwrap();
        let mut request =
            format!("{method} {path} HTTP/1.1\r\nHost: {}\r\nConnection: close\r\n", self.address);
        if !self.cookies.is_empty() {
            let all: Vec<String> =
                self.cookies.iter().map(|(name, value)| format!("{name}={value}")).collect();
            write!(request, "Cookie: {}\r\n", all.join("; ")).unwrap();
        }
        if method == "GET" {
            request.push_str("Accept: text/html\r\n");
        }
        if method == "POST" {
            write!(
                request,
                "Content-Type: application/x-www-form-urlencoded\r\nContent-Length: {}\r\n",
                body.len()
            )
            .unwrap();
        }
        write!(request, "\r\n{body}").unwrap();
        stream.write_all(request.as_bytes()).await.unwrap();
        let mut raw = Vec::new();
        stream.read_to_end(&mut raw).await.unwrap();
        let text = String::from_utf8_lossy(&raw).into_owned();
        let (head, body) = text.split_once("\r\n\r\n").unwrap();
        let mut lines = head.lines();
        let status = lines.next().unwrap().split(' ').nth(1).unwrap().parse().unwrap();
        let mut headers = HashMap::new();
        for (name, value) in lines.filter_map(|line| line.split_once(": ")) {
            let name = name.to_lowercase();
            if name == "set-cookie"
                && let Some((cookie, value)) = value.split(';').next().and_then(|pair| pair.split_once('='))
            {
                self.cookies.insert(cookie.to_owned(), value.to_owned());
            }
            headers.insert(name, value.to_owned());
        }
        let is_chunked = headers.get("transfer-encoding").is_some_and(|coding| coding == "chunked");
        let body = if is_chunked { whole(body) } else { body.to_owned() };
        Answer { status, headers, body }
    }

    async fn get(&mut self, path: &str) -> Answer {
        self.ask("GET", path, "").await
    }

    async fn post(&mut self, path: &str, fields: &[(&str, &str)]) -> Answer {
        let encode = |text: &str| text.bytes().map(|b| format!("%{b:02X}")).collect::<String>();
        let body: Vec<String> = fields.iter().map(|(k, v)| format!("{k}={}", encode(v))).collect();
        self.ask("POST", path, &body.join("&")).await
    }

    async fn sign_in(&mut self, name: &str, password: &str) -> Answer {
        let token = self.get("/sign-in").await.field("csrf");
        self.post(
            "/sign-in",
            &[("csrf", &token), ("sign_in", name), ("password", password), ("next", "/logbook")],
        )
        .await
    }
}

async fn with_workshop(store: &Store, name: &str) {
    let hash = workshop::hash_password("seven thousand turns");
    let owner =
        NewPerson { name: "Ode Farrow", sign_in: name, password_hash: Some(&hash), role: Role::Owner };
    store.create_workshop(name, &owner).await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn every_page_has_the_policy_and_asks_to_sign_in() {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let mut visit = Visit::to(&store);
    for path in
        ["/", "/designs", "/designs/new", "/revisions/1", "/runs/1", "/logbook", "/logbook.csv", "/spools"]
    {
        let answer = visit.get(path).await;
        assert_eq!(answer.status, 303, "{path}");
        assert!(answer.headers["location"].starts_with("/sign-in?next=/"), "{path}");
        let policy = &answer.headers["content-security-policy"];
        assert!(policy.contains("default-src 'self'") && !policy.contains("unsafe"), "{path}");
    }
    let page = visit.get("/sign-in").await;
    assert!(!page.body.contains("<style") && !page.body.contains("style=") && !page.body.contains("onclick"));
    assert_eq!(visit.get("/healthz").await.body, "ok\n");
    assert_eq!(visit.get("/assets/old/app.css").await.headers["cache-control"], "no-cache");
}

#[tokio::test(flavor = "multi_thread")]
async fn signing_in_needs_the_token_and_is_limited() {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let mut visit = Visit::to(&store);
    let forged = visit.post("/sign-in", &[("sign_in", "ode"), ("password", "seven thousand turns")]).await;
    assert_eq!(forged.status, 403);
    let before = {
        visit.get("/sign-in").await;
        visit.cookies.clone()
    };
    let answer = visit.sign_in("ODE", "seven thousand turns").await;
    assert_eq!((answer.status, answer.headers["location"].as_str()), (303, "/logbook"));
    assert_ne!(visit.cookies, before, "a session planted before signing in is worth nothing");
    assert_eq!(visit.get("/logbook").await.status, 200);
    // Without the token nothing is written, signed in or not.
    assert_eq!(visit.post("/spools", &[("label", "K-1")]).await.status, 403);
    let mut guesser = Visit { address: visit.address, code: String::new(), cookies: BTreeMap::new() };
    let mut last = 0;
    for _ in 0..14 {
        last = guesser.sign_in("ode", "wrong").await.status;
    }
    assert_eq!(last, 429);
}

#[tokio::test(flavor = "multi_thread")]
async fn another_workshop_sees_nothing() {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    with_workshop(&store, "wren").await;
    let mut ode = Visit::to(&store);
    ode.sign_in("ode", "seven thousand turns").await;
    let sheet = ode.get("/designs/new?kind=tall-single").await;
    let mut fields: Vec<(String, String)> = presentation::sheet::form_of(
        &coil::design::tall_single("Secret", 6, 10.4),
        coil::quantity::Units::default(),
    )
    .0
    .into_iter()
    .collect();
    fields.push(("csrf".into(), sheet.field("csrf")));
    fields.push(("key".into(), sheet.field("key")));
    let borrowed: Vec<(&str, &str)> = fields.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    let saved = ode.post("/designs", &borrowed).await;
    assert_eq!(saved.status, 303);
    let path = saved.headers["location"].clone();
    // The same form sent twice is one design.
    assert_eq!(ode.post("/designs", &borrowed).await.headers["location"], path);
    assert!(ode.get(&path).await.find("h1").unwrap().contains("Secret"));
    let mut wren = Visit::to(&store);
    wren.sign_in("wren", "seven thousand turns").await;
    for hidden in
        [path.clone(), format!("{path}/edit"), format!("{path}/design.json"), "/runs/new?revision=1".into()]
    {
        let answer = wren.get(&hidden).await;
        assert_eq!(answer.status, 404, "{hidden}");
        assert!(!answer.body.contains("Secret"));
    }
    assert!(!wren.get("/designs").await.body.contains("Secret"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_refused_sheet_keeps_what_was_typed() {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let mut visit = Visit::to(&store);
    visit.sign_in("ode", "seven thousand turns").await;
    let sheet = visit.get("/designs/new?kind=tall-single").await;
    let mut filled = presentation::sheet::form_of(
        &coil::design::tall_single("Sedge", 6, 10.4),
        coil::quantity::Units::default(),
    )
    .0;
    filled.insert("coils[0].wind.turns".into(), "a <b>lot</b>".into());
    filled.insert("csrf".into(), sheet.field("csrf"));
    filled.insert("key".into(), sheet.field("key"));
    let borrowed: Vec<(&str, &str)> = filled.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    let answer = visit.post("/designs", &borrowed).await;
    assert_eq!(answer.status, 422);
    assert_eq!(answer.field("coils[0].wind.turns"), "a <b>lot</b>");
    assert_eq!(answer.field("name"), "Sedge");
    assert!(!answer.find("[id='e-coils[0].wind.turns']").unwrap().is_empty());
    assert!(!answer.body.contains("<b>lot"), "what is typed is never markup");
}

/// The database goes away and comes back: a page says so, and nothing has to be restarted.
#[tokio::test(flavor = "multi_thread")]
async fn the_database_goes_away_and_comes_back() {
    let folder = tempfile::tempdir().unwrap();
    let mut server = PrivateServer::start(folder.path(), Durability::Full).await.unwrap();
    let store = Store::connect(&server.url("filamentum")).await.unwrap();
    with_workshop(&store, "ode").await;
    let mut visit = Visit::to(&store);
    visit.sign_in("ode", "seven thousand turns").await;
    assert_eq!(visit.get("/").await.status, 200);
    server.crash().await;
    for path in ["/", "/designs/new"] {
        let answer = visit.get(path).await;
        assert_eq!(answer.status, 503, "{path}");
        assert_eq!(answer.headers["retry-after"], "5");
    }
    assert_eq!(visit.get("/healthz").await.status, 503);
    server.restart().await.unwrap();
    let back = visit.get("/").await;
    assert_eq!(back.status, 200, "the session is still good");
    server.stop().await;
}

/// Signs in and saves a standard design; gives the path of its revision.
async fn with_design(visit: &mut Visit) -> String {
    visit.sign_in("ode", "seven thousand turns").await;
    let sheet = visit.get("/designs/new?kind=tall-single").await;
    let mut filled = presentation::sheet::form_of(
        &coil::design::tall_single("Sedge", 6, 10.4),
        coil::quantity::Units::default(),
    )
    .0;
    filled.insert("csrf".into(), sheet.field("csrf"));
    filled.insert("key".into(), sheet.field("key"));
    let borrowed: Vec<(&str, &str)> = filled.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    visit.post("/designs", &borrowed).await.headers["location"].clone()
}

/// Fields of a form by name.
type Fields = BTreeMap<String, String>;

/// The fields of the page's form as a browser sends them.
fn fields_of(page: &Answer, form: &str) -> Fields {
    let page = Html::parse_document(&page.body);
    let all = Selector::parse(&format!("{form} input, {form} select")).unwrap();
    let option = Selector::parse("option[selected]").unwrap();
    page.select(&all)
        .filter(|e| e.value().attr("type") != Some("checkbox") || e.value().attr("checked").is_some())
        .filter_map(|e| {
            let name = e.value().attr("name")?.to_owned();
            let chosen = e.select(&option).next().and_then(|o| o.value().attr("value"));
            let value = if e.value().name() == "select" { chosen } else { e.value().attr("value") };
            Some((name, value.unwrap_or_default().to_owned()))
        })
        .collect()
}

async fn send(visit: &mut Visit, path: &str, fields: &Fields) -> Answer {
    let borrowed: Vec<(&str, &str)> = fields.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    visit.post(path, &borrowed).await
}

/// Fills the form of a page and sends it to where new things are added.
async fn add(visit: &mut Visit, (page, form): (&str, &str), to: &str, typed: &[(&str, &str)]) {
    let mut fields = fields_of(&visit.get(page).await, form);
    fields.extend(typed.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())));
    let answer = send(visit, to, &fields).await;
    assert_eq!(answer.status, 303, "{to}: {}", answer.body);
}

/// Starts a run of that revision; gives its path.
async fn with_run(visit: &mut Visit, revision: &str) -> String {
    let id = revision.rsplit('/').next().unwrap().to_owned();
    let page = visit.get(&format!("/runs/new?revision={id}")).await;
    let (token, key) = (page.field("csrf"), page.field("key"));
    let operator = Html::parse_document(&page.body)
        .select(&Selector::parse("[name=operator] option").unwrap())
        .next()
        .and_then(|o| o.value().attr("value").map(str::to_owned))
        .unwrap();
    let fields = [
        ("csrf", token.as_str()),
        ("key", &key),
        ("revision", &id),
        ("turns", "7,500"),
        ("stops", "300, 7500"),
        ("operator", &operator),
        ("spool", ""),
        ("remark", "=first"),
    ];
    visit.post("/runs", &fields).await.headers["location"].clone()
}

async fn log(visit: &mut Visit, run: &str, readings: &[(&str, &str)]) -> Answer {
    let page = visit.get(run).await;
    let (token, key) = (page.field("csrf"), page.field("key"));
    let mut fields = vec![("csrf", token.as_str()), ("key", key.as_str())];
    fields.extend_from_slice(readings);
    visit.post(&format!("{run}/readings"), &fields).await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_run_from_start_to_verdict_and_export() {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let mut visit = Visit::to(&store);
    let revision = with_design(&mut visit).await;
    let run = with_run(&mut visit, &revision).await;
    assert!(visit.get(&run).await.find(".verdict.waiting").is_some());
    let empty = log(&mut visit, &run, &[("turns", "")]).await;
    assert_eq!(empty.status, 422);
    assert!(!empty.find("#e-turns").unwrap().is_empty());
    for (field, typed) in
        [("resistance", "5.8 H"), ("inductance", "-2"), ("flux_3", "9 T"), ("turns", "lots")]
    {
        let refused = log(&mut visit, &run, &[(field, typed), ("coil_c", "22"), ("test_hz", "1k")]).await;
        assert_eq!(refused.status, 422, "{field}");
        assert!(!refused.find(&format!("#e-{field}")).unwrap().is_empty(), "{field}");
        assert_eq!(refused.field(field), typed, "nothing typed is lost");
    }
    let logged = log(
        &mut visit,
        &run,
        &[
            ("turns", "7500"),
            ("resistance", "5.74k"),
            ("coil_c", "25"),
            ("inductance", "2.16"),
            ("test_hz", "1 kHz"),
        ],
    )
    .await;
    assert_eq!(logged.status, 303);
    let page = visit.get(&run).await;
    assert!(page.find(".verdict.pass").is_some() && page.find(".compare tr.inside").is_some());
    let csv = visit.get("/logbook.csv").await;
    assert!(csv.headers["content-type"].starts_with("text/csv"));
    let lines: Vec<&str> = csv.body.lines().filter(|line| line.contains(',')).collect();
    assert_eq!(lines.len(), 2);
    assert!(
        lines[1].contains(",1,20")
            && lines[1].contains(",Sedge,r1,,Ode Farrow,,7500,7500.0,5740.0,,25.0,")
            && lines[1].contains(",pass,"),
        "{}",
        lines[1]
    );
    assert!(visit.get("/logbook?verdict=pass&q=sedge").await.body.contains("Run 1"));
    assert!(!visit.get("/logbook?verdict=stop").await.body.contains("Run 1"));
}

#[tokio::test(flavor = "multi_thread")]
async fn open_coils_and_reversed_poles_stop_the_run() {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let mut visit = Visit::to(&store);
    let revision = with_design(&mut visit).await;
    let run = with_run(&mut visit, &revision).await;
    // South is up by design: a positive reading is a north pole.
    log(&mut visit, &run, &[("turns", "7500"), ("flux_2", "1200 G")]).await;
    let page = visit.get(&run).await;
    assert!(page.find(".verdict.stop").unwrap().contains("ole 2"));
    let second = with_run(&mut visit, &revision).await;
    log(&mut visit, &second, &[("resistance", "OL")]).await;
    let page = visit.get(&second).await;
    assert!(page.find(".verdict.stop").is_some());
    assert!(visit.get("/").await.find(".ticket.stop").unwrap().contains("Run 2"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_correction_belongs_to_its_own_run() {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let mut visit = Visit::to(&store);
    let revision = with_design(&mut visit).await;
    let (first, second) = (with_run(&mut visit, &revision).await, with_run(&mut visit, &revision).await);
    log(&mut visit, &first, &[("turns", "762"), ("accept", "yes")]).await;
    // The first reading of the first run cannot be corrected from the second.
    let foreign = log(&mut visit, &second, &[("turns", "7500"), ("corrects", "1")]).await;
    assert_eq!(foreign.status, 404);
    assert_eq!(log(&mut visit, &first, &[("turns", "7500"), ("corrects", "1")]).await.status, 303);
    let page = visit.get(&first).await;
    assert!(page.find(".log .struck").unwrap().contains("762"));
    let late = log(&mut visit, &first, &[("turns", "7600"), ("corrects", "1")]).await;
    assert_eq!((late.status, late.code()), (409, "reading-superseded"));
}

async fn previewed(visit: &mut Visit, filled: &BTreeMap<String, String>) -> serde_json::Value {
    let borrowed: Vec<(&str, &str)> = filled.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    json_of(&visit.post("/designs/preview", &borrowed).await)
}

fn json_of(answer: &Answer) -> serde_json::Value {
    let body = answer.body.find('{').map(|at| &answer.body[at..=answer.body.rfind('}').unwrap()]).unwrap();
    serde_json::from_str(body).unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn the_preview_answers_with_numbers_or_messages() {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let mut visit = Visit::to(&store);
    visit.sign_in("ode", "seven thousand turns").await;
    let sheet = visit.get("/designs/new?kind=tall-single").await;
    let mut filled = presentation::sheet::form_of(
        &coil::design::tall_single("", 6, 10.4),
        coil::quantity::Units::default(),
    )
    .0;
    filled.insert("csrf".into(), sheet.field("csrf"));
    for (turns, good) in [("7500", true), ("0", false)] {
        filled.insert("coils[0].wind.turns".into(), turns.into());
        let json = previewed(&mut visit, &filled).await;
        assert_eq!(json["errors"].as_object().unwrap().is_empty(), good);
        assert_eq!(
            json["parts"]["strip"].as_str().unwrap_or_default().contains("data-cell=\"resistance\""),
            good
        );
        assert_eq!(json["parts"]["drawings"].as_str().unwrap_or_default().contains("<svg"), good);
    }
}

/// A step that changes the parts gives new fields, and the design that they stand on; every drawing is to be had.
#[tokio::test(flavor = "multi_thread")]
async fn steps_reshape_the_sheet_and_views_change_the_drawings() {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let mut visit = Visit::to(&store);
    visit.sign_in("ode", "seven thousand turns").await;
    let sheet = visit.get("/designs/new?kind=twin-coil&strings=8").await;
    assert!(sheet.find("#fields").unwrap().contains("Coil B"));
    let twin = coil::design::starting_point(coil::design::Format::TwinCoil, "", 6, 10.0);
    let mut filled = presentation::sheet::form_of(&twin, coil::quantity::Units::default()).0;
    filled.insert("csrf".into(), sheet.field("csrf"));
    filled.insert("step".into(), "coil.remove:0".into());
    let json = previewed(&mut visit, &filled).await;
    let left: coil::design::Design =
        serde_json::from_str(json["values"]["document"].as_str().unwrap()).unwrap();
    assert_eq!((left.coils.len(), left.poles.len()), (1, 6));
    assert!(!json["fields"].as_str().unwrap().contains("coils[1]"));
    filled.insert("step".into(), "coil.eat".into());
    let pairs: Vec<(&str, &str)> = filled.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    assert_eq!(visit.post("/designs/preview", &pairs).await.status, 404, "no such step");
    filled.insert("step".into(), String::new());
    for (view, shown) in [("laid", "class=\"turns"), ("field", "mT upright"), ("wiring", "hot")] {
        filled.insert("view".into(), view.into());
        let json = previewed(&mut visit, &filled).await;
        assert!(json["parts"]["drawings"].as_str().unwrap().contains(shown), "{view}");
        assert!(json["fields"].is_null(), "the parts are as they were");
    }
    filled.insert("strings.count".into(), "8".into());
    let json = previewed(&mut visit, &filled).await;
    assert!(json["fields"].as_str().unwrap().contains("poles[15].length_mm"));
}

/// Two people go on from the same revision: the second is told, and saves beside it only when told to.
#[tokio::test(flavor = "multi_thread")]
async fn nobody_overwrites_a_newer_revision_unseen() {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let mut visit = Visit::to(&store);
    let first = with_design(&mut visit).await;
    let opened = visit.get(&format!("{first}/edit")).await;
    let again = visit.get(&format!("{first}/edit")).await;
    let sheet = |page: &Answer, turns: &str, more: &[(&str, &str)]| -> Vec<(String, String)> {
        let mut filled = presentation::sheet::form_of(
            &coil::design::tall_single("Sedge", 6, 10.4),
            coil::quantity::Units::default(),
        )
        .0;
        filled.insert("coils[0].wind.turns".into(), turns.into());
        for name in ["csrf", "key", "parent", "seen"] {
            filled.insert(name.into(), page.field(name));
        }
        filled.extend(more.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())));
        filled.into_iter().collect()
    };
    let one = sheet(&opened, "8000", &[]);
    let pairs: Vec<(&str, &str)> = one.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    assert_eq!(visit.post(&first, &pairs).await.status, 303);
    let two = sheet(&again, "9000", &[]);
    let pairs: Vec<(&str, &str)> = two.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    let told = visit.post(&first, &pairs).await;
    assert_eq!(told.status, 409);
    assert!(
        told.find("[name=beside]").is_some() && told.field("coils[0].wind.turns") == "9000",
        "nothing is lost"
    );
    let three = sheet(&again, "9000", &[("beside", "2")]);
    let pairs: Vec<(&str, &str)> = three.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    let saved = visit.post(&first, &pairs).await;
    assert_eq!(saved.status, 303);
    let branch = visit.get(&saved.headers["location"].clone()).await;
    assert!(branch.find("h1").unwrap().contains("r3"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_design_file_opens_on_a_sheet_or_says_all_that_is_wrong() {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let mut visit = Visit::to(&store);
    let first = with_design(&mut visit).await;
    let file = visit.get(&format!("{first}/design.json")).await.body;
    let text = &file[file.find('{').unwrap()..=file.rfind('}').unwrap()];
    let token = visit.get("/designs/new").await.field("csrf");
    let opened = visit.post("/designs/import", &[("csrf", &token), ("text", text)]).await;
    assert_eq!((opened.status, opened.field("name").as_str()), (200, "Sedge"));
    let broken = text.replace("\"turns\"", "\"turnz\"").replace("\"pitch_mm\": 10.4", "\"pitch_mm\": 1.0");
    let refused = visit.post("/designs/import", &[("csrf", &token), ("text", &broken)]).await;
    assert_eq!(refused.status, 422);
    assert!(refused.body.contains("turnz") && refused.find("textarea").unwrap().contains("turnz"));
    let copy = visit.get(&format!("{first}/duplicate")).await;
    assert_eq!(copy.field("name"), "Sedge, copy");
}

/// One gesture makes a family of three that differ in one thing, and shows them side by side.
#[tokio::test(flavor = "multi_thread")]
async fn an_experiment_is_three_coils_that_differ_in_one_thing() {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let mut visit = Visit::to(&store);
    let first = with_design(&mut visit).await;
    let page = visit.get(&first).await;
    let fields = [
        ("csrf", page.field("csrf")),
        ("key", page.field("key")),
        ("vary", "turns".to_owned()),
        ("values", "7200, 7800".to_owned()),
    ];
    let pairs: Vec<(&str, &str)> = fields.iter().map(|(k, v)| (*k, v.as_str())).collect();
    let made = visit.post(&format!("{first}/vary"), &pairs).await;
    assert_eq!(made.status, 303);
    let experiment = made.headers["location"].clone();
    let again = visit.post(&format!("{first}/vary"), &pairs).await;
    assert_eq!(again.headers["location"], experiment, "sent twice, it is the same family");
    let shown = visit.get(&experiment).await;
    let link = Selector::parse("a[href^='/compare']").unwrap();
    let address = Html::parse_document(&shown.body)
        .select(&link)
        .next()
        .and_then(|a| a.value().attr("href"))
        .unwrap()
        .to_owned();
    assert_eq!(address.matches("of=").count(), 3);
    let compared = visit.get(&address).await;
    assert!(compared.body.contains("7200") && compared.body.contains("7800"));
    let page = Html::parse_document(&compared.body);
    let differs = page.select(&Selector::parse(".changes tbody tr").unwrap()).count();
    assert_eq!(differs, 1, "one thing differs");
    // The lowest string's partials, the highest's, and those of a string that none of them has.
    let partials = |page: &str| {
        let page = Html::parse_document(page);
        let box_of = Selector::parse(".plot-box").unwrap();
        page.select(&box_of).filter_map(|plot| plot.value().attr("data-plot").map(str::to_owned)).nth(1)
    };
    let (lowest, highest) =
        (partials(&compared.body), partials(&visit.get(&format!("{address}&string=1")).await.body));
    assert!(lowest.is_some() && highest.is_some() && lowest != highest);
    assert_eq!(partials(&visit.get(&format!("{address}&string=9")).await.body), None);
    let csv = visit.get(&address.replace("/compare?", "/compare.csv?")).await;
    assert!(csv.body.lines().filter(|l| l.contains("predicted")).count() == 3, "{}", csv.body);
    let wrong = [("csrf", fields[0].1.as_str()), ("key", fields[1].1.as_str()), ("vary", "moon")];
    assert_eq!(visit.post(&format!("{first}/vary"), &wrong).await.status, 404);
}

/// A search says how far it is, ends with a list, and belongs to its workshop.
#[tokio::test(flavor = "multi_thread")]
async fn a_search_ends_with_a_list() {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let mut visit = Visit::to(&store);
    visit.sign_in("ode", "seven thousand turns").await;
    let sheet = visit.get("/designs/new?kind=tall-single").await;
    let mut filled = presentation::sheet::form_of(
        &coil::design::tall_single("", 6, 10.4),
        coil::quantity::Units::default(),
    )
    .0;
    for (name, value) in [
        ("csrf", sheet.field("csrf").as_str()),
        ("search_l_from", "2.6 H"),
        ("search_l_to", "2.8"),
        ("search_turns_from", "6000"),
        ("search_turns_to", "9500"),
        ("search_gauges", "0"),
    ] {
        filled.insert(name.into(), value.into());
    }
    let pairs: Vec<(&str, &str)> = filled.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    let begun = json_of(&visit.post("/designs/search", &pairs).await);
    let path = format!("/designs/search/{}", begun["job"].as_str().unwrap());
    let mut progress = json_of(&visit.get(&path).await);
    while progress["done"] == false {
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
        progress = json_of(&visit.get(&path).await);
    }
    assert!(progress["results"].as_str().unwrap().contains("data-document"));
    assert_eq!(visit.get("/designs/search/0123456789abcdef0123456789abcdef").await.status, 404);
}
