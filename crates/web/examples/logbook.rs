//! Fifty thousand runs: how long the pages of the logbook take, and learning from all of them.
//!
//! `cargo run --release -p web --example logbook -- [RUNS] [ROUNDS]`: fills a private MariaDB of its own with runs as a
//! shop with hidden biases would wind them, serves them, and asks like a person does, one page after the other.
#![allow(clippy::unwrap_used, clippy::print_stdout, reason = "a tool for the one who measures")]

mod asking;

use asking::{Asker, hidden};
use coil::design::Wire;
use coil::design::{Design, Format, starting_point};
use coil::prediction::{Calibration, Prediction, predict};
use coil::wire::{Build, Insulation, ToleranceRange};
use dev_database::PrivateServer;
use rand::rngs::StdRng;
use rand::{RngExt as _, SeedableRng as _};
use std::net::TcpListener;
use std::time::{Duration, Instant};
use store::design::NewRevision;
use store::import::{ImportedReading, ImportedRun};
use store::instrument::NewInstrument;
use store::person::{NewPerson, Role};
use store::reading::NewReading;
use store::spool::NewSpool;
use store::{ClientKey, InstrumentId, PersonId, RevisionId, SpoolId, Store, WorkshopId};
use time::OffsetDateTime;
use trade::comparison::{Comparison, Standing, TolerancePolicy};
use trade::judgement::{Judgement, RunSummary, SummaryFigure};
use trade::reading::Kind;
use trade::verdict::{Level, Verdict};

const WORDS: &str = "seven thousand turns";
/// A spool winds some fifty coils.
const RUNS_PER_SPOOL: usize = 50;

struct Shop {
    workshop: WorkshopId,
    people: Vec<PersonId>,
    winders: Vec<InstrumentId>,
    designs: Vec<(RevisionId, Design, Prediction)>,
    spools: Vec<(SpoolId, f64)>,
}

fn deviate(dice: &mut StdRng) -> f64 {
    (0..12).map(|_| dice.random::<f64>()).sum::<f64>() - 6.0
}

async fn shop(store: &Store, runs: usize, dice: &mut StdRng) -> Shop {
    let hash = workshop::hash_password(WORDS);
    let owner =
        NewPerson { name: "Ode Farrow", sign_in: "ode", password_hash: Some(&hash), role: Role::Owner };
    let (workshop, owner) = store.create_workshop("Fifty thousand", &owner).await.unwrap();
    let mut people = vec![owner];
    for name in ["Ivo Tarn", "Wren Ashby", "Tam Orrell", "Lise Corran", "Bram Velt"] {
        let sign_in = name.to_lowercase();
        people.push(
            store
                .workshop(workshop)
                .add_person(&NewPerson { name, sign_in: &sign_in, password_hash: None, role: Role::Operator })
                .await
                .unwrap(),
        );
    }
    for name in ["Winder one", "Winder two", "Winder three"] {
        let new = NewInstrument {
            key: ClientKey::random(),
            kind: trade::instrument::InstrumentKind::Winder,
            name,
            address: "127.0.0.1:1",
            resolution: None,
            accuracy: None,
            test_hz: None,
            due: None,
            input_pf: None,
            input_mohm: None,
            simulated: true,
        };
        store.workshop(workshop).add_instrument(owner, &new).await.unwrap();
    }
    let winders = store.workshop(workshop).instruments().await.unwrap().iter().map(|i| i.id).collect();
    let mut designs = Vec::new();
    for k in 0..40 {
        let format = [Format::TallSingle, Format::WideSingle, Format::TwinCoil, Format::ShortSingle][k % 4];
        let design = starting_point(format, &format!("Model {}", k + 1), 6, 10.4);
        let prediction = predict(&design).unwrap();
        let new = NewRevision {
            key: ClientKey::random(),
            parent: None,
            note: "",
            design: &design,
            prediction: Some(&prediction),
            newest_seen: None,
            is_variant: false,
        };
        designs.push((
            store.workshop(workshop).save_revision(owner, &new).await.unwrap(),
            design,
            prediction,
        ));
    }
    let mut spools = Vec::new();
    for k in 0..runs.div_ceil(RUNS_PER_SPOOL) {
        let new = NewSpool {
            key: ClientKey::random(),
            label: format!("S-{k}"),
            wire: Wire {
                gauge: "42 AWG".parse().unwrap(),
                insulation: Insulation::Polyurethane,
                build: Build::Single,
                range: ToleranceRange::Full,
                spool: Some(coil::design::Spool::default()),
            },
            remark: String::new(),
        };
        spools.push((store.workshop(workshop).add_spool(owner, &new).await.unwrap(), 0.02 * deviate(dice)));
    }
    Shop { workshop, people, winders, designs, spools }
}

