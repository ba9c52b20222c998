//! The demo: an invented workshop. Its people, names and numbers are made up; the numbers come from the
//! engine itself with the troubles of a real shop put in.

use coil::design::{Aims, Design, Kind as CoilKind, starting_point, tall_single};
use coil::predict::{pole_flux_mt, predict};
use coil::wire::{Build, Insulation, at_temperature};
use rand::rngs::StdRng;
use rand::{RngExt as _, SeedableRng as _};
use shop::comparison::compare;
use shop::reading::{Kind, Reading};
use shop::run::usual_stops;
use shop::sweep::Sweep;
use shop::traveller::Traveller;
use shop::verdict::judge;
use store::design::NewRevision;
use store::instrument::NewInstrument;
use store::person::NewPerson;
use store::reading::NewReading;
use store::run::NewRun;
use store::spool::NewSpool;
use store::sweep::NewSweep;
use store::timer::NewTimer;
use store::{ClientKey, PersonId, RevisionId, RunId, SpoolId, Store, WorkshopId};
use time::macros::date;
use time::{Duration, OffsetDateTime, PrimitiveDateTime};

/// Who signs in.
pub const SIGN_IN: &str = "ode";
/// With which password.
pub const PASSWORD: &str = "seven thousand turns";

struct Shop<'a> {
    store: &'a Store,
    workshop: WorkshopId,
    owner: PersonId,
    dice: StdRng,
}

/// What happens in a demo run.
#[derive(Clone, Copy, PartialEq)]
enum Fate {
    Good,
    /// The spool is thicker than its label says.
    ThickWire,
    /// Pulled so hard that the wire stretched.
    Stretched,
    /// Read before it had cooled.
    Warm,
    HalfCharged,
    ShortedTurns,
    Open,
    /// Wound, not yet measured.
    Wound,
    /// On the winder.
    Winding,
}

struct Wound<'a> {
    revision: RevisionId,
    design: &'a Design,
    spool: SpoolId,
    operator: PersonId,
    days_ago: i64,
    fate: Fate,
    remark: &'a str,
}

