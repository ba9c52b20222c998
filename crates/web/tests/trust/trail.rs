//! What is sent leaves a line: forms are filled in as they stand on their pages and sent, and the line that each wrote is counted.

use super::roles::table;
use crate::{Fields, Visit, send};
use scraper::{ElementRef, Html, Selector};
use sqlx::{AssertSqlSafe, MySqlPool};
use std::collections::{BTreeMap, BTreeSet};
use store::Store;

/// The trail of changes, and what is only ever appended with its person, which is its own trail.
const TRAILS: &[&str] = &[
    "audit",
    "revisions",
    "runs",
    "readings",
    "run_events",
    "signatures",
    "sweeps",
    "timers",
    "part_moves",
    "verdicts",
    "spool_checks",
    "run_coils",
    "listenings",
    "pickup_sets",
    "rewinds",
    "orders",
    "experiments",
    "matched_sets",
    "listening_keys",
];

/// Fields with what is typed into them.
type Typed = &'static [(&'static str, &'static str)];

/// A form: its route, the page that it stands on, and what is typed into it. Where a script sends it, the page is where to, after `POST`.
type Deed = (&'static str, &'static str, Typed);

/// Stands in place of a route where a statement prepares what the next form needs.
const SQL: &str = "SQL";

/// What writes nothing, with why.
const WRITES_NOTHING: &[(&str, &str)] = &[
    ("/designs/preview", "computes"),
    ("/designs/search", "computes"),
    ("/designs/sensitivity", "computes"),
    ("/designs/maps", "computes"),
    ("/designs/assumptions", "computes"),
    ("/designs/audition", "computes"),
    ("/sets/preview", "computes"),
    ("/sets/search", "computes"),
    ("/sets/audition", "computes"),
    ("/rewinds/preview", "computes"),
    ("/rewinds/curve", "computes"),
    ("/orders/promise", "computes"),
    ("/designs/import", "opens the workbench"),
    ("/jobs/{name}/cancel", "ends what computes"),
    ("/calibration", "fits what is fitted after every reading anyway"),
    ("/backups/{name}/verify", "reads"),
    ("/instruments/{id}/test", "asks an instrument"),
    ("/instruments/{id}/bench", "sets a simulated bench"),
    ("/runs/{id}/cooling", "reads on until the coil is cold"),
    ("/account/passkeys/new", "asks a browser; what it makes is sent to /account/passkeys"),
    ("/account/provider", "shows the way to the provider"),
    ("/unreadable/{kind}/{id}/delete", "tried in an_unreadable_record_is_exported_and_deleted"),
    ("/account/passkeys", "takes a browser that makes one: a_passkey_is_made_used_and_removed"),
    ("/account/passkeys/{id}/remove", "the same"),
    ("/account/provider/remove", "takes a provider: somebody_links_themselves"),
    ("/photos", "is no form of fields: photos_are_of_something_of_their_workshop"),
    ("/photos/{id}/remove", "the same"),
    ("/photos/{id}/put-back", "the same"),
];

