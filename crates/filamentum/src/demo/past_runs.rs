//! The means by which the demo is made up: its spools, designs, runs and readings.

use coil::design::{Design, Wire};
use coil::prediction::{Calibration, Solution, predict};
use coil::wire::{Build, Insulation, ToleranceRange, at_temperature};
use rand::RngExt as _;
use rand::rngs::StdRng;
use std::collections::BTreeMap;
use store::design::NewRevision;
use store::instrument::NewInstrument;
use store::logbook::planned_factor_levels;
use store::reading::NewReading;
use store::run::NewRun;
use store::spool::NewSpool;
use store::sweep::NewSweep;
use store::{
    CalibrationId, ClientKey, InstrumentId, PersonId, RevisionId, RunId, SpoolId, Store, WorkshopId,
};
use time::macros::date;
use time::{Duration, OffsetDateTime, PrimitiveDateTime};
use trade::calibration::CalibrationModel;
use trade::comparison::TolerancePolicy;
use trade::instrument::InstrumentKind;
use trade::judgement::judge_run;
use trade::reading::{Kind, Reading};
use trade::run::StopPolicy;
use trade::sweep::Sweep;
use trade::traveller::Traveller;

/// Input of the demo's analyser with its lead, pF.
const SWEEP_INPUT_PF: f64 = 95.0;

/// The shop while it is being made up.
pub(super) struct DemoWorkshop<'a> {
    pub store: &'a Store,
    pub workshop: WorkshopId,
    pub owner: PersonId,
    pub dice: StdRng,
    pub truth: Truth,
    /// What had been learned by then.
    pub model: Option<(CalibrationId, CalibrationModel)>,
}

/// What nobody in the shop knows: logarithms of true over predicted resistance by spool, hand and winder, and of the
/// inductance of all.
#[derive(Default)]
pub(super) struct Truth {
    pub spools: BTreeMap<u64, f64>,
    pub hands: BTreeMap<u64, f64>,
    pub winders: BTreeMap<u64, f64>,
    pub ohms: f64,
    pub henries: f64,
}

/// What happens in a demo run.
#[derive(Clone, Copy, PartialEq)]
pub(super) enum RunScenario {
    Good,
    /// From the notebook: no flux, nothing signed.
    Past,
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

pub(super) struct Wound<'a> {
    pub revision: RevisionId,
    pub design: &'a Design,
    pub spool: SpoolId,
    pub operator: PersonId,
    pub winder: Option<InstrumentId>,
    pub days_ago: i64,
    pub scenario: RunScenario,
    pub remark: &'a str,
}

pub(super) fn days_ago(days: i64) -> PrimitiveDateTime {
    let at = OffsetDateTime::now_utc() - Duration::days(days) - Duration::minutes(47);
    PrimitiveDateTime::new(at.date(), at.time())
}

