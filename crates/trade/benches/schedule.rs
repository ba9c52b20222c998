//! The plan of a busy shop: 100 orders with 600 operations, three people, two winders, waits through the night.
//! `cargo bench -p trade --bench schedule`

#![allow(clippy::unwrap_used, missing_docs, reason = "a benchmark")]

use criterion::{Criterion, criterion_group, criterion_main};
use std::hint::black_box;
use trade::schedule::{
    Calendar, FORMAT, Job, Moment, Operation, Resource, Work, schedule_at_once, schedule_with,
};

fn work() -> Work {
    let hours =
        ["Mon", "Tue", "Wed", "Thu", "Fri"].map(|d| (d.to_owned(), "08:00".into(), "17:00".into())).to_vec();
    let resource = |name: &str, kind: &str, calendar: Option<&str>, capacity| Resource {
        name: name.into(),
        kind: kind.into(),
        calendar: calendar.map(Into::into),
        capacity,
        away: Vec::new(),
    };
    let mut resources: Vec<Resource> =
        ["A", "B", "C"].map(|name| resource(name, "person", Some("day"), 1)).to_vec();
    resources.extend(["W1", "W2"].map(|name| resource(name, "winder", None, 1)));
    resources.push(resource("pot", "pot", None, 6));
    let from: Moment = "2026-11-25T08:00".parse().unwrap();
    let operation = |name: &str, minutes, wait_minutes, needs: &[&str]| Operation {
        name: name.into(),
        minutes,
        wait_minutes,
        needs: needs.iter().map(|kind| vec![(*kind).to_owned()]).collect(),
        start: None,
        on: Vec::new(),
        waits_on: None,
        batch: None,
    };
    let jobs = (0..100)
        .map(|k: i64| Job {
            name: format!("order {k}"),
            due: Some(from.later(1440 * (2 + k * 7 % 30))),
            release: None,
            weight: 1.0,
            operations: vec![
                operation("press", 10, 0, &["person"]),
                operation("lacquer", 10, 1440, &["person"]),
                operation("wind", 20 + u32::try_from(k).unwrap() % 15, 0, &["person", "winder"]),
                operation("check", 5, 0, &["person"]),
                operation("pot", 20, 45, &["pot"]),
                operation("measure", 10, 0, &["person"]),
            ],
        })
        .collect();
    let calendars = vec![Calendar { name: "day".into(), hours, off: Vec::new() }];
    Work { format: FORMAT.into(), from, calendars, resources, jobs, seed: 0 }
}

fn plans(c: &mut Criterion) {
    let work = work();
    let mut group = c.benchmark_group("100 orders, 600 operations");
    group.sample_size(10);
    group.bench_function("first plan", |b| b.iter(|| schedule_at_once(black_box(&work))));
    // One winder breaks for a day: planned anew from nothing.
    let mut broken = work.clone();
    broken.resources[3].away = vec![(work.from, work.from.later(1440))];
    group.bench_function("anew after a winder breaks", |b| b.iter(|| schedule_at_once(black_box(&broken))));
    group.bench_function("600 tries of improvement", |b| {
        b.iter(|| schedule_with(black_box(&work), 600, &mut |_| true));
    });
    group.finish();
}

criterion_group!(benches, plans);
criterion_main!(benches);