/// What is sent, in this order, with what is typed into the form that a page shows for it.
const DEEDS: &[Deed] = &[
    ("/account/pin", "/account", &[("pin", "407193")]),
    ("/account/sessions/{id}", "/account", &[]),
    ("/account/sessions/others", "/account", &[]),
    ("/people", "/people", &[("name", "Wren Ashby"), ("sign_in", "wren"), ("role", "operator")]),
    ("/people/{id}/role", "/people", &[("role", "designer")]),
    ("/people/{id}/link", "/people", &[]),
    (SQL, "UPDATE people SET totp_secret = 'GEZDGNBVGY3TQOJQ' WHERE id = 2", &[]),
    ("/people/{id}/second-factor", "POST /people/2/second-factor", &[]),
    ("/people/{id}/{change:disable|enable|anonymise}", "/people", &[("sure", "yes")]),
    ("/stations", "/stations", &[("name", "Window")]),
    ("/stations/{id}/retire", "/stations", &[]),
    ("/week/feeds", "/week", &[]),
    ("/week/feeds/{id}/end", "/week", &[]),
    ("/week/hours", "/week", &[("from", "07:30")]),
    (
        "/week/hours/person",
        "/week",
        &[("person", "1"), ("own_from", "08:30"), ("own_to", "12:00"), ("own_days", "mon tue")],
    ),
    ("/settings", "/settings", &[("name", "Sedge Lane"), ("room_c", "21")]),
    ("/backups", "/backups", &[]),
    ("/instruments/networks", "/instruments", &[("network", "192.0.2.0/24 5025-5030")]),
    (
        "/instruments",
        "/instruments",
        &[("kind", "ohm"), ("name", "Bench meter"), ("address", "192.0.2.7:5025")],
    ),
    ("/instruments/{id}", "/instruments/6/edit", &[("name", "Bench meter two")]),
    (SQL, "UPDATE instruments SET input_pf = 100, input_mohm = 1 WHERE id = 4", &[]),
    ("/instruments/{id}/shown", "POST /instruments/4/shown", &[]),
    ("/instruments/{id}/machine", "/instruments/5/machine", &[("steps_per_mm", "81")]),
    ("/instruments/{id}/retire", "POST /instruments/6/retire", &[]),
    ("/instruments/{id}/delete", "POST /instruments/6/delete", &[]),
    ("/instruments/networks/{id}/remove", "/instruments", &[]),
    ("/parts", "/parts", &[("name", "Bar, ceramic"), ("stock", "12")]),
    ("/parts/{id}", "/parts", &[("supplier", "the magnet works")]),
    ("/parts/{id}/moves", "/parts", &[("count", "5"), ("why", "delivered")]),
    ("/parts/{id}/name", "POST /parts/1/name", &[("name", "Bar of ceramic")]),
    ("/spools", "/spools", &[("label", "J-9"), ("gauge", "42 AWG"), ("initial", "21000")]),
    ("/spools/{id}", "/spools/1", &[("supplier", "the wire works")]),
    ("/spools/{id}/checks", "/spools/1", &[("overall", "0.071")]),
    ("/spools/{id}/name", "POST /spools/1/name", &[("name", "J-10")]),
    ("/costs", "/costs", &[("part-1", "4")]),
    ("/travellers", "/travellers", &[("kind", "tall-single"), ("text", "Wind it\n")]),
    ("/day/outages", "/day", &[("resource", "pot"), ("reason", "its thermostat")]),
    ("/day/outages/{id}/end", "/day", &[]),
    ("/day/begin", "POST /day/begin", &[("job", "run:1"), ("operation", "seams")]),
    ("/day/lay-down", "POST /day/lay-down", &[("job", "run:1"), ("operation", "seams")]),
    ("/day/pin", "POST /day/pin", &[("job", "run:1"), ("operation", "wind"), ("at", "2027-03-01T10:00")]),
    ("/day/seen", "POST /day/seen", &[]),
    ("/timers", "/", &[("label", "Lacquer"), ("minutes", "90")]),
    ("/timers/{id}/end", "POST /timers/1/end", &[]),
    ("/runs", "/runs/new?revision=1", &[("turns", "7500"), ("operator", "1"), ("accept", "yes")]),
    (
        "/runs/{id}/events",
        "POST /runs/1/events",
        &[("what", "splice"), ("at_turn", "4120"), ("confirmed", "yes")],
    ),
    ("/runs/{id}/winder", "POST /runs/1/winder", &[("do", "take"), ("how", "set"), ("winder", "5")]),
    ("/runs/{id}/counter", "/runs/1", &[("log", "0,10\n60,510\n")]),
    ("/runs/{id}/readings", "/runs/1", &[("turns", "7500"), ("resistance", "5.7k"), ("coil_c", "20")]),
    ("/runs/{id}/read", "/runs/1", &[("instrument", "1")]),
    (SQL, "UPDATE verdicts SET engine = '0.0.1'", &[]),
    ("/runs/{id}/judge", "/runs/1", &[]),
    ("/runs/{id}/parts", "POST /runs/1/parts", &[]),
    ("/runs/{id}/sign", "/runs/1", &[]),
    ("/revisions/{id}/label", "/revisions/1", &[("label", "bright"), ("tags", "lap steel")]),
    ("/revisions/{id}/name", "/revisions/1", &[("name", "Sedge two")]),
    (
        "/revisions/{id}/sweeps",
        "/revisions/1",
        &[
            ("sweep_label", "Bench"),
            (
                "points",
                "100 0\n200 0\n500 0\n1000 1\n2000 2\n3000 4\n4000 6\n5000 8\n6000 4\n7000 0\n8000 -3\n",
            ),
        ],
    ),
    ("/revisions/{id}/vary", "/revisions/1", &[("vary", "turns"), ("values", "7200, 7400")]),
    ("/revisions/{id}", "/revisions/1/edit", &[("coils[0].wind.turns", "7600"), ("note", "more turns")]),
    ("/revisions/{id}/restore", "/revisions/1", &[]),
    ("/designs", "/designs/new?kind=tall-single", &[("name", "Reed")]),
    ("/sets", "/sets/new", &[("name", "Reed pair"), ("p0_revision", "1"), ("p1_revision", "1")]),
    ("/sets/{id}", "/sets/1", &[("name", "Sedge pair two")]),
    ("/sets/{id}/partner", "/sets/1", &[("partner_name", "middle"), ("partner_place", "100")]),
    (
        "/sets/{id}/balance",
        "POST /sets/1/balance",
        &[("pickup", "0"), ("freedom", "height"), ("version", "@/sets/1")],
    ),
    ("/sets/{id}/undo", "POST /sets/1/undo", &[("version", "@/sets/1")]),
    ("/sets/{id}/mend", "POST /sets/1/mend", &[("mend", "0:swap-leads"), ("version", "@/sets/1")]),
    (
        "/sets/{id}/moves",
        "POST /sets/1/moves",
        &[("moves", "1.05;0;-0.2|1;0;0|1;0;0"), ("version", "@/sets/1")],
    ),
    ("/sets/{id}/runs", "POST /sets/1/runs", &[("take", "0:1")]),
    ("/sets/{id}/archive", "/sets/1", &[("archived", "yes")]),
    ("/sets/import", "/sets", &[("document", "@/sets/1/set.json")]),
    ("/rewinds", "/rewinds/new?kind=tall-single", &[("name", "Old Reed")]),
    (
        "/rewinds/{id}",
        "/rewinds/1",
        &[
            ("name", "Old Sedge two"),
            ("resistance", "5.9k"),
            ("resistance_ohm", "5.9k"),
            ("inductance_h", "2.2"),
            ("coil_c", "20"),
            ("test_hz", "1000"),
        ],
    ),
    ("/rewinds/{id}/answer", "/rewinds/1", &[("answer", "@/rewinds/1#button[name=answer]")]),
    ("/rewinds/{id}/choose", "/rewinds/1", &[("place", "0")]),
    ("/rewinds/{id}/restore", "/rewinds/1", &[("way", "original")]),
    ("/rewinds/{id}/copy", "/rewinds/1", &[("copy_name", "Copy of Sedge")]),
    ("/rewinds/{id}/archive", "/rewinds/1", &[("archived", "yes")]),
    ("/rewinds/import", "/rewinds", &[("document", "@/rewinds/1/findings.json")]),
    (
        "/orders",
        "/orders/new",
        &[("customer", "mark C"), ("state", "agreed"), ("item0", "r1"), ("quantity0", "1")],
    ),
    ("/orders/{id}", "/orders/1", &[("customer", "mark B"), ("notes", "by Friday")]),
    ("/matched-sets", "POST /matched-sets", &[("runs", "1,2"), ("name", "Pair")]),
    ("/matched-sets/{id}/sold", "/matching", &[("sold", "yes")]),
    (SQL, "UPDATE matched_sets SET sold_at = NULL", &[]),
    ("/matched-sets/{id}/dissolve", "/matching", &[]),
    ("/runs/{id}/assemble", "POST /runs/1/assemble", &[]),
    (
        "/experiments",
        "/experiments",
        &[("question", "Which is brighter?"), ("cares", "2"), ("arm_0", "1"), ("arm_1", "2")],
    ),
    ("/experiments/{id}/listen", "POST /experiments/1/listen", &[]),
    (
        "/experiments/{id}/listen/{listening}",
        "/experiments/1",
        &[
            ("bright-A", "5"),
            ("full-A", "5"),
            ("liked-A", "5"),
            ("bright-B", "6"),
            ("full-B", "6"),
            ("liked-B", "6"),
        ],
    ),
    ("/experiments/{id}/listen/{listening}/key", "POST /experiments/1/listen/1/key", &[]),
    ("/experiments/{id}/close", "/experiments/1", &[("words", "r2 is brighter.")]),
    (
        SQL,
        "INSERT INTO experiments (workshop_id, client_key, question, cares_percent, made_by) VALUES (1, 'b', 'Which?', 2, 1)",
        &[],
    ),
    ("/experiments/{id}/delete", "POST /experiments/2/delete", &[]),
    ("/calibration/switch", "/calibration", &[]),
    ("/calibration/design", "POST /calibration/design", &[("design", "1"), ("how", "off")]),
    (SQL, "UPDATE verdicts SET engine = '0.0.1'", &[]),
    ("/calibration/rejudge", "/calibration", &[]),
    (
        "/logbook/import",
        "/logbook/import",
        &[("text", "date,design,turns,resistance\n2026-03-01,Sedge two,7500,5800\n"), ("take", "yes")],
    ),
    ("/runs/{id}/void", "/runs/1", &[("reason", "the wire broke")]),
    ("/sets/{id}/delete", "POST /sets/2/delete", &[]),
    ("/rewinds/{id}/delete", "POST /rewinds/2/delete", &[]),
    ("/orders/{id}/delete", "POST /orders/2/delete", &[]),
    (SQL, "ALTER TABLE revisions AUTO_INCREMENT = 900", &[]),
    ("/designs", "/designs/new?kind=tall-single", &[("name", "Nothing hangs on it")]),
    ("/revisions/{id}/delete", "POST /revisions/900/delete", &[]),
    ("/spools/{id}/delete", "POST /spools/1/delete", &[]),
    ("/parts", "/parts", &[("name", "Nothing hangs on it"), ("stock", "0")]),
    ("/parts/{id}/delete", "POST /parts/2/delete", &[]),
    ("/account/second-factor", "/account/second-factor", &[("code", "@totp")]),
    ("/account/second-factor/remove", "/account", &[("own_password", "seven thousand turns")]),
    (
        "/account/password",
        "/account",
        &[
            ("current", "seven thousand turns"),
            ("password", "heron under wet slate"),
            ("again", "heron under wet slate"),
        ],
    ),
];

