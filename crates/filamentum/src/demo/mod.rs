//! The demo: an invented workshop. Its people, names and numbers are made up; the numbers come from the
//! engine itself with the troubles of a real workshop put in.

mod orders;
mod past_runs;
mod photos;
mod rewinds;
mod sets;
mod story;

use self::past_runs::{DemoWorkshop, RunScenario, Truth, Wound};
use self::sets::SetParts;
use self::story::DemoParts;
use ::trade::calibration::fit_calibration;
use anyhow::Context as _;
use coil::design::{Format, Medium, Potting, Targets, starting_point, tall_single};
use coil::wire::{Build, Insulation};
use rand::SeedableRng as _;
use rand::rngs::StdRng;
use store::logbook::LogFilter;
use store::person::{NewPerson, Role};
use store::timer::NewTimer;
use store::{ClientKey, Store};
use time::{Duration, OffsetDateTime, PrimitiveDateTime};
use trade::verdict::Level;
use workshop::{SessionPolicy, SingleSignOnSettings, WorkshopSettings};

/// Who signs in.
pub(crate) const SIGN_IN: &str = "ode";
/// With which password.
pub(crate) const PASSWORD: &str = "seven thousand turns";

/// Gives the demo's owner a password of their own.
pub(crate) async fn set_password(store: &Store, password: &str) -> anyhow::Result<()> {
    workshop::check_password(password, &["ode", NAME])
        .map_err(|why| anyhow::anyhow!("this password is too weak ({why:?}): take several words"))?;
    let owner = store.person_by_sign_in(SIGN_IN).await?.context("the demo has no owner")?;
    store.set_password(owner.id, &workshop::hash_password(password), "").await?;
    Ok(())
}

/// What the workshop is called, and what while it is being loaded.
const NAME: &str = "Sedge Lane Windings";
const LOADING: &str = "Sedge Lane Windings, being loaded";

/// Takes out a demo whose loading was broken off; it is then loaded from the beginning.
pub(crate) async fn clear_half_loaded(store: &Store) -> anyhow::Result<()> {
    if store.clear_only_workshop(LOADING).await.context("a half loaded demo could not be taken out")? {
        println!("The demo was loaded in part only: it is loaded again.");
    }
    Ok(())
}