/// Loads the demo workshop into an empty store.
pub async fn load(store: &Store) -> anyhow::Result<()> {
    let hash = web::hash_password(PASSWORD);
    let owner = NewPerson { name: "Ode Farrow", sign_in: SIGN_IN, password_hash: Some(&hash) };
    let (workshop, owner) = store.create_workshop("Sedge Lane Windings", &owner).await?;
    let ivo = store
        .add_person(workshop, &NewPerson { name: "Ivo Tarn", sign_in: "ivo", password_hash: None })
        .await?;
    let wren = store
        .add_person(workshop, &NewPerson { name: "Wren Ashby", sign_in: "wren", password_hash: None })
        .await?;
    let mut shop = Shop { store, workshop, owner, dice: StdRng::seed_from_u64(20_261_124) };
    let k7 =
        shop.spool("K-7", ("42 AWG", "polyvinyl-acetal", "heavy"), Some((0.0734, 5.61)), 9200.0, "").await?;
    let k9 = shop
        .spool("K-9", ("42 AWG", "plain-enamel", "single"), None, 6100.0, "measures thick: check")
        .await?;
    let m2 =
        shop.spool("M-2", ("43 AWG", "polyurethane", "single"), Some((0.0607, 7.18)), 14_800.0, "").await?;
    let m3 = shop.spool("M-3", ("43 AWG", "polyurethane", "single"), None, 640.0, "nearly empty").await?;

    let mut lap = tall_single("Reed lap steel, bridge", 6, 10.4);
    lap.aims =
        Aims { resistance_ohm: Some([5500.0, 5900.0]), inductance_h: Some([2.0, 2.3]), ..Aims::default() };
    let first = shop.revision(&lap, None, "From the standard tall single").await?;
    let mut hotter = lap.clone();
    hotter.coils[0].wind.turns = 7850;
    let second = shop
        .revision(&hotter, Some(first), "230 turns more for a fuller bridge; nothing else changed")
        .await?;

    let mut mandola = tall_single("Heron mandola", 4, 11.2);
    mandola.coils[0].wire.gauge = "43 AWG".parse()?;
    mandola.coils[0].wire.insulation = Insulation::Polyurethane;
    mandola.coils[0].wire.build = Build::Single;
    mandola.coils[0].wind.turns = 8600;
    mandola.aims = Aims { resistance_ohm: Some([6300.0, 6800.0]), ..Aims::default() };
    let mandola_first = shop.revision(&mandola, None, "Four wide-set rods, thinner wire").await?;

    let mut console = tall_single("Console steel, eight", 8, 9.2);
    console.coils[0].wire.gauge = "43 AWG".parse()?;
    console.coils[0].wire.insulation = Insulation::Polyurethane;
    console.coils[0].wire.build = Build::Single;
    console.coils[0].wind.turns = 8200;
    console.coils[0].wind.wander = 0.0;
    let console_first = shop.revision(&console, None, "Machine-straight for a repeatable pair").await?;

    let mut baritone = tall_single("Baritone, neck", 6, 10.4);
    baritone.coils[0].wind.turns = 7000;
    baritone.poles.iter_mut().for_each(|pole| pole.length_mm = 16.0);
    let baritone_first = shop.revision(&baritone, None, "Shorter rods, fewer turns: clear low end").await?;

    let twin = starting_point(CoilKind::TwinCoil, "Marsh baritone, bridge", 6, 10.4);
    let twin_first = shop.revision(&twin, None, "Quiet one for the baritone's bridge").await?;
    let wide = starting_point(CoilKind::WideSingle, "Tern tenor, neck", 4, 11.0);
    shop.revision(&wide, None, "Screws and two bars: fuller than the rods").await?;
    shop.tags(first, &["order 31", "lap steel"]).await?;
    shop.tags(mandola_first, &["mandola"]).await?;
    shop.tags(twin_first, &["baritone", "quiet"]).await?;
    shop.tags(baritone_first, &["baritone"]).await?;
    shop.sweep(&hotter, second, "second coil of run 13").await?;
    shop.sweep(&twin, twin_first, "first twin, no cover").await?;

    let wound = |revision, design, spool, operator, days_ago, fate, remark| Wound {
        revision,
        design,
        spool,
        operator,
        days_ago,
        fate,
        remark,
    };
    for run in [
        wound(first, &lap, k7, owner, 96, Fate::Good, ""),
        wound(first, &lap, k7, ivo, 91, Fate::Good, ""),
        wound(first, &lap, k9, ivo, 84, Fate::ThickWire, "new spool"),
        wound(mandola_first, &mandola, m2, owner, 77, Fate::Good, ""),
        wound(mandola_first, &mandola, m2, wren, 70, Fate::Stretched, "felt tight at the end"),
        wound(mandola_first, &mandola, m3, wren, 63, Fate::Open, "wire snapped near turn 8,100"),
        wound(mandola_first, &mandola, m2, ivo, 55, Fate::Good, ""),
        wound(baritone_first, &baritone, k7, owner, 48, Fate::Good, ""),
        wound(baritone_first, &baritone, k7, owner, 41, Fate::HalfCharged, "charged on the small magnets"),
        wound(console_first, &console, m2, ivo, 33, Fate::Good, ""),
        wound(console_first, &console, m2, ivo, 32, Fate::ShortedTurns, "a loop caught on the seam"),
        wound(console_first, &console, m2, ivo, 26, Fate::Good, "second of the pair"),
        wound(second, &hotter, k7, owner, 12, Fate::Good, ""),
        wound(second, &hotter, k7, wren, 5, Fate::Warm, ""),
        wound(baritone_first, &baritone, k7, ivo, 0, Fate::Wound, ""),
        wound(second, &hotter, k7, owner, 0, Fate::Winding, "first of three for one order"),
    ] {
        shop.wind(run).await?;
    }
    shop.instruments().await?;
    for (label, minutes, minutes_ago) in
        [("Lacquer, six bobbins", 24 * 60, 22 * 60), ("Wax, twin of order 31", 15, 6)]
    {
        let now = OffsetDateTime::now_utc() - Duration::minutes(minutes_ago);
        let at = Some(PrimitiveDateTime::new(now.date(), now.time()));
        let new = NewTimer { key: ClientKey::random(), run: None, label, minutes, at };
        store.start_timer(workshop, owner, &new).await?;
    }
    Ok(())
}

fn days_ago(days: i64) -> PrimitiveDateTime {
    let at = OffsetDateTime::now_utc() - Duration::days(days) - Duration::minutes(47);
    PrimitiveDateTime::new(at.date(), at.time())
}