/// How many rows each trail has.
async fn lines(pool: &MySqlPool) -> Vec<i64> {
    let mut counts = Vec::new();
    for table in TRAILS {
        let sql = AssertSqlSafe(format!("SELECT COUNT(*) FROM {table}"));
        counts.push(sqlx::query_scalar(sql).fetch_one(pool).await.unwrap());
    }
    counts
}

/// Whether any trail is longer than it was.
async fn is_longer(pool: &MySqlPool, before: &[i64]) -> bool {
    lines(pool).await.iter().zip(before).any(|(now, before)| now > before)
}

fn is_of(pattern: &str, path: &str) -> bool {
    let (pattern, path): (Vec<&str>, Vec<&str>) = (pattern.split('/').collect(), path.split('/').collect());
    pattern.len() == path.len()
        && pattern
            .iter()
            .zip(&path)
            .all(|(of, is)| of == is || of.starts_with('{') && (!of.contains('|') || of.contains(is)))
}

/// The fields of a form as a browser sends them.
fn fields(form: ElementRef<'_>) -> Fields {
    let all = Selector::parse("input, select, textarea").unwrap();
    let option = Selector::parse("option").unwrap();
    form.select(&all)
        .filter(|e| {
            !matches!(e.value().attr("type"), Some("checkbox" | "radio"))
                || e.value().attr("checked").is_some()
        })
        .filter_map(|e| {
            let name = e.value().attr("name")?.to_owned();
            let options: Vec<_> = e.select(&option).collect();
            let chosen = options.iter().find(|o| o.value().attr("selected").is_some()).or(options.first());
            let value = match e.value().name() {
                "select" => chosen.and_then(|o| o.value().attr("value")).unwrap_or_default().to_owned(),
                "textarea" => e.text().collect(),
                _ => e.value().attr("value").unwrap_or_default().to_owned(),
            };
            Some((name, value))
        })
        .collect()
}