impl DemoWorkshop<'_> {
    pub(super) async fn spool(
        &self,
        label: &str,
        (gauge, insulation, build): (&str, Insulation, Build),
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
            wire: Wire {
                gauge: gauge.parse()?,
                insulation,
                build,
                range: ToleranceRange::MinimumToNominal,
                spool: Some(measured),
            },
            remark: remark.into(),
        };
        Ok(self.store.workshop(self.workshop).add_spool(self.owner, &spool).await?)
    }

    pub(super) async fn revision(
        &self,
        design: &Design,
        parent: Option<RevisionId>,
        note: &str,
    ) -> anyhow::Result<RevisionId> {
        self.save_revision(design, parent, note, false).await
    }

    /// A revision that is made to be compared only.
    pub(super) async fn variant(
        &self,
        design: &Design,
        of: RevisionId,
        note: &str,
    ) -> anyhow::Result<RevisionId> {
        self.save_revision(design, Some(of), note, true).await
    }

    async fn save_revision(
        &self,
        design: &Design,
        parent: Option<RevisionId>,
        note: &str,
        is_variant: bool,
    ) -> anyhow::Result<RevisionId> {
        let prediction = predict(design).ok();
        let new = NewRevision {
            key: ClientKey::random(),
            parent,
            note,
            design,
            prediction: prediction.as_ref(),
            newest_seen: None,
            is_variant,
        };
        Ok(self.store.workshop(self.workshop).save_revision(self.owner, &new).await?)
    }

    pub(super) async fn tags(&self, of: RevisionId, tags: &[&str]) -> anyhow::Result<()> {
        let label = self.store.workshop(self.workshop).revision(of).await?.row.label;
        let tags: Vec<String> = tags.iter().map(|t| (*t).to_owned()).collect();
        Ok(self.store.workshop(self.workshop).label_design(self.owner, of, &label, &tags, None).await?)
    }

    /// What an exciter coil over the wound pickup would have shown: its own inductance and capacitance, and the
    /// analyser's last digit.
    pub(super) async fn sweep(&mut self, design: &Design, of: RevisionId, label: &str) -> anyhow::Result<()> {
        let Ok(prediction) = predict(design) else { return Ok(()) };
        let (henries, farads) = (self.about(0.05), self.about(0.3));
        let mut circuit = prediction.circuit;
        circuit.inductance_h.iter_mut().flatten().for_each(|l| *l *= henries);
        circuit.coils.iter_mut().for_each(|c| c.capacitance_f *= farads);
        let load = design.load.circuit();
        let hz: Vec<f64> = (0..90).map(|k| (80.0 * 1.06f64.powi(k) * 10.0).round() / 10.0).collect();
        let level = |f: &f64| (circuit.response_db(Some(&load), *f) * 20.0).round() / 20.0;
        let sweep = Sweep { db: hz.iter().map(level).collect(), hz, input: None }.against_low_end();
        let new = NewSweep {
            key: ClientKey::random(),
            revision: of,
            run: None,
            label,
            sweep: &sweep,
            at: Some(days_ago(4)),
        };
        Ok(self.store.workshop(self.workshop).add_sweep(self.owner, &new).await?)
    }

    /// About ±`spread`, as a factor; the sum of three dice is near enough to normal.
    fn about(&mut self, spread: f64) -> f64 {
        let sum: f64 = (0..3).map(|_| self.dice.random::<f64>() - 0.5).sum();
        1.0 + spread * sum
    }

    pub(super) async fn wind(&mut self, wound: Wound<'_>) -> anyhow::Result<()> {
        let spool = self.store.workshop(self.workshop).spool(wound.spool).await?;
        let mut design = wound.design.clone();
        design.coils[0].wire.spool = Some(spool.measured());
        let planned = design.coils[0].wind.turns;
        let at = days_ago(wound.days_ago);
        let row = self.store.workshop(self.workshop).revision(wound.revision).await?.row;
        let known = planned_factor_levels(
            Some(row.design_id),
            &design,
            Some(wound.spool),
            Some(wound.operator),
            wound.winder,
        );
        let calibration =
            self.model.as_ref().map_or_else(Calibration::default, |(_, model)| model.calibration(&known));
        let tolerance = TolerancePolicy::default();
        let new = NewRun {
            coils: &[],
            tolerance,
            key: ClientKey::random(),
            revision: wound.revision,
            spool: Some(wound.spool),
            operator: wound.operator,
            planned_turns: planned,
            stops: &StopPolicy::default().stops(planned),
            design: &design,
            remark: wound.remark,
            other_wire: "",
            traveller: &Traveller::usual(&design),
            winder: wound.winder,
            calibration: (self.model.as_ref().map(|(id, _)| *id), calibration),
            judgement: Some(&judge_run(&design, &[], &calibration, tolerance)),
            at: Some(at),
        };
        let run = self.store.workshop(self.workshop).start_run(self.owner, &new).await?;
        let readings = self.readings(&design, &wound);
        if !readings.is_empty() {
            self.store
                .workshop(self.workshop)
                .log_readings(run, wound.operator, &ClientKey::random(), &readings, Some(at))
                .await?;
        }
        self.signed(run, &wound, at).await?;
        let all: Vec<Reading> = self
            .store
            .workshop(self.workshop)
            .readings(run)
            .await?
            .into_iter()
            .map(|logged| logged.reading)
            .collect();
        if !all.is_empty() {
            let judgement = judge_run(&design, &all, &calibration, tolerance);
            self.store.workshop(self.workshop).record_judgement(run, &judgement, None).await?;
        }
        Ok(())
    }

    /// What has been signed of a run: up to where it stands, one operation after the other on its day.
    async fn signed(&self, run: RunId, wound: &Wound<'_>, began: PrimitiveDateTime) -> anyhow::Result<()> {
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
            "final",
        ];
        let reached = match wound.scenario {
            RunScenario::Winding => 5,
            RunScenario::Wound => 7,
            RunScenario::Open | RunScenario::ShortedTurns => 8,
            _ => all.len(),
        };
        // Coils of the notebook were signed on paper.
        let waived = if wound.scenario == RunScenario::Past { "as the notebook says" } else { "" };
        let pace = Duration::minutes(if wound.days_ago == 0 { -3 } else { 25 });
        for (k, operation) in (0..).zip(&all[..reached]) {
            let at = Some(began + pace * k);
            self.store.workshop(self.workshop).sign_at(run, wound.operator, operation, waived, at).await?;
        }
        Ok(())
    }

    /// The instruments of the simulated bench; their address is set when it starts. Gives the winders.
    pub(super) async fn instruments(&self) -> anyhow::Result<Vec<InstrumentId>> {
        for (kind, name, resolution, accuracy, test_hz, due) in [
            (
                InstrumentKind::Ohm,
                "Bench ohm meter",
                Some(1.0),
                Some(0.0005),
                None,
                Some(date!(2027 - 05 - 01)),
            ),
            (
                InstrumentKind::Lcr,
                "Bridge at 1 kHz",
                Some(1e-4),
                Some(0.001),
                Some(1000.0),
                Some(date!(2027 - 02 - 14)),
            ),
            (InstrumentKind::Gauss, "Hand probe", Some(1e-4), Some(0.01), None, Some(date!(2026 - 10 - 01))),
            (InstrumentKind::Sweep, "Exciter and sweep", Some(0.01), None, None, None),
            (InstrumentKind::Winder, "Winder one", Some(1.0), None, None, None),
            (InstrumentKind::Winder, "Winder two", Some(1.0), None, None, None),
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
                input_pf: (kind == InstrumentKind::Sweep).then_some(SWEEP_INPUT_PF),
                input_mohm: (kind == InstrumentKind::Sweep).then_some(1.0),
                simulated: true,
            };
            self.store.workshop(self.workshop).add_instrument(self.owner, &new).await?;
        }
        let all = self.store.workshop(self.workshop).instruments().await?;
        Ok(all.iter().filter(|i| i.kind.0 == InstrumentKind::Winder).map(|i| i.id).collect())
    }

    /// What the bench would have read.
    fn readings(&mut self, design: &Design, wound: &Wound<'_>) -> Vec<NewReading> {
        let scenario = wound.scenario;
        let turns = f64::from(design.coils[0].wind.turns);
        let Ok(solution) = Solution::compute(design) else { return Vec::new() };
        let prediction = solution.prediction(&Calibration::default());
        let mut readings = match scenario {
            RunScenario::Winding => return Vec::new(),
            _ => vec![NewReading::new(Kind::Turns, Some(turns))],
        };
        match scenario {
            RunScenario::Wound => return readings,
            RunScenario::Open => {
                readings.push(NewReading::new(Kind::Open, None));
                return readings;
            }
            _ => {}
        }
        let of_ohms = match scenario {
            RunScenario::Stretched => 1.055,
            RunScenario::Warm => 1.03,
            RunScenario::ShortedTurns => 0.995,
            _ => 1.0,
        };
        let of_henries = match scenario {
            RunScenario::ShortedTurns => 0.87,
            RunScenario::HalfCharged => 0.99,
            _ => 1.0,
        };
        let coil_c = (21.0 + 2.0 * self.dice.random::<f64>() * 2.0).round() / 2.0 + 10.5;
        let hidden = self.truth.ohms
            + self.truth.spools.get(&wound.spool.0).unwrap_or(&0.0)
            + self.truth.hands.get(&wound.operator.0).unwrap_or(&0.0)
            + wound.winder.and_then(|w| self.truth.winders.get(&w.0)).unwrap_or(&0.0);
        let ohms = prediction.pickup.resistance_20c_ohm.nominal * of_ohms * hidden.exp() * self.about(0.009);
        readings.push(NewReading {
            coil_c: Some(coil_c),
            ..NewReading::new(Kind::Resistance, Some(at_temperature(ohms, 20.0, coil_c).round()))
        });
        let henries = prediction.pickup.inductance_h.nominal
            * of_henries
            * self.truth.henries.exp()
            * self.about(0.012);
        readings.push(NewReading {
            test_hz: Some(1000.0),
            ..NewReading::new(Kind::Inductance, Some((henries * 1e3).round() / 1e3))
        });
        if matches!(scenario, RunScenario::Past) {
            return readings;
        }
        let of_flux = if scenario == RunScenario::HalfCharged { 0.55 } else { 1.0 };
        for (string, flux) in (1..).zip(solution.pole_flux_mt(0.5)) {
            let Some(flux) = flux else { continue };
            let tesla = flux * 1e-3 * of_flux * self.about(0.03);
            readings.push(NewReading {
                pole: Some(string),
                probe_mm: Some(0.5),
                ..NewReading::new(Kind::Flux, Some((tesla * 1e4).round() / 1e4))
            });
        }
        readings
    }
}
