//! Many people editing at once, at the pace of typing: how long a preview takes, and how many fail.
//!
//! `cargo run --release -p web --example load -- ADDRESS NAME PASSWORD [PEOPLE] [SECONDS] [VIEW] [REVISION]`, against a
//! running server: in a view of the workbench, of a new twin coil or of a saved revision. With `page` as the view and a
//! path in place of the revision, that page is asked for instead. With `set` or `whole-set` as the view and a set's number, one pickup of
//! the set is moved, or all of them. With `take-orders` as the view and a revision's number, as many orders of it are taken as there are
//! people, and nothing is measured.
#![allow(clippy::unwrap_used, clippy::print_stdout, reason = "a tool for the one who measures")]

mod asking;

use asking::{Asker, hidden};
use coil::design::{Format, starting_point};
use std::fmt::Write as _;
use std::time::{Duration, Instant};

fn encoded(fields: &[(String, String)]) -> String {
    let mut body = String::new();
    for (name, value) in fields {
        for (text, end) in [(name, '='), (value, '&')] {
            for byte in text.bytes() {
                if byte.is_ascii_alphanumeric() {
                    body.push(char::from(byte));
                } else {
                    write!(body, "%{byte:02X}").unwrap();
                }
            }
            body.push(end);
        }
    }
    body
}

/// Signs in once and gives the cookie: attempts to sign in are few a minute, and what is measured is the editing.
async fn signed_in(address: &str, name: &str, password: &str) -> String {
    let mut person = Asker::to(address, "").await;
    let (_, page) = person.ask("GET", "/sign-in", "").await;
    let mut form = vec![("csrf".to_owned(), hidden(&page, "csrf"))];
    form.extend([("sign_in".to_owned(), name.to_owned()), ("password".to_owned(), password.to_owned())]);
    let (status, _) = person.ask("POST", "/sign-in", &encoded(&form)).await;
    assert_eq!(status, 303, "signed in");
    person.cookie
}

/// What is asked for.
#[derive(Clone)]
struct Load {
    address: String,
    cookie: String,
    view: String,
    /// A saved revision, or the path of a page; empty for a new design.
    of: String,
}

/// A page, again and again.
async fn pages(load: Load, who: u32, until: Instant) -> Vec<(Duration, bool)> {
    let mut person = Asker::to(&load.address, &load.cookie).await;
    let mut taken = Vec::new();
    while Instant::now() < until {
        let began = Instant::now();
        let (status, _) = person.ask("GET", &load.of, "").await;
        taken.push((began.elapsed(), status == 200));
        tokio::time::sleep(Duration::from_millis(u64::from(800 + (who * 37) % 400))).await;
    }
    taken
}

/// The value of an attribute of a tag.
fn attribute<'a>(tag: &'a str, name: &str) -> Option<&'a str> {
    tag.split_once(&format!("{name}=\"")).and_then(|(_, rest)| rest.split('"').next())
}

/// The fields of the first form of a set's page, as a browser sends them.
fn fields_of(page: &str) -> Vec<(String, String)> {
    let form = page
        .split("<form id=\"set-form\"")
        .nth(1)
        .and_then(|rest| rest.split("</form>").next())
        .unwrap_or("");
    let (mut fields, mut select) = (Vec::new(), String::new());
    for tag in form.split('<').filter_map(|rest| rest.split('>').next()) {
        let name = attribute(tag, "name").unwrap_or_default().to_owned();
        if tag.starts_with("select") {
            select = name;
            fields.push((select.clone(), String::new()));
        } else if tag.starts_with("option") && tag.contains(" selected") {
            let value = attribute(tag, "value").unwrap_or_default().to_owned();
            if let Some(field) = fields.iter_mut().find(|(n, _)| *n == select) {
                field.1 = value;
            }
        } else if tag.starts_with("input") && (!tag.contains("checkbox") || tag.contains("checked")) {
            fields.push((name, attribute(tag, "value").unwrap_or_default().to_owned()));
        }
    }
    fields
}

/// A set of which one pickup, or every one, is moved by a hair each time, so that it is solved anew.
async fn set_edits(load: Load, who: u32, until: Instant) -> Vec<(Duration, bool)> {
    let mut person = Asker::to(&load.address, &load.cookie).await;
    let (_, page) = person.ask("GET", &format!("/sets/{}", load.of), "").await;
    let mut fields = fields_of(&page);
    let (mut taken, mut k) = (Vec::new(), 0.0);
    while Instant::now() < until {
        k += 1.0;
        for (name, value) in &mut fields {
            if name == "p0_place" || (load.view == "whole-set" && name.ends_with("_place")) {
                let place: f64 = value.parse().unwrap();
                *value = format!("{:.6}", place + 1e-4 * (k + f64::from(who) / 50.0));
            }
        }
        let began = Instant::now();
        let (status, answer) = person.ask("POST", "/sets/preview", &encoded(&fields)).await;
        taken.push((began.elapsed(), status == 200 && answer.contains("set-positions")));
        tokio::time::sleep(Duration::from_millis(u64::from(800 + (who * 37) % 400))).await;
    }
    taken
}