/// The form of a page that a route takes: where it is sent, and its fields.
async fn form(visit: &mut Visit, route: &str, page: &str) -> Option<(String, Fields)> {
    let answer = visit.get(page).await;
    let html = Html::parse_document(&answer.body);
    let mut found = Vec::new();
    for form in html.select(&Selector::parse("form[method='post']").unwrap()) {
        let to = form.value().attr("action").unwrap_or(page).to_owned();
        let other = Selector::parse("button[formaction]").unwrap();
        let others = form.select(&other).filter_map(|b| b.value().attr("formaction")).map(str::to_owned);
        found.extend(std::iter::once(to).chain(others).map(|to| (to, fields(form))));
    }
    // Of people the owner is the first: the others are who it is done to.
    found.into_iter().rev().find(|(to, _)| is_of(route, to))
}

/// What is typed, where it is not known before: the code of an authenticator, the version of what a page shows, or a whole file.
async fn typed(visit: &mut Visit, value: &str) -> String {
    let Some(from) = value.strip_prefix('@') else { return value.to_owned() };
    if from == "totp" {
        let secret = visit.get("/account/second-factor").await.find("code.wrap").unwrap();
        let now = u64::try_from(time::OffsetDateTime::now_utc().unix_timestamp()).unwrap();
        let secret = totp_rs::Secret::try_from_base32(&secret).unwrap();
        return totp_rs::Builder::new().with_secret(secret).build().unwrap().generate(now).to_string();
    }
    if let Some((page, css)) = from.split_once('#') {
        let page = visit.get(page).await;
        let found = Html::parse_document(&page.body);
        let found = found.select(&Selector::parse(css).unwrap()).next();
        return found.and_then(|e| e.value().attr("value")).unwrap_or_default().to_owned();
    }
    let answer = visit.get(from).await;
    let is_file = answer.headers.get("content-type").is_some_and(|kind| kind.contains("json"));
    if is_file { answer.body } else { answer.field("version") }
}

