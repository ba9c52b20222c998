//! Roles over HTTP: every route by every role, and that what is offered is allowed.

use super::visit;
use crate::{Answer, Visit, add, with_design, with_run};
use scraper::{Html, Selector};
use std::collections::{BTreeMap, BTreeSet, VecDeque};
use store::Store;
use store::person::{NewPerson, Person, Role};
use workshop::{Action, Actor, Workshop};

const WORDS: &str = "seven thousand turns";
/// Most pages that a crawl looks at.
const MOST_PAGES: usize = 60;

/// The routes that somebody has to be signed in for: action, method, pattern.
pub(super) fn table() -> Vec<(Action, &'static str, &'static str)> {
    web::routes().filter_map(|route| Some((route.access.action()?, route.method, route.path))).collect()
}

/// Somebody of a role, signed in; returns the token of their forms too.
async fn signed_in(store: &Store, address: &Visit, role: Role) -> (Visit, String, Person) {
    let word: &'static str = role.into();
    let name = format!("some-{word}");
    let hash = workshop::hash_password(WORDS);
    let new = NewPerson { name: &name, sign_in: &name, password_hash: Some(&hash), role };
    let (shop, _) = store.workshops().await.unwrap()[0].clone();
    let id = store.workshop(shop).add_person(&new).await.unwrap();
    let mut visit = Visit { address: address.address, code: String::new(), cookies: BTreeMap::new() };
    assert_eq!(visit.sign_in(&name, WORDS).await.status, 303);
    let token = visit.get("/account").await.field("csrf");
    (visit, token, store.person(id).await.unwrap().unwrap())
}

fn is_refused(answer: &Answer) -> bool {
    answer.status == 403 && answer.code() == "not-allowed"
}

/// What nobody has to be signed in for is written here once more, so that no route is opened by a slip.
#[test]
fn what_is_open_is_known() {
    let open: BTreeSet<String> = web::routes()
        .filter(|route| route.access == web::Access::Open)
        .map(|route| format!("{} {}", route.method, route.path))
        .collect();
    let known = [
        "GET /calendar.ics",
        "GET /setup",
        "GET /sign-in",
        "GET /sign-in/code",
        "GET /sign-in/provider",
        "GET /sign-in/provider/back",
        "GET /station",
        "GET /welcome/{token}",
        "POST /password-strength",
        "POST /policy-report",
        "POST /setup",
        "POST /sign-in",
        "POST /sign-in/code",
        "POST /sign-in/passkey",
        "POST /sign-in/passkey/begin",
        "POST /sign-out",
        "POST /station/enrol",
        "POST /station/leave",
        "POST /station/stand",
        "POST /welcome/{token}",
        "POST /winder-stop",
    ];
    assert_eq!(open, known.map(str::to_owned).into());
    let all: Vec<_> = web::routes().map(|route| (route.method, route.path)).collect();
    let once: BTreeSet<_> = all.iter().collect();
    assert_eq!(all.len(), once.len(), "a route stands twice");
    assert!(all.len() > 150, "{}", all.len());
}

/// Routes are registered with what they ask of the caller, and in no other way.
#[test]
fn no_page_registers_a_route_by_itself() {
    let mut folders = vec![std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("src/pages")];
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                folders.push(path);
            } else if path.extension().is_some_and(|e| e == "rs") {
                let text = std::fs::read_to_string(&path).unwrap();
                for way in [".route(", "web::resource(", "web::scope("] {
                    assert!(!text.contains(way), "{way} in {}", path.display());
                }
            }
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn every_route_keeps_the_table() {
    let (mut owner, store) = visit().await;
    owner.sign_in("ode", WORDS).await;
    for role in Role::ALL {
        let (mut visit, token, person) = signed_in(&store, &owner, *role).await;
        for (action, method, pattern) in table() {
            let path = pattern
                .replace("{form:gcode|csv}", "csv")
                .replace("{change:disable|enable|anonymise}", "disable")
                .replace("{id}", "999999")
                .replace("{listening}", "999999")
                .replace("{name}", "nothing")
                .replace("{job}", "nothing")
                .replace("{kind}", "order");
            let answer = match method {
                "GET" => visit.get(&path).await,
                _ => visit.post(&path, &[("csrf", &token)]).await,
            };
            let may = Actor::from_person(&person).may(action);
            assert_eq!(is_refused(&answer), !may, "{method} {path} by {role:?}: {}", answer.status);
            assert_ne!(answer.status, 500, "{method} {path} by {role:?}");
        }
    }
}