#[allow(clippy::too_many_lines, reason = "a story, told in the order in which it happened")]
/// Loads the demo workshop into an empty store.
pub(crate) async fn load(store: &Store) -> anyhow::Result<()> {
    let hash = workshop::hash_password(PASSWORD);
    let owner =
        NewPerson { name: "Ode Farrow", sign_in: SIGN_IN, password_hash: Some(&hash), role: Role::Owner };
    let (workshop, owner) = store.create_workshop(LOADING, &owner).await?;
    // Whoever looks at the demo is not to be signed out over it.
    let session = SessionPolicy { idle_minutes: 720, longest_hours: 168 };
    let single_sign_on = SingleSignOnSettings {
        is_on: true,
        designer: "design".to_owned(),
        operator: "bench".to_owned(),
        ..SingleSignOnSettings::default()
    };
    let settings = WorkshopSettings {
        owner_session: session,
        other_session: session,
        single_sign_on,
        ..WorkshopSettings::default()
    };
    let settings = serde_json::to_string(&settings)?;
    store.workshop(workshop).set_settings(owner, LOADING, &settings).await?;
    let ivo = store
        .workshop(workshop)
        .add_person(&NewPerson {
            name: "Ivo Tarn",
            sign_in: "ivo",
            password_hash: None,
            role: Role::Operator,
        })
        .await?;
    let wren = store
        .workshop(workshop)
        .add_person(&NewPerson {
            name: "Wren Ashby",
            sign_in: "wren",
            password_hash: None,
            role: Role::Operator,
        })
        .await?;
    let mut demo = DemoWorkshop {
        store,
        workshop,
        owner,
        dice: StdRng::seed_from_u64(20_261_124),
        truth: Truth { ohms: 0.006, henries: -0.022, ..Truth::default() },
        model: None,
    };
    let winders = demo.instruments().await?;
    let (one, two) = (Some(winders[0]), Some(winders[1]));
    // Wren pulls hard; Winder two holds the wire a little tighter than Winder one.
    demo.truth.hands.insert(wren.0, 0.016);
    demo.truth.winders.insert(winders[1].0, 0.004);
    let j4 =
        demo.spool("J-4", ("42 AWG", Insulation::PolyvinylAcetal, Build::Heavy), None, 21_000.0, "").await?;
    let k7 = demo
        .spool(
            "K-7",
            ("42 AWG", Insulation::PolyvinylAcetal, Build::Heavy),
            Some((0.0734, 5.61)),
            24_000.0,
            "",
        )
        .await?;
    let k9 = demo
        .spool(
            "K-9",
            ("42 AWG", Insulation::PlainEnamel, Build::Single),
            None,
            6100.0,
            "measures thick: check",
        )
        .await?;
    let k12 = demo
        .spool(
            "K-12",
            ("42 AWG", Insulation::PolyvinylAcetal, Build::Heavy),
            None,
            31_000.0,
            "from the new order",
        )
        .await?;
    let m4 = demo
        .spool(
            "M-4",
            ("43 AWG", Insulation::Polyurethane, Build::Single),
            None,
            12_000.0,
            "kept at Winder two",
        )
        .await?;
    let m2 = demo
        .spool("M-2", ("43 AWG", Insulation::Polyurethane, Build::Single), Some((0.0607, 7.18)), 14_800.0, "")
        .await?;
    let m3 = demo
        .spool("M-3", ("43 AWG", Insulation::Polyurethane, Build::Single), None, 640.0, "nearly empty")
        .await?;
    for (spool, hidden) in [(j4, -0.004), (k7, 0.003), (k9, -0.055), (k12, 0.027), (m2, 0.004), (m4, -0.021)]
    {
        demo.truth.spools.insert(spool.0, hidden);
    }

    let mut lap = tall_single("Reed lap steel, bridge", 6, 10.4);
    lap.targets = Targets {
        resistance_ohm: Some([5500.0, 5900.0]),
        inductance_h: Some([2.0, 2.3]),
        ..Targets::default()
    };
    let first = demo.revision(&lap, None, "From the standard tall single").await?;
    let mut stronger = lap.clone();
    stronger.coils[0].wind.turns = 7730;
    let second = demo
        .revision(&stronger, Some(first), "230 turns more for a fuller bridge; nothing else changed")
        .await?;

    let mut mandola = tall_single("Heron mandola", 4, 11.2);
    mandola.coils[0].wire.gauge = "43 AWG".parse()?;
    mandola.coils[0].wire.insulation = Insulation::Polyurethane;
    mandola.coils[0].wire.build = Build::Single;
    mandola.coils[0].wind.turns = 8600;
    mandola.targets = Targets { resistance_ohm: Some([5500.0, 6000.0]), ..Targets::default() };
    let mandola_first = demo.revision(&mandola, None, "Four wide-set rods, thinner wire").await?;

    let mut console = tall_single("Console steel, eight", 8, 9.2);
    console.coils[0].wire.gauge = "43 AWG".parse()?;
    console.coils[0].wire.insulation = Insulation::Polyurethane;
    console.coils[0].wire.build = Build::Single;
    console.coils[0].wind.turns = 8200;
    console.coils[0].wind.wander = 0.0;
    let console_first = demo.revision(&console, None, "Machine-straight for a repeatable pair").await?;

    let mut baritone = tall_single("Baritone, neck", 6, 10.4);
    baritone.coils[0].wind.turns = 7000;
    baritone.poles.iter_mut().for_each(|pole| pole.length_mm = 16.0);
    let baritone_first = demo.revision(&baritone, None, "Shorter rods, fewer turns: clear low end").await?;

    let mut twin = starting_point(Format::TwinCoil, "Marsh baritone, bridge", 6, 10.4);
    twin.potting = Some(Potting { medium: Medium::Wax, fill: 0.8 });
    let twin_first = demo.revision(&twin, None, "Quiet one for the baritone's bridge").await?;
    let wide = starting_point(Format::WideSingle, "Tern tenor, neck", 4, 11.0);
    demo.revision(&wide, None, "Screws and two bars: fuller than the rods").await?;
    demo.tags(first, &["order 31", "lap steel"]).await?;
    demo.tags(mandola_first, &["mandola"]).await?;
    demo.tags(twin_first, &["baritone", "quiet"]).await?;
    demo.tags(baritone_first, &["baritone"]).await?;
    demo.sweep(&stronger, second, "second coil of r2").await?;
    demo.sweep(&twin, twin_first, "first twin, no cover").await?;

    let wound = |revision, design, spool, operator, days_ago, scenario, remark| Wound {
        revision,
        design,
        spool,
        operator,
        winder: if spool == m4 { two } else { one },
        days_ago,
        scenario,
        remark,
    };
    // The notebook: a year of coils. K-12 came in 220 days ago and went into other designs too; Wren began then and winds
    // on every spool, but nobody else has wound on M-4, and it never left Winder two.
    let notebook = [
        (first, &lap, [j4, k7, k12]),
        (baritone_first, &baritone, [j4, k7, k12]),
        (mandola_first, &mandola, [m2, m2, m2]),
    ];
    for k in 0..100_i64 {
        let ago = 430 - 33 * k / 10;
        let (revision, design, spools) = notebook[[0, 0, 1, 0, 2, 1][usize::try_from(k % 6)?]];
        let spool = spools[if ago > 330 {
            0
        } else if ago > 220 {
            1
        } else {
            1 + usize::from(k % 4 != 1)
        }];
        let operator = match k % 5 {
            _ if ago > 220 && k % 2 == 0 => owner,
            _ if ago > 220 => ivo,
            0 | 2 => wren,
            1 => owner,
            _ => ivo,
        };
        demo.wind(wound(revision, design, spool, operator, ago, RunScenario::Past, "")).await?;
    }
    for k in 0..7 {
        demo.wind(wound(console_first, &console, m4, ivo, 300 - 20 * k, RunScenario::Past, "")).await?;
        demo.wind(wound(console_first, &console, m2, owner, 290 - 20 * k, RunScenario::Past, "")).await?;
    }
    let model = fit_calibration(&store.workshop(workshop).observations().await?);
    let version = store
        .workshop(workshop)
        .save_calibration(store.workshop(workshop).observation_count().await?, &model)
        .await?;
    demo.model = Some((version, model));
    for run in [
        wound(first, &lap, k12, owner, 96, RunScenario::Good, ""),
        wound(first, &lap, k12, ivo, 91, RunScenario::Good, ""),
        wound(first, &lap, k9, ivo, 84, RunScenario::Good, "new spool"),
        wound(mandola_first, &mandola, m2, owner, 77, RunScenario::Good, ""),
        wound(mandola_first, &mandola, m2, wren, 70, RunScenario::Stretched, "felt tight at the end"),
        wound(mandola_first, &mandola, m3, wren, 63, RunScenario::Open, "wire snapped near turn 8,100"),
        wound(mandola_first, &mandola, m2, ivo, 55, RunScenario::Good, ""),
        wound(baritone_first, &baritone, k7, owner, 48, RunScenario::Good, ""),
        wound(
            baritone_first,
            &baritone,
            k7,
            owner,
            41,
            RunScenario::HalfCharged,
            "charged on the small magnets",
        ),
        wound(console_first, &console, m2, ivo, 33, RunScenario::Good, ""),
        wound(console_first, &console, m2, ivo, 32, RunScenario::ShortedTurns, "a loop caught on the seam"),
        wound(console_first, &console, m2, ivo, 26, RunScenario::Good, "second of the pair"),
        wound(baritone_first, &baritone, k7, owner, 20, RunScenario::Good, ""),
        wound(mandola_first, &mandola, m2, ivo, 18, RunScenario::Good, ""),
        wound(console_first, &console, m2, owner, 15, RunScenario::Good, "for the console of the lakes"),
        wound(console_first, &console, m2, ivo, 14, RunScenario::Good, ""),
        wound(second, &stronger, k12, owner, 12, RunScenario::Good, ""),
        wound(mandola_first, &mandola, m2, owner, 8, RunScenario::Good, ""),
        wound(baritone_first, &baritone, k7, ivo, 6, RunScenario::Good, ""),
        wound(second, &stronger, k12, wren, 5, RunScenario::Warm, ""),
        wound(baritone_first, &baritone, k7, ivo, 0, RunScenario::Wound, ""),
        wound(second, &stronger, k7, owner, 0, RunScenario::Winding, "first of three for one order"),
    ] {
        demo.wind(run).await?;
    }
    demo.story(
        &DemoParts {
            k7,
            k12,
            m2,
            m3,
            winder_two: winders[1],
            lap: first,
            mandola: mandola_first,
            owner,
            ivo,
        },
        &mandola,
    )
    .await?;
    let filter = LogFilter { level: Some(Level::Pass), ..LogFilter::default() };
    let passed = store.workshop(workshop).log_lines(&filter, 40).await?;
    let wound = passed.iter().find(|l| l.revision_id == second).map(|l| l.run_id);
    let parts =
        SetParts { lap: (&lap, first), stronger: second, baritone: baritone_first, twin: twin_first, wound };
    demo.sets(&parts).await?;
    Box::pin(demo.rewinds()).await?;
    Box::pin(demo.orders(second, mandola_first)).await?;
    demo.photos(passed.first().map(|line| line.run_id)).await?;
    for (label, minutes, minutes_ago) in
        [("Lacquer, six bobbins", 24 * 60, 22 * 60), ("Wax, twin of order 31", 15, 6)]
    {
        let now = OffsetDateTime::now_utc() - Duration::minutes(minutes_ago);
        let at = Some(PrimitiveDateTime::new(now.date(), now.time()));
        let new = NewTimer { key: ClientKey::random(), run: None, operation: None, label, minutes, at };
        store.workshop(workshop).start_timer(owner, &new).await?;
    }
    let model = fit_calibration(&store.workshop(workshop).observations().await?);
    store
        .workshop(workshop)
        .save_calibration(store.workshop(workshop).observation_count().await?, &model)
        .await?;
    // From here on it is whole.
    store.workshop(workshop).set_settings(owner, NAME, &settings).await?;
    Ok(())
}