/// A shop with a bench of simulated instruments, where there is one of each, and a folder for backups.
async fn shop(store: &Store, backups: &std::path::Path) -> Visit {
    crate::winding::with_bench(store, 20.0).await;
    let backups = workshop::BackupFolder { path: backups.to_owned(), keep: 3 };
    let mut owner = Visit::new(workshop::Workshop::new(store.clone()).with_backups(backups));
    super::spoiled::fill(&mut owner).await;
    owner
}

/// Signs the owner in once more, somewhere else.
async fn sign_in_elsewhere(owner: &Visit) {
    let mut other = Visit { address: owner.address, code: String::new(), cookies: BTreeMap::new() };
    assert_eq!(other.sign_in("ode", "seven thousand turns").await.status, 303);
}

#[tokio::test(flavor = "multi_thread")]
async fn every_form_leaves_a_line() {
    let (url, _) = dev_database::fresh_database().await;
    let store = Store::connect(&url).await.unwrap();
    let folder = tempfile::tempdir().unwrap();
    let mut owner = shop(&store, folder.path()).await;
    let pool = MySqlPool::connect(&url).await.unwrap();
    let known: BTreeSet<&str> =
        table().into_iter().filter(|(_, method, _)| *method == "POST").map(|(_, _, path)| path).collect();
    let placed: BTreeSet<&str> = DEEDS
        .iter()
        .map(|(route, ..)| *route)
        .chain(WRITES_NOTHING.iter().map(|(route, _)| *route))
        .collect();
    let misplaced: Vec<_> = known.symmetric_difference(&placed).filter(|route| **route != SQL).collect();
    assert!(misplaced.is_empty(), "{misplaced:?}");
    let mut silent = Vec::new();
    for (route, page, fields_typed) in DEEDS {
        if *route == SQL {
            sqlx::query(*page).execute(&pool).await.unwrap();
            continue;
        }
        if route.starts_with("/account/sessions") {
            sign_in_elsewhere(&owner).await;
        }
        let (to, mut fields) = match page.strip_prefix("POST ") {
            Some(to) => {
                let token = owner.get("/account").await.field("csrf");
                let key = store::ClientKey::random().to_string();
                (to.to_owned(), Fields::from([("csrf".to_owned(), token), ("key".to_owned(), key)]))
            }
            None => match form(&mut owner, route, page).await {
                Some(found) => found,
                None => {
                    silent.push(format!("{route}: no form on {page}"));
                    continue;
                }
            },
        };
        for (name, value) in *fields_typed {
            fields.insert((*name).to_owned(), typed(&mut owner, value).await);
        }
        let before = lines(&pool).await;
        let answer = send(&mut owner, &to, &fields).await;
        // A job writes a moment later.
        for _ in 0..30 {
            if is_longer(&pool, &before).await {
                break;
            }
            tokio::time::sleep(std::time::Duration::from_millis(50)).await;
        }
        if !is_longer(&pool, &before).await {
            let flash = owner.get("/account").await.find(".flash").unwrap_or_default();
            let why = answer.find(".error:not(:empty), .errors").unwrap_or_default();
            fields.remove("document");
            fields.remove("csrf");
            let text = format!("{to}: {} {} {why} {flash} {fields:?}", answer.status, answer.code());
            silent.push(text.chars().take(700).collect());
        }
    }
    assert!(silent.is_empty(), "{} {silent:#?}", silent.len());
}