/// A run as it would have been wound and judged.
fn wound(shop: &Shop, k: usize, runs: usize, dice: &mut StdRng) -> ImportedRun {
    let (revision, design, prediction) = &shop.designs[dice.random_range(0..shop.designs.len())];
    let (spool, hidden) = shop.spools[k / RUNS_PER_SPOOL];
    let hand = dice.random_range(0..shop.people.len());
    let pickup = &prediction.pickup;
    let told = |q: coil::prediction::Quantity, ln: f64| {
        let half = (q.p95 - q.nominal).max(1e-12);
        let measured = q.nominal * ln.exp();
        let off = ln.exp_m1();
        let bands = (measured - q.nominal) / half;
        (SummaryFigure { measured: Some(measured), off: Some(off), bands: Some(bands), ratio: Some(ln) }, q)
    };
    let stretch = [0.0, 0.002, 0.015, -0.003, 0.0, 0.005][hand];
    let (r, qr) = told(pickup.resistance_20c_ohm, hidden + stretch + 0.004 * deviate(dice));
    let (l, ql) = told(pickup.inductance_1khz_h, -0.02 + 0.007 * deviate(dice));
    let comparison = |kind, q, t: &SummaryFigure| Comparison {
        kind,
        pole: None,
        predicted: q,
        measured: t.measured.unwrap_or_default(),
        deviation: t.off.unwrap_or_default(),
        bands: t.bands.unwrap_or_default(),
        standing: Standing::Inside,
        reversed: false,
        learned: 0.0,
        limit: 1.0,
    };
    let far = r.bands.is_some_and(|b| b.abs() > 1.0);
    let remark =
        ["", "felt tight at the end", "a loop caught on the seam", "cover to follow", "for the baritone"]
            [dice.random_range(0..5)];
    let turns = f64::from(design.coils[0].wind.turns);
    let ago = Duration::from_secs(((runs - k) * 1800) as u64);
    let at = OffsetDateTime::now_utc() - ago;
    ImportedRun {
        key: ClientKey::random(),
        revision: *revision,
        spool: Some(spool),
        operator: shop.people[hand],
        winder: Some(shop.winders[dice.random_range(0..shop.winders.len())]),
        at: time::PrimitiveDateTime::new(at.date(), at.time()),
        planned_turns: design.coils[0].wind.turns,
        design: design.clone(),
        remark: if remark.is_empty() { String::new() } else { format!("{remark}, order {}", k % 977) },
        readings: [
            NewReading::new(Kind::Turns, Some(turns)),
            NewReading { coil_c: Some(22.0), ..NewReading::new(Kind::Resistance, r.measured) },
            NewReading { test_hz: Some(1000.0), ..NewReading::new(Kind::Inductance, l.measured) },
        ]
        .map(|r| {
            ImportedReading::new(r, shop.people[hand], time::PrimitiveDateTime::new(at.date(), at.time()))
        })
        .to_vec(),
        events: Vec::new(),
        sweeps: Vec::new(),
        stops: Vec::new(),
        other_wire: String::new(),
        void: None,
        has_verdict: true,
        calibration: (None, Calibration::default()),
        tolerance: TolerancePolicy::default(),
        judgement: Judgement {
            prediction: None,
            comparisons: vec![comparison(Kind::Resistance, qr, &r), comparison(Kind::Inductance, ql, &l)],
            verdict: Verdict {
                level: if far { Level::Look } else { Level::Pass },
                text: "All that was measured lies inside its band: the coil is what the design says.".into(),
                causes: Vec::new(),
                missed: Vec::new(),
            },
            summary: RunSummary {
                wire_ohm_per_m: None,
                straight: design.coils[0].wind.wander <= 0.0,
                turns: Some(turns),
                coil_c: Some(20.0 + deviate(dice)),
                resistance: r,
                inductance: l,
                peak_hz: pickup.peak_hz.map(|q| q.nominal),
                wire_m: prediction.coils.first().map(|c| c.wire_length_m.nominal),
                ..RunSummary::default()
            },
        },
    }
}