impl Shop<'_> {
    async fn spool(
        &self,
        label: &str,
        (gauge, insulation, build): (&str, &str, &str),
        measured: Option<(f64, f64)>,
        left_m: f64,
        remark: &str,
    ) -> anyhow::Result<SpoolId> {
        let measured = coil::design::Spool {
            bare_mm: None,
            overall_mm: measured.map(|m| m.0),
            ohm_per_m: measured.map(|m| m.1),
            at_c: measured.map(|_| 22.0),
            left_m: Some(left_m),
        };
        let spool = NewSpool {
            key: ClientKey::random(),
            label: label.into(),
            gauge: gauge.into(),
            insulation: insulation.into(),
            build: build.into(),
            tolerance: "minimum-to-nominal".into(),
            measured,
            remark: remark.into(),
        };
        Ok(self.store.add_spool(self.workshop, &spool).await?)
    }

    async fn revision(
        &self,
        design: &Design,
        parent: Option<RevisionId>,
        note: &str,
    ) -> anyhow::Result<RevisionId> {
        let prediction = predict(design).ok();
        let new =
            NewRevision { key: ClientKey::random(), parent, note, design, prediction: prediction.as_ref() };
        Ok(self.store.save_revision(self.workshop, self.owner, &new).await?)
    }

    async fn tags(&self, of: RevisionId, tags: &[&str]) -> anyhow::Result<()> {
        let design = self.store.revision(self.workshop, of).await?.row.design_id;
        let tags: Vec<String> = tags.iter().map(|t| (*t).to_owned()).collect();
        Ok(self.store.tag_design(self.workshop, design, &tags).await?)
    }

    /// What an exciter coil over the wound pickup would have shown: its own inductance and capacitance, and the
    /// analyser's last digit.
    async fn sweep(&mut self, design: &Design, of: RevisionId, label: &str) -> anyhow::Result<()> {
        let Ok(prediction) = predict(design) else { return Ok(()) };
        let (henries, farads) = (self.about(0.05), self.about(0.3));
        let mut circuit = prediction.circuit;
        circuit.inductance_h.iter_mut().flatten().for_each(|l| *l *= henries);
        circuit.coils.iter_mut().for_each(|c| c.capacitance_f *= farads);
        let load = design.load.circuit();
        let hz: Vec<f64> = (0..90).map(|k| (80.0 * 1.06f64.powi(k) * 10.0).round() / 10.0).collect();
        let level = |f: &f64| (circuit.response_db(Some(&load), *f) * 20.0).round() / 20.0;
        let sweep = Sweep { db: hz.iter().map(level).collect(), hz }.against_low_end();
        let new = NewSweep {
            key: ClientKey::random(),
            revision: of,
            run: None,
            label,
            sweep: &sweep,
            at: Some(days_ago(4)),
        };
        Ok(self.store.add_sweep(self.workshop, self.owner, &new).await?)
    }

    /// About ±`spread`, as a factor; the sum of three dice is near enough to normal.
    fn about(&mut self, spread: f64) -> f64 {
        let sum: f64 = (0..3).map(|_| self.dice.random::<f64>() - 0.5).sum();
        1.0 + spread * sum
    }

    async fn wind(&mut self, wound: Wound<'_>) -> anyhow::Result<()> {
        let spool = self.store.spool(self.workshop, wound.spool).await?;
        let mut design = wound.design.clone();
        design.coils[0].wire.spool = Some(spool.measured());
        let planned = design.coils[0].wind.turns;
        let at = days_ago(wound.days_ago);
        let new = NewRun {
            key: ClientKey::random(),
            revision: wound.revision,
            spool: Some(wound.spool),
            operator: wound.operator,
            planned_turns: planned,
            stops: &usual_stops(planned),
            design: &design,
            remark: wound.remark,
            traveller: &Traveller::usual(&design),
            at: Some(at),
        };
        let run = self.store.start_run(self.workshop, self.owner, &new).await?;
        let readings = self.readings(&design, wound.fate);
        self.signed(run, wound.operator, wound.fate).await?;
        if readings.is_empty() {
            return Ok(());
        }
        self.store
            .log_readings(self.workshop, run, wound.operator, &ClientKey::random(), &readings, Some(at))
            .await?;
        let all: Vec<Reading> =
            self.store.readings(self.workshop, run).await?.into_iter().map(|logged| logged.reading).collect();
        let comparisons = compare(&design, &all);
        self.store.add_verdict(self.workshop, run, &judge(&comparisons, &all), &comparisons).await?;
        Ok(())
    }

    /// What has been signed of a run: up to where it stands.
    async fn signed(&self, run: RunId, by: PersonId, fate: Fate) -> anyhow::Result<()> {
        let all = [
            "seams",
            "bevel",
            "press",
            "insulate",
            "start-lead",
            "wind",
            "close",
            "first-check",
            "charge",
            "assemble",
            "pot",
            "final",
        ];
        let reached = match fate {
            Fate::Winding => 5,
            Fate::Wound => 7,
            Fate::Open | Fate::ShortedTurns => 8,
            _ => all.len(),
        };
        for operation in &all[..reached] {
            self.store.sign(self.workshop, run, by, operation, "").await?;
        }
        Ok(())
    }

    /// The instruments of the simulated bench; their address is set when it starts.
    async fn instruments(&self) -> anyhow::Result<()> {
        for (kind, name, resolution, accuracy, test_hz, due) in [
            ("ohm", "Bench ohm meter", Some(1.0), Some(0.0005), None, Some(date!(2027 - 05 - 01))),
            ("lcr", "Bridge at 1 kHz", Some(1e-4), Some(0.001), Some(1000.0), Some(date!(2027 - 02 - 14))),
            ("gauss", "Hand probe", Some(1e-4), Some(0.01), None, Some(date!(2026 - 10 - 01))),
            ("sweep", "Exciter and sweep", Some(0.01), None, None, None),
            ("winder", "Winder one", Some(1.0), None, None, None),
        ] {
            let new = NewInstrument {
                key: ClientKey::random(),
                kind,
                name,
                address: "127.0.0.1:1",
                resolution,
                accuracy,
                test_hz,
                due,
                simulated: true,
            };
            self.store.add_instrument(self.workshop, &new).await?;
        }
        Ok(())
    }

    /// What the bench would have read.
    fn readings(&mut self, design: &Design, fate: Fate) -> Vec<NewReading> {
        let turns = f64::from(design.coils[0].wind.turns);
        let Ok(prediction) = predict(design) else { return Vec::new() };
        let mut readings = match fate {
            Fate::Winding => return Vec::new(),
            _ => vec![NewReading::of(Kind::Turns, Some(turns))],
        };
        match fate {
            Fate::Wound => return readings,
            Fate::Open => {
                readings.push(NewReading::of(Kind::Open, None));
                return readings;
            }
            _ => {}
        }
        let of_ohms = match fate {
            Fate::ThickWire => 0.945,
            Fate::Stretched => 1.055,
            Fate::Warm => 1.03,
            Fate::ShortedTurns => 0.995,
            _ => 1.0,
        };
        let of_henries = match fate {
            Fate::ShortedTurns => 0.87,
            Fate::HalfCharged => 0.99,
            _ => 1.0,
        };
        let coil_c = (21.0 + 2.0 * self.dice.random::<f64>() * 2.0).round() / 2.0 + 10.5;
        let ohms = prediction.pickup.resistance_20c_ohm.nominal * of_ohms * self.about(0.006);
        readings.push(NewReading {
            coil_c: Some(coil_c),
            ..NewReading::of(Kind::Resistance, Some(at_temperature(ohms, 20.0, coil_c).round()))
        });
        let henries = prediction.pickup.inductance_h.nominal * of_henries * self.about(0.01);
        readings.push(NewReading {
            test_hz: Some(1000.0),
            ..NewReading::of(Kind::Inductance, Some((henries * 1e3).round() / 1e3))
        });
        let of_flux = if fate == Fate::HalfCharged { 0.55 } else { 1.0 };
        for (string, flux) in (1..).zip(pole_flux_mt(design, 0.5).unwrap_or_default()) {
            let Some(flux) = flux else { continue };
            let tesla = flux * 1e-3 * of_flux * self.about(0.03);
            readings.push(NewReading {
                pole: Some(string),
                probe_mm: Some(0.5),
                ..NewReading::of(Kind::Flux, Some((tesla * 1e4).round() / 1e4))
            });
        }
        readings
    }
}
