//! What is sent leaves a line: forms are filled in as they stand on their pages and sent, and the line that each wrote is counted.

use super::roles::table;
use crate::{Fields, Visit, send};
use scraper::{ElementRef, Html, Selector};
use sqlx::{AssertSqlSafe, MySqlPool};
use std::collections::BTreeSet;
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
];

/// Fields with what is typed into them.
type Typed = &'static [(&'static str, &'static str)];

/// A form: its route, the page that it stands on, and what is typed into it. Where a script sends it, the page is where to, after `POST`.
type Deed = (&'static str, &'static str, Typed);

/// What writes nothing, with why.
const WRITES_NOTHING: &[(&str, &str)] = &[
    ("/designs/preview", "computes"),
    ("/designs/search", "computes"),
    ("/designs/sensitivity", "computes"),
    ("/designs/maps", "computes"),
    ("/designs/matters", "computes"),
    ("/designs/audition", "computes"),
    ("/sets/preview", "computes"),
    ("/sets/search", "computes"),
    ("/sets/audition", "computes"),
    ("/rewinds/preview", "computes"),
    ("/rewinds/curve", "computes"),
    ("/orders/promise", "computes"),
    ("/jobs/{name}/cancel", "ends what computes"),
    ("/backups/{name}/verify", "reads"),
    ("/instruments/{id}/test", "asks an instrument"),
    ("/instruments/{id}/bench", "sets a simulated bench"),
    ("/runs/{id}/cooling", "reads on until the coil is cold"),
    ("/account/passkeys/new", "asks a browser; what it makes is sent to /account/passkeys"),
    ("/account/provider", "shows the way to the provider"),
    ("/unreadable/{kind}/{id}/delete", "tried in an_unreadable_record_is_exported_and_deleted"),
    ("/account/passkeys", "takes a browser that makes one: passkeys_leave_lines"),
    ("/account/passkeys/{id}/remove", "the same"),
    ("/account/provider/remove", "takes a provider: passkeys_leave_lines"),
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
    ("/people/{id}/second-factor", "POST /people/2/second-factor", &[]),
    ("/people/{id}/{change:disable|enable|anonymise}", "/people", &[("sure", "yes")]),
    ("/stations", "/stations", &[("name", "Window")]),
    ("/stations/{id}/retire", "/stations", &[]),
    ("/week/feeds", "/week", &[]),
    ("/week/feeds/{id}/end", "/week", &[]),
    ("/week/hours", "/week", &[("from", "07:30")]),
    ("/week/hours/person", "/week", &[("person", "1"), ("own_from", "08:30"), ("own_to", "12:00"), ("own_days", "mon tue")]),
    ("/settings", "/settings", &[("name", "Sedge Lane"), ("room_c", "21")]),
    ("/backups", "/backups", &[]),
    ("/instruments/networks", "/instruments", &[("network", "192.0.2.0/24 5025-5030")]),
    ("/instruments", "/instruments", &[("kind", "ohm"), ("name", "Bench meter"), ("address", "192.0.2.7:5025")]),
    ("/instruments/{id}", "/instruments/6/edit", &[("name", "Bench meter two")]),
    ("/instruments/{id}/shown", "/instruments", &[]),
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
    ("/spools/{id}/checks", "/spools/1", &[("weight", "400"), ("weight_g", "400")]),
    ("/spools/{id}/name", "POST /spools/1/name", &[("name", "J-10")]),
    ("/costs", "/costs", &[]),
    ("/travellers", "/travellers", &[("kind", "tall-single"), ("text", "Wind it\n")]),
    ("/day/outages", "/day", &[("resource", "pot"), ("reason", "its thermostat")]),
    ("/day/outages/{id}/end", "/day", &[]),
    ("/day/begin", "/day", &[]),
    ("/day/lay-down", "/day", &[]),
    ("/day/pin", "/day", &[]),
    ("/day/seen", "/day", &[]),
    ("/timers", "/day", &[("label", "Lacquer"), ("minutes", "90")]),
    ("/timers/{id}/end", "/day", &[]),
    ("/runs", "/runs/new?revision=1", &[("turns", "7500"), ("operator", "1"), ("accept", "yes")]),
    ("/runs/{id}/events", "POST /runs/1/events", &[("what", "wire-broke"), ("at_turn", "4120")]),
    ("/runs/{id}/winder", "POST /runs/1/winder", &[("do", "preset"), ("turns", "0"), ("winder", "5")]),
    ("/runs/{id}/counter", "/runs/1", &[("log", "0,10\n60,510\n")]),
    ("/runs/{id}/readings", "/runs/1", &[("turns", "7500"), ("resistance", "5.7k"), ("coil_c", "20")]),
    ("/runs/{id}/read", "/runs/1", &[("instrument", "1")]),
    ("/runs/{id}/judge", "/runs/1", &[]),
    ("/runs/{id}/parts", "/runs/1", &[]),
    ("/runs/{id}/sign", "/runs/1", &[]),
    ("/revisions/{id}/label", "/revisions/1", &[("label", "bright"), ("tags", "lap steel")]),
    ("/revisions/{id}/name", "/revisions/1", &[("name", "Sedge two")]),
    ("/revisions/{id}/sweeps", "/revisions/1", &[("sweep_label", "Bench"), ("points", "500 0\n1000 1\n2000 4\n4000 8\n8000 -3\n")]),
    ("/revisions/{id}/vary", "/revisions/1", &[("vary", "turns"), ("values", "7200, 7400")]),
    ("/revisions/{id}", "/revisions/1/edit", &[("coils[0].wind.turns", "7600"), ("note", "more turns")]),
    ("/revisions/{id}/restore", "/revisions/1", &[]),
    ("/designs", "/designs/new?kind=tall-single", &[("name", "Reed")]),
    ("/designs/import", "/formats", &[("text", "")]),
    ("/sets", "/sets/new", &[("name", "Reed pair"), ("p0_revision", "1"), ("p1_revision", "1")]),
    ("/sets/{id}", "/sets/1/edit", &[("name", "Sedge pair two")]),
    ("/sets/{id}/partner", "/sets/1", &[]),
    ("/sets/{id}/balance", "POST /sets/1/balance", &[("pickup", "0"), ("freedom", "height"), ("version", "0")]),
    ("/sets/{id}/mend", "POST /sets/1/mend", &[("mend", "0:turn"), ("version", "0")]),
    ("/sets/{id}/moves", "POST /sets/1/moves", &[("moves", "1.05;0;-0.2|1;0;0"), ("version", "0")]),
    ("/sets/{id}/runs", "POST /sets/1/runs", &[("take", "0:1")]),
    ("/sets/{id}/archive", "/sets/1", &[]),
    ("/sets/import", "/sets", &[("text", "")]),
    ("/rewinds", "/rewinds/new?kind=tall-single", &[("name", "Old Reed")]),
    ("/rewinds/{id}", "/rewinds/1/edit", &[("name", "Old Sedge two")]),
    ("/rewinds/{id}/answer", "POST /rewinds/1/answer", &[]),
    ("/rewinds/{id}/choose", "POST /rewinds/1/choose", &[("place", "0")]),
    ("/rewinds/{id}/restore", "POST /rewinds/1/restore", &[("way", "as-it-was")]),
    ("/rewinds/{id}/copy", "/rewinds/1", &[("copy_name", "Copy of Sedge")]),
    ("/rewinds/{id}/archive", "/rewinds/1", &[]),
    ("/rewinds/import", "/rewinds", &[("text", "")]),
    ("/orders", "/orders/new", &[("customer", "mark C"), ("state", "agreed"), ("item0", "r1"), ("quantity0", "1")]),
    ("/orders/{id}", "/orders/1", &[("customer", "mark B"), ("notes", "by Friday")]),
    ("/matched-sets", "POST /matched-sets", &[("runs", "1,2"), ("name", "Pair")]),
    ("/matched-sets/{id}/sold", "/matched-sets", &[("sold", "yes")]),
    ("/matched-sets/{id}/dissolve", "/matched-sets", &[]),
    ("/runs/{id}/assemble", "POST /runs/1/assemble", &[]),
    ("/experiments", "/experiments/new?of=1&of=2", &[("question", "Which is brighter?"), ("cares", "2")]),
    ("/experiments/{id}/listen", "POST /experiments/1/listen", &[]),
    ("/experiments/{id}/listen/{listening}/key", "POST /experiments/1/listen/1/key", &[]),
    ("/experiments/{id}/listen/{listening}", "/experiments/1", &[]),
    ("/experiments/{id}/close", "/experiments/1", &[("words", "r2 is brighter.")]),
    ("/experiments/{id}/delete", "POST /experiments/1/delete", &[]),
    ("/calibration/switch", "/calibration", &[]),
    ("/calibration", "/calibration", &[]),
    ("/calibration/design", "/calibration", &[("design", "1")]),
    ("/calibration/rejudge", "/calibration", &[]),
    ("/logbook/import", "/logbook/import", &[]),
    ("/runs/{id}/void", "/runs/1", &[("reason", "the wire broke")]),
    ("/sets/{id}/delete", "POST /sets/2/delete", &[]),
    ("/rewinds/{id}/delete", "POST /rewinds/2/delete", &[]),
    ("/orders/{id}/delete", "POST /orders/2/delete", &[]),
    ("/revisions/{id}/delete", "POST /revisions/3/delete", &[]),
    ("/spools/{id}/delete", "POST /spools/1/delete", &[]),
    ("/parts/{id}/delete", "POST /parts/1/delete", &[]),
    ("/account/second-factor", "/account/second-factor", &[]),
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

fn lines_sql() -> String {
    let counts: Vec<String> = TRAILS.iter().map(|table| format!("(SELECT COUNT(*) FROM {table})")).collect();
    format!("SELECT {}", counts.join(" + "))
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

#[tokio::test(flavor = "multi_thread")]
async fn every_form_leaves_a_line() {
    let (url, _) = dev_database::fresh_database().await;
    let store = Store::connect(&url).await.unwrap();
    let mut owner = super::spoiled::shop(&store).await;
    let pool = MySqlPool::connect(&url).await.unwrap();
    let lines =
        async || -> i64 { sqlx::query_scalar(AssertSqlSafe(lines_sql())).fetch_one(&pool).await.unwrap() };
    let known: BTreeSet<&str> =
        table().into_iter().filter(|(_, method, _)| *method == "POST").map(|(_, _, path)| path).collect();
    let placed: BTreeSet<&str> =
        DEEDS.iter().map(|(route, ..)| *route).chain(WRITES_NOTHING.iter().map(|(route, _)| *route)).collect();
    assert_eq!(known.symmetric_difference(&placed).collect::<Vec<_>>(), Vec::<&&str>::new());
    let mut silent = Vec::new();
    for (route, page, typed) in DEEDS {
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
        fields.extend(typed.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())));
        let before = lines().await;
        let answer = send(&mut owner, &to, &fields).await;
        if lines().await <= before {
            let why = answer.find(".error:not(:empty), .flash").unwrap_or_default();
            fields.remove("document");
            fields.remove("csrf");
            silent.push(format!("{to}: {} {} {why} {fields:?}", answer.status, answer.code()).chars().take(700).collect());
        }
    }
    assert!(silent.is_empty(), "{} {silent:#?}", silent.len());
}