fn report(what: &str, mut times: Vec<Duration>) {
    times.sort();
    let at = |share: f64| {
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "an index")]
        let place = (share * (times.len() - 1) as f64).round() as usize;
        times[place].as_secs_f64() * 1e3
    };
    println!("| {what} | {} | {:.0} ms | {:.0} ms | {:.0} ms |", times.len(), at(0.5), at(0.95), at(1.0));
}

#[tokio::main]
async fn main() {
    let mut arguments = std::env::args().skip(1);
    let runs: usize = arguments.next().map_or(50_000, |a| a.parse().unwrap());
    let rounds: usize = arguments.next().map_or(30, |a| a.parse().unwrap());
    let private = PrivateServer::temporary().await.unwrap();
    let store = Store::connect(&private.url("filamentum")).await.unwrap();
    let mut dice = StdRng::seed_from_u64(50_000);
    let made = shop(&store, runs, &mut dice).await;
    let began = Instant::now();
    let all: Vec<ImportedRun> = (0..runs).map(|k| wound(&made, k, runs, &mut dice)).collect();
    for some in all.chunks(1000) {
        store.workshop(made.workshop).import_runs(made.people[0], some).await.unwrap();
    }
    println!(
        "{runs} runs, {} spools, {} designs: brought in within {:.0} s\n",
        made.spools.len(),
        made.designs.len(),
        began.elapsed().as_secs_f64()
    );
    drop(all);
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = listener.local_addr().unwrap();
    tokio::spawn(
        web::serve(workshop::Workshop::new(store.clone()), listener, &web::ServeOptions::default()).unwrap(),
    );
    let mut asker = Asker::to(address, "").await;
    let (_, page) = asker.ask("GET", "/sign-in", "").await;
    let token = hidden(&page, "csrf");
    let (status, _) = asker
        .ask(
            "POST",
            "/sign-in",
            &format!("csrf={token}&next=%2F&sign_in=ode&password={}", WORDS.replace(' ', "+")),
        )
        .await;
    assert_eq!(status, 303, "signed in");
    println!("| page | asked | median | p95 | most |\n| --- | --- | --- | --- | --- |");
    let middle = made.spools[made.spools.len() / 2].0;
    let far = format!("/logbook?page={}", runs / 200);
    let pages = [
        ("newest first", "/logbook".to_owned()),
        ("in the middle", far),
        ("one design", "/logbook?design=3".into()),
        ("one spool", format!("/logbook?spool={middle}")),
        ("one person, to look at again", "/logbook?operator=3&verdict=look".into()),
        ("words of remarks", "/logbook?q=seam".into()),
        ("rare words", "/logbook?q=tight+976".into()),
        ("inside words", "/logbook?q=eam".into()),
        ("one letter", "/logbook?q=e".into()),
        ("a phrase", "/logbook?q=%22the+seam%22".into()),
        ("a winder in a month", "/logbook?winder=2&from=2026-01-01&to=2026-01-31".into()),
        ("by design", "/logbook?sort=design&way=up".into()),
        ("by spool", "/logbook?sort=spool&way=up".into()),
        ("by deviation of R", "/logbook?sort=r-off".into()),
    ];
    let mut together = Vec::new();
    for (what, path) in pages {
        let mut times = Vec::new();
        for _ in 0..rounds {
            let began = Instant::now();
            let (status, body) = asker.ask("GET", &path, "").await;
            times.push(began.elapsed());
            assert!(status == 200 && body.contains("<tbody>"), "{path}: {status}");
        }
        together.extend(times.clone());
        report(what, times);
    }
    report("all of these", together);
    let (_, page) = asker.ask("GET", "/calibration", "").await;
    let token = hidden(&page, "csrf");
    let mut times = Vec::new();
    for _ in 0..5 {
        let began = Instant::now();
        let (status, _) = asker.ask("POST", "/calibration", &format!("csrf={token}")).await;
        times.push(began.elapsed());
        assert_eq!(status, 303);
    }
    report("learning again from all", times);
    for (what, path) in [
        ("causes", "/causes"),
        ("consistency of a design", "/consistency?design=3"),
        ("the bench", "/"),
        ("spools", "/spools"),
    ] {
        let mut times = Vec::new();
        for _ in 0..5 {
            let began = Instant::now();
            let (status, _) = asker.ask("GET", path, "").await;
            times.push(began.elapsed());
            assert_eq!(status, 200, "{path}");
        }
        report(what, times);
    }
}
