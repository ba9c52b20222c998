//! What is sent leaves a line: forms are filled in as they stand on their pages and sent, and the line that each wrote is counted.

use super::roles::table;
use crate::{Answer, Fields, Visit, send};
use scraper::{ElementRef, Html, Selector};
use sqlx::{AssertSqlSafe, MySqlPool};
use std::collections::{BTreeMap, BTreeSet, VecDeque};
use store::Store;

/// Most pages that are looked at for forms.
const MOST_PAGES: usize = 60;

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

/// What is sent, in this order, with what is typed into the form that a page shows for it.
const DEEDS: &[(&str, Typed)] = &[
    ("/account/pin", &[("pin", "407193")]),
    ("/people", &[("name", "Wren Ashby"), ("sign_in", "wren"), ("role", "operator")]),
    ("/people/{id}/role", &[("role", "designer")]),
    ("/people/{id}/{change:disable|enable|anonymise}", &[]),
    ("/stations", &[("name", "Window")]),
    ("/stations/{id}/retire", &[]),
    ("/week/feeds", &[]),
    ("/week/feeds/{id}/end", &[]),
    ("/settings", &[("name", "Sedge Lane"), ("room_c", "21")]),
    ("/instruments/networks", &[("network", "192.0.2.0/24 5025-5030")]),
    ("/instruments", &[("kind", "ohm"), ("name", "Bench meter"), ("address", "192.0.2.7:5025")]),
    ("/instruments/{id}/retire", &[]),
    ("/instruments/networks/{id}/remove", &[]),
    ("/parts", &[("name", "Bar, ceramic"), ("stock", "12")]),
    ("/parts/{id}/name", &[("name", "Bar of ceramic")]),
    ("/day/outages", &[("resource", "pot"), ("reason", "its thermostat")]),
    ("/day/outages/{id}/end", &[]),
    ("/day/begin", &[]),
    ("/day/lay-down", &[]),
    ("/timers", &[("label", "Lacquer"), ("minutes", "90")]),
    ("/timers/{id}/end", &[]),
    ("/runs/{id}/readings", &[("turns", "7500")]),
    ("/revisions/{id}/label", &[("label", "bright"), ("tags", "lap steel")]),
    ("/revisions/{id}/name", &[("name", "Sedge two")]),
    ("/orders/{id}", &[("customer", "mark B"), ("notes", "by Friday")]),
    ("/calibration/switch", &[]),
    ("/runs/{id}/void", &[("reason", "the wire broke")]),
    (
        "/account/password",
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

/// Every form of every page, by where it is sent.
async fn forms(visit: &mut Visit, starts: &[&str]) -> BTreeMap<String, Fields> {
    let (mut to_see, mut seen) = (VecDeque::new(), BTreeSet::new());
    to_see.extend(starts.iter().map(|s| (*s).to_owned()));
    let mut found = BTreeMap::new();
    while let Some(path) = to_see.pop_front() {
        if seen.len() >= MOST_PAGES || !seen.insert(path.clone()) {
            continue;
        }
        let answer: Answer = visit.get(&path).await;
        if !answer.headers.get("content-type").is_some_and(|kind| kind.starts_with("text/html")) {
            continue;
        }
        let page = Html::parse_document(&answer.body);
        for link in
            page.select(&Selector::parse("a[href^='/']").unwrap()).filter_map(|e| e.value().attr("href"))
        {
            let link = link.split('#').next().unwrap_or_default().to_owned();
            let page_of = |link: &str| link.split('?').next().map(str::to_owned);
            let is_another = seen.iter().chain(&to_see).any(|s| page_of(s) == page_of(&link));
            let is_known = seen.contains(&link) || link.contains('?') && is_another;
            if !is_known && !link.starts_with("/assets") {
                to_see.push_back(link);
            }
        }
        for form in page.select(&Selector::parse("form[method='post']").unwrap()) {
            let to = form.value().attr("action").unwrap_or(&path).to_owned();
            found.entry(to).or_insert_with(|| fields(form));
            let other = Selector::parse("button[formaction]").unwrap();
            for button in form.select(&other).filter_map(|b| b.value().attr("formaction")) {
                found.entry(button.to_owned()).or_insert_with(|| fields(form));
            }
        }
    }
    found
}

#[tokio::test(flavor = "multi_thread")]
async fn every_form_leaves_a_line() {
    let (url, _) = dev_database::fresh_database().await;
    let store = Store::connect(&url).await.unwrap();
    let mut owner = super::spoiled::shop(&store).await;
    let pool = MySqlPool::connect(&url).await.unwrap();
    let lines =
        async || -> i64 { sqlx::query_scalar(AssertSqlSafe(lines_sql())).fetch_one(&pool).await.unwrap() };
    let known: Vec<&str> =
        table().into_iter().filter(|(_, method, _)| *method == "POST").map(|(_, _, path)| path).collect();
    let starts = ["/", "/runs/1", "/revisions/1", "/orders/1", "/day", "/week", "/account", "/calibration"];
    let mut silent = Vec::new();
    for (route, typed) in DEEDS {
        assert!(known.contains(route), "{route} is no route");
        let all = forms(&mut owner, &starts).await;
        // Of people the owner is the first: the others are who it is done to.
        let Some((to, mut fields)) = all.into_iter().rev().find(|(to, _)| is_of(route, to)) else {
            silent.push(format!("{route}: no form"));
            continue;
        };
        fields.extend(typed.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())));
        let before = lines().await;
        let answer = send(&mut owner, &to, &fields).await;
        if lines().await <= before {
            let why = answer.find(".error:not(:empty)").unwrap_or_default();
            silent.push(format!("{to}: {} {} {why} {fields:?}", answer.status, answer.code()));
        }
    }
    assert!(silent.is_empty(), "{silent:#?}");
}