/// Whatever leads somewhere or can be sent on the pages that a role sees is theirs to open and to send.
#[tokio::test(flavor = "multi_thread")]
async fn what_is_offered_is_allowed() {
    let (mut owner, store) = visit().await;
    owner.sign_in("ode", WORDS).await;
    let path = with_design(&mut owner).await;
    with_run(&mut owner, &path).await;
    let pair = [("name", "Sedge pair"), ("p0_revision", "1"), ("p1_revision", "1")];
    add(&mut owner, ("/sets/new", "#set-form"), "/sets", &pair).await;
    add(&mut owner, ("/rewinds/new?kind=tall-single", "#sheet"), "/rewinds", &[("name", "Old Sedge")]).await;
    let order = [("customer", "mark A"), ("state", "agreed"), ("item0", "r1"), ("quantity0", "2")];
    add(&mut owner, ("/orders/new", "main"), "/orders", &order).await;
    for role in Role::ALL {
        let (mut visit, token, _) = signed_in(&store, &owner, *role).await;
        let mut to_see = VecDeque::from(["/".to_owned()]);
        let (mut seen, mut sent) = (BTreeSet::new(), BTreeSet::new());
        while let Some(path) = to_see.pop_front() {
            if seen.len() >= MOST_PAGES || !seen.insert(path.clone()) {
                continue;
            }
            let answer = visit.get(&path).await;
            assert!(!is_refused(&answer), "{role:?} is offered {path}");
            if !answer.headers.get("content-type").is_some_and(|kind| kind.starts_with("text/html")) {
                continue;
            }
            let page = Html::parse_document(&answer.body);
            let links = Selector::parse("a[href^='/']").unwrap();
            for link in page.select(&links).filter_map(|e| e.value().attr("href")) {
                let link = link.split('#').next().unwrap_or_default().to_owned();
                // Of a page's filters and orders, one stands for all.
                let page_of = |link: &str| link.split('?').next().map(str::to_owned);
                let is_another =
                    seen.iter().chain(&to_see).any(|s| page_of(s) == page_of(&link) && s.contains('?'));
                if link.contains('?') && is_another {
                    continue;
                }
                if !link.starts_with("/assets") && !seen.contains(&link) {
                    to_see.push_back(link);
                }
            }
            let forms = Selector::parse("form[method='post'][action^='/']").unwrap();
            sent.extend(page.select(&forms).filter_map(|e| e.value().attr("action")).map(str::to_owned));
        }
        assert!(seen.len() > 8, "{role:?} saw {seen:?}");
        sent.retain(|to| !to.starts_with("/sign-out") && !to.starts_with("/account/sessions"));
        if *role == Role::Owner {
            // They may do everything, and would disable themselves here.
            continue;
        }
        for to in sent {
            let answer = visit.post(&to, &[("csrf", &token)]).await;
            assert!(!is_refused(&answer), "{role:?} is offered to send {to}");
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_new_role_holds_from_the_next_page_on() {
    let (mut owner, store) = visit().await;
    owner.sign_in("ode", WORDS).await;
    let (mut wren, _, person) = signed_in(&store, &owner, Role::Designer).await;
    assert_eq!(wren.get("/designs").await.status, 200);
    let token = owner.get("/people").await.field("csrf");
    let to = format!("/people/{}/role", person.id);
    assert_eq!(owner.post(&to, &[("csrf", &token), ("role", "operator")]).await.status, 303);
    assert!(is_refused(&wren.get("/designs").await));
    assert_eq!(owner.post(&to, &[("csrf", &token), ("role", "king")]).await.status, 400);
    let to = format!("/people/{}/disable", person.id);
    assert_eq!(owner.post(&to, &[("csrf", &token)]).await.status, 303);
    let out = wren.get("/logbook").await;
    assert!(out.status == 303 && out.headers["location"].starts_with("/sign-in"));
}

#[tokio::test(flavor = "multi_thread")]
async fn an_invited_person_sets_their_password_by_the_link() {
    let (mut owner, _) = visit().await;
    owner.sign_in("ode", WORDS).await;
    let token = owner.get("/people").await.field("csrf");
    let fields =
        [("csrf", token.as_str()), ("name", "Wren Ashby"), ("sign_in", "wren"), ("role", "operator")];
    let page = owner.post("/people", &fields).await;
    let link = page.find("#link").unwrap();
    let path = link.split_once(&owner.address.to_string()).unwrap().1.to_owned();
    assert!(!owner.get("/people").await.body.contains(&path), "it is shown once");
    assert_eq!(owner.post("/people", &fields).await.status, 422, "the name is taken");
    let mut wren = Visit { address: owner.address, code: String::new(), cookies: BTreeMap::new() };
    let form = wren.get(&path).await;
    let token = form.field("csrf");
    let weak = [("csrf", token.as_str()), ("password", "short"), ("again", "short")];
    let weighed = wren.post("/password-strength", &weak).await;
    let json: serde_json::Value = serde_json::from_str(&weighed.body).unwrap();
    assert!(json["score"].as_u64().unwrap() < 3 && !json["problem"].as_str().unwrap().is_empty());
    let strong = [("csrf", token.as_str()), ("password", "heron under wet slate")];
    let json: serde_json::Value =
        serde_json::from_str(&wren.post("/password-strength", &strong).await.body).unwrap();
    assert!(json["score"].as_u64().unwrap() >= 3 && json["problem"] == "");
    assert_eq!(
        wren.post("/password-strength", &[("password", "x")]).await.status,
        403,
        "only from our forms"
    );
    assert_eq!(wren.post(&path, &weak).await.status, 422);
    let differing = [("csrf", token.as_str()), ("password", "heron under wet slate"), ("again", "otherwise")];
    assert_eq!(wren.post(&path, &differing).await.status, 422);
    let good =
        [("csrf", token.as_str()), ("password", "heron under wet slate"), ("again", "heron under wet slate")];
    assert_eq!(wren.post(&path, &good).await.status, 303);
    assert_eq!(wren.get("/").await.status, 200);
    assert_eq!(wren.get(&path).await.status, 404, "it holds once");
    assert_eq!(wren.get("/welcome/zz").await.status, 404);
}

/// As if nobody had touched any station for hours.
async fn rest(url: &str) {
    let pool = sqlx::MySqlPool::connect(url).await.unwrap();
    let rested = sqlx::query(
        "UPDATE sessions SET state = JSON_SET(state, '$.active', '0') WHERE station_id IS NOT NULL",
    );
    assert_eq!(rested.execute(&pool).await.unwrap().rows_affected(), 1);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_station_asks_who_stands_at_it() {
    let (url, _) = dev_database::fresh_database().await;
    let store = Store::connect(&url).await.unwrap();
    crate::with_workshop(&store, "ode").await;
    let mut owner = Visit::to(&store);
    owner.sign_in("ode", WORDS).await;
    let (_, _, wren) = signed_in(&store, &owner, Role::Owner).await;
    let workshop = Workshop::new(store.clone());
    workshop.set_own_pin(&Actor::from_person(&wren), "407193".into(), "").await.unwrap();
    let token = owner.get("/stations").await.field("csrf");
    let page = owner.post("/stations", &[("csrf", &token), ("name", "By the window")]).await;
    let code = page.find("#code").unwrap();
    let mut tablet = Visit { address: owner.address, code: String::new(), cookies: BTreeMap::new() };
    let token = tablet.get("/station").await.field("csrf");
    assert_eq!(tablet.post("/station/enrol", &[("csrf", &token), ("code", "AAAA")]).await.status, 422);
    assert_eq!(tablet.post("/station/enrol", &[("csrf", &token), ("code", &code)]).await.status, 303);
    let asked = tablet.get("/logbook").await;
    assert_eq!(asked.headers["location"], "/station?next=/logbook");
    let page = tablet.get(&format!("/station?person={}", wren.id)).await;
    let token = page.field("csrf");
    let person = wren.id.to_string();
    let stand = |pin: &'static str| {
        [
            ("csrf", token.clone()),
            ("person", person.clone()),
            ("next", "/logbook".into()),
            ("pin", pin.into()),
        ]
    };
    let post = |fields: &[(&'static str, String); 4]| fields.clone();
    let wrong = post(&stand("111222"));
    let wrong: Vec<(&str, &str)> = wrong.iter().map(|(k, v)| (*k, v.as_str())).collect();
    assert_eq!(tablet.post("/station/stand", &wrong).await.status, 422);
    let right = post(&stand("407193"));
    let right: Vec<(&str, &str)> = right.iter().map(|(k, v)| (*k, v.as_str())).collect();
    assert_eq!(tablet.post("/station/stand", &right).await.headers["location"], "/logbook");
    assert_eq!(tablet.get("/logbook").await.status, 200);
    // An owner elsewhere, an operator here.
    assert!(is_refused(&tablet.get("/designs").await) && is_refused(&tablet.get("/people").await));
    assert!(is_refused(&tablet.get("/account/second-factor").await), "a PIN opens nobody's account");
    let token = tablet.get("/logbook").await.field("csrf");
    let feed = tablet.post("/week/feeds", &[("csrf", &token), ("of", "shop")]).await;
    assert!(is_refused(&feed), "a tablet makes no lasting way in: {}", feed.status);
    // After minutes of rest it asks again; a winder that runs is stopped all the same, and by the page that is open.
    let held = tablet.get("/logbook").await.field("csrf");
    rest(&url).await;
    assert_eq!(tablet.get("/logbook").await.headers["location"], "/station?next=/logbook");
    let stop = tablet.post("/runs/999999/winder", &[("csrf", &held), ("do", "stop")]).await;
    assert_eq!((stop.status, stop.headers.contains_key("location")), (404, false), "there is no such run");
    let run = tablet.post("/runs/999999/winder", &[("csrf", &held), ("do", "run"), ("rpm", "600")]).await;
    assert!(
        run.status == 303 && run.headers["location"].starts_with("/station"),
        "it is stopped, and not started"
    );
    let logged = tablet.post("/runs/999999/events", &[("csrf", &held)]).await;
    assert_eq!(logged.status, 303, "nothing else is done in somebody's name");
    assert_eq!(tablet.post("/station/stand", &right).await.headers["location"], "/logbook");
    let token = tablet.get("/logbook").await.field("csrf");
    assert_eq!(tablet.post("/station/leave", &[("csrf", &token)]).await.status, 303);
    assert_eq!(tablet.get("/logbook").await.status, 303);
    // Retired, it is a tablet like any other.
    let token = owner.get("/stations").await.field("csrf");
    assert_eq!(owner.post("/stations/1/retire", &[("csrf", &token)]).await.status, 303);
    assert!(tablet.get("/logbook").await.headers["location"].starts_with("/sign-in"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_workshop_can_ask_everybody_for_a_second_factor() {
    let (mut owner, _) = visit().await;
    owner.sign_in("ode", WORDS).await;
    let page = owner.get("/settings").await;
    let mut fields: Vec<(String, String)> = [
        "room_c",
        "load.volume_kohm",
        "load.tone_kohm",
        "load.tone_nf",
        "load.cable_pf",
        "station_rest_minutes",
    ]
    .iter()
    .map(|name| ((*name).to_owned(), page.field(name)))
    .collect();
    fields.push(("csrf".into(), page.field("csrf")));
    fields.push(("name".into(), "Sedge Lane".into()));
    fields.push(("second_factor".into(), "yes".into()));
    let borrowed = |fields: &[(String, String)]| -> Vec<(String, String)> { fields.to_vec() };
    let mut wrong = borrowed(&fields);
    wrong[0].1 = "900".into();
    wrong[1].1 = "loud".into();
    let wrong: Vec<(&str, &str)> = wrong.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    let refused = owner.post("/settings", &wrong).await;
    assert_eq!((refused.status, refused.field("room_c").as_str()), (422, "900"), "nothing typed is lost");
    let good: Vec<(&str, &str)> = fields.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    assert_eq!(owner.post("/settings", &good).await.status, 303);
    // From the next page on, and until it is set.
    let asked = owner.get("/logbook").await;
    assert_eq!((asked.status, asked.headers["location"].as_str()), (303, "/account/second-factor"));
    let page = owner.get("/account/second-factor").await;
    let (token, secret) = (page.field("csrf"), page.find("code.wrap").unwrap());
    let wrong = [("csrf", token.as_str()), ("code", "000000")];
    let refused = owner.post("/account/second-factor", &wrong).await;
    assert_eq!((refused.status, refused.find("code.wrap")), (422, Some(secret.clone())));
    let code = |steps: u64| {
        let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap().as_secs();
        let secret = totp_rs::Secret::try_from_base32(&secret).unwrap();
        totp_rs::Builder::new().with_secret(secret).build().unwrap().generate(now + 30 * steps).to_string()
    };
    let now = code(0);
    let right = [("csrf", token.as_str()), ("code", now.as_str())];
    let set = owner.post("/account/second-factor", &right).await;
    assert_eq!(set.status, 200);
    let recovery = set.find(".codes code").unwrap();
    assert_eq!(owner.get("/logbook").await.status, 200);
    // Signing in takes two steps now.
    let mut again = Visit { address: owner.address, code: String::new(), cookies: BTreeMap::new() };
    let first = again.sign_in("ode", WORDS).await;
    assert_eq!(first.headers["location"], "/sign-in/code?next=/logbook");
    assert_eq!(again.get("/logbook").await.status, 303, "the password alone is not enough");
    let token = again.get("/sign-in/code?next=/logbook").await.field("csrf");
    let wrong = [("csrf", token.as_str()), ("next", "/logbook"), ("code", now.as_str())];
    assert_eq!(again.post("/sign-in/code", &wrong).await.status, 422, "it was used");
    let right = [("csrf", token.as_str()), ("next", "/logbook"), ("code", recovery.as_str())];
    assert_eq!(again.post("/sign-in/code", &right).await.headers["location"], "/logbook");
    assert_eq!(again.get("/logbook").await.status, 200);
    let mut nobody = Visit { address: owner.address, code: String::new(), cookies: BTreeMap::new() };
    assert_eq!(nobody.get("/sign-in/code").await.headers["location"], "/sign-in");
}