async fn edits(load: Load, who: u32, until: Instant) -> Vec<(Duration, bool)> {
    let mut person = Asker::to(&load.address, &load.cookie).await;
    let path = if load.of.is_empty() {
        "/designs/new?kind=twin-coil".to_owned()
    } else {
        format!("/revisions/{}/edit", load.of)
    };
    let (_, page) = person.ask("GET", &path, "").await;
    let saved =
        hidden(&page, "document").replace("&quot;", "\"").replace("&#34;", "\"").replace("&amp;", "&");
    let design =
        coil::design::read(&saved).unwrap_or_else(|_| starting_point(Format::TwinCoil, "Load", 6, 10.0));
    let mut sheet = presentation::sheet::form_of(&design, coil::quantity::Units::default()).0;
    for name in ["csrf", "parent", "seen"] {
        sheet.insert(name.into(), hidden(&page, name));
    }
    sheet.insert("view".into(), load.view.clone());
    let mut taken = Vec::new();
    let mut turns = 4600 + 10 * who;
    while Instant::now() < until {
        turns += 7;
        sheet.insert("coils[0].wind.turns".into(), turns.to_string());
        let fields: Vec<(String, String)> = sheet.iter().map(|(k, v)| (k.clone(), v.clone())).collect();
        let began = Instant::now();
        let (status, body) = person.ask("POST", "/designs/preview", &encoded(&fields)).await;
        taken.push((began.elapsed(), status == 200 && body.contains("data-cell")));
        // A maker types, looks, and types on.
        tokio::time::sleep(Duration::from_millis(u64::from(800 + (who * 37 + turns) % 400))).await;
    }
    taken
}

/// Takes so many orders of one revision, agreed, with promises over the next weeks: what a plan is measured with.
async fn take_orders(load: &Load, count: u32) {
    let mut person = Asker::to(&load.address, &load.cookie).await;
    for k in 0..count {
        let (_, page) = person.ask("GET", "/orders/new", "").await;
        let promised = format!("2027-{:02}-{:02}", 1 + k % 3, 1 + k % 28);
        let hidden_ones = ["csrf", "key"].map(|name| (name.to_owned(), hidden(&page, name)));
        let typed = [
            ("customer", format!("load {k}")),
            ("state", "agreed".to_owned()),
            ("promised", promised),
            ("item0", format!("r{}", load.of)),
            ("quantity0", "1".to_owned()),
        ];
        let typed = typed.map(|(name, value)| (name.to_owned(), value));
        let form: Vec<(String, String)> = hidden_ones.into_iter().chain(typed).collect();
        let (status, _) = person.ask("POST", "/orders", &encoded(&form)).await;
        assert_eq!(status, 303, "taken");
    }
    println!("{count} orders taken");
}

#[tokio::main(flavor = "current_thread")]
async fn main() {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let [address, name, password, rest @ ..] = arguments.as_slice() else {
        println!("load ADDRESS NAME PASSWORD [PEOPLE] [SECONDS] [VIEW] [REVISION or PATH]");
        return;
    };
    let word = |i: usize| rest.get(i).cloned().unwrap_or_default();
    let number = |i: usize, usual: u32| rest.get(i).and_then(|t| t.parse().ok()).unwrap_or(usual);
    let (people, seconds) = (number(0, 20), number(1, 30));
    let until = Instant::now() + Duration::from_secs(u64::from(seconds) + 2);
    let cookie = signed_in(address, name, password).await;
    let load = Load { address: address.clone(), cookie, view: word(2), of: word(3) };
    if load.view == "take-orders" {
        take_orders(&load, people).await;
        return;
    }
    let all = (0..people).map(|who| {
        let load = load.clone();
        if load.view.ends_with("set") {
            tokio::spawn(set_edits(load, who, until))
        } else if load.view == "page" {
            tokio::spawn(pages(load, who, until))
        } else {
            tokio::spawn(edits(load, who, until))
        }
    });
    let mut taken: Vec<(Duration, bool)> = Vec::new();
    for one in all.collect::<Vec<_>>() {
        taken.extend(one.await.unwrap());
    }
    let failed = taken.iter().filter(|(_, good)| !good).count();
    let mut times: Vec<f64> = taken.iter().map(|(t, _)| t.as_secs_f64() * 1e3).collect();
    times.sort_by(f64::total_cmp);
    let at = |share: f64| {
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "an index")]
        let k = (share * (times.len().max(1) - 1) as f64) as usize;
        times.get(k).copied().unwrap_or(f64::NAN)
    };
    println!("{people} people, {seconds} s: {} answers, {failed} failed", times.len());
    println!(
        "median {:.0} ms, p95 {:.0} ms, p99 {:.0} ms, most {:.0} ms",
        at(0.5),
        at(0.95),
        at(0.99),
        at(1.0)
    );
}
