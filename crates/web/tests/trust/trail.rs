//! Everything that is sent leaves a line: every POST of the route table is carried out, and the line that it wrote is found.

use super::roles::table;
use crate::{Answer, Fields, Visit, add, send, with_design, with_run, with_workshop};
use scraper::{ElementRef, Html, Selector};
use sqlx::{AssertSqlSafe, MySqlPool};
use std::collections::{BTreeMap, BTreeSet, VecDeque};
use store::Store;

/// Most pages that are looked at for forms.
const MOST_PAGES: usize = 150;

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
    "operation_starts",
    "spool_checks",
    "run_coils",
    "listenings",
];

/// What is sent and leaves no line, and why.
const NO_LINE: &[(&str, &str)] = &[];

/// What is typed into forms whose empty fields are not enough.
const TYPED: &[(&str, Typed)] = &[];

/// Forms that scripts send, or that stand on no page: where they are sent, and their fields.
const BY_HAND: &[(&str, &str, Typed)] = &[];

/// Fields with what is typed into them.
type Typed = &'static [(&'static str, &'static str)];

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

/// What takes something away comes last.
fn is_last(route: &str) -> bool {
    ["delete", "void", "retire", "disable", "remove", "end", "close", "dissolve", "lay-down", "anonymise"]
        .iter()
        .any(|word| route.contains(word))
}

#[tokio::test(flavor = "multi_thread")]
async fn every_form_leaves_a_line() {
    let (url, _) = dev_database::fresh_database().await;
    let store = Store::connect(&url).await.unwrap();
    with_workshop(&store, "ode").await;
    let mut owner = Visit::to(&store);
    owner.sign_in("ode", "seven thousand turns").await;
    let path = with_design(&mut owner).await;
    with_run(&mut owner, &path).await;
    let pair = [("name", "Sedge pair"), ("p0_revision", "1"), ("p1_revision", "1")];
    add(&mut owner, ("/sets/new", "#set-form"), "/sets", &pair).await;
    add(&mut owner, ("/rewinds/new?kind=tall-single", "#sheet"), "/rewinds", &[("name", "Old Sedge")]).await;
    let order = [("customer", "mark A"), ("state", "agreed"), ("item0", "r1"), ("quantity0", "2")];
    add(&mut owner, ("/orders/new", "main"), "/orders", &order).await;
    let pool = MySqlPool::connect(&url).await.unwrap();
    let lines =
        async || -> i64 { sqlx::query_scalar(AssertSqlSafe(lines_sql())).fetch_one(&pool).await.unwrap() };
    let mut routes: Vec<&str> =
        table().into_iter().filter(|(_, m, _)| *m == "POST").map(|(_, _, p)| p).collect();
    routes.sort_by_key(|route| is_last(route));
    let mut silent = Vec::new();
    for route in routes {
        if NO_LINE.iter().any(|(of, _)| *of == route) {
            continue;
        }
        let by_hand = BY_HAND.iter().find(|(of, ..)| *of == route);
        let found = match by_hand {
            Some((_, to, fields)) => {
                let page = owner.get("/account").await;
                let mut all: Fields = [("csrf".to_owned(), page.field("csrf"))].into();
                all.insert("key".into(), store::ClientKey::random().to_string());
                all.extend(fields.iter().map(|(n, v)| ((*n).to_owned(), (*v).to_owned())));
                Some(((*to).to_owned(), all))
            }
            None => {
                let starts = [
                    "/",
                    "/runs/1",
                    "/runs/1/station",
                    "/revisions/1",
                    "/sets/1",
                    "/rewinds/1",
                    "/orders/1",
                    "/spools/1",
                    "/experiments/1",
                    "/designs/new?kind=tall-single",
                ];
                forms(&mut owner, &starts).await.into_iter().find(|(to, _)| is_of(route, to))
            }
        };
        let Some((to, mut fields)) = found else {
            silent.push(format!("{route}: no form"));
            continue;
        };
        for (_, typed) in TYPED.iter().filter(|(of, _)| *of == route) {
            fields.extend(typed.iter().map(|(n, v)| ((*n).to_owned(), (*v).to_owned())));
        }
        let before = lines().await;
        let answer = send(&mut owner, &to, &fields).await;
        let after = lines().await;
        if after <= before {
            silent.push(format!(
                "{route}: {to} answered {} {} {:?} {:?}",
                answer.status,
                answer.code(),
                answer.find(".error:not(:empty)"),
                fields.keys().collect::<Vec<_>>()
            ));
        }
    }
    assert!(silent.is_empty(), "{silent:#?}");
}
