//! What stands round the runs: checks of spools, parts, a set, an experiment.

use super::past_runs::{DemoWorkshop, RunScenario, Wound, days_ago};
use coil::design::Design;
use store::experiment::NewExperiment;
use store::logbook::LogFilter;
use store::part::NewPart;
use store::spool::{NewCheck, SpoolDetails};
use store::{ClientKey, InstrumentId, PersonId, RevisionId, SpoolId};
use trade::stock::PartKind;

/// Who and what the story speaks of.
pub(super) struct DemoParts {
    pub k7: SpoolId,
    pub k12: SpoolId,
    pub m2: SpoolId,
    pub m3: SpoolId,
    pub winder_two: InstrumentId,
    pub lap: RevisionId,
    pub mandola: RevisionId,
    pub owner: PersonId,
    pub ivo: PersonId,
}

impl DemoWorkshop<'_> {
    /// Tells it.
    pub(super) async fn story(&mut self, parts: &DemoParts, mandola: &Design) -> anyhow::Result<()> {
        self.checks(parts).await?;
        self.parts(parts).await?;
        self.experiment(parts, mandola).await?;
        let design = self.store.workshop(self.workshop).revision(parts.lap).await?.row.design_id;
        let filter = LogFilter {
            design: Some(design),
            level: Some(trade::verdict::Level::Pass),
            ..LogFilter::default()
        };
        let coils = self.store.workshop(self.workshop).log_lines(&filter, 40).await?;
        if let [.., a, b] = coils.as_slice() {
            let pair = [(a.run_id, "first"), (b.run_id, "second")];
            self.store
                .workshop(self.workshop)
                .make_set(parts.owner, &ClientKey::random(), "Order 31, the spare pair", &pair)
                .await?;
        }
        Ok(())
    }

    async fn checks(&self, parts: &DemoParts) -> anyhow::Result<()> {
        for (spool, supplier, cost, winder) in [
            (parts.k7, "Alder Reach Wire", 61.0, None),
            (parts.k12, "Alder Reach Wire", 64.0, None),
            (parts.m2, "Fenlark Spools", 74.0, Some(parts.winder_two)),
            (parts.m3, "Fenlark Spools", 74.0, None),
        ] {
            let care = SpoolDetails {
                supplier: supplier.into(),
                lot: "order 4".into(),
                cost_per_kg: Some(cost),
                empty_g: Some(112.0),
                winder,
                emptied: false,
                version: None,
            };
            self.store.workshop(self.workshop).update_spool(self.owner, spool, &care).await?;
        }
        for (days, overall, ohms, left) in
            [(140, 0.0734, 5.61, 31_000.0), (90, 0.0731, 5.64, 22_000.0), (30, 0.0736, 5.60, 15_500.0)]
        {
            let check = NewCheck {
                overall_mm: Some(overall),
                ohm_per_m: Some(ohms),
                at_c: Some(22.0),
                left_m: Some(left),
                at: Some(days_ago(days)),
                ..NewCheck::default()
            };
            self.store
                .workshop(self.workshop)
                .check_spool(parts.k7, parts.ivo, &ClientKey::random(), &check)
                .await?;
        }
        Ok(())
    }

    async fn parts(&self, parts: &DemoParts) -> anyhow::Result<()> {
        let design = self.store.workshop(self.workshop).revision(parts.lap).await?.row.design_id;
        for (kind, name, cost, below, stock, takes) in [
            (PartKind::Magnet, "rod, alnico 5, 4.75 × 17 mm", Some(0.85), Some(60), 41, 6),
            (PartKind::Magnet, "rod, alnico 5, 4.75 × 16 mm", Some(0.82), Some(30), 96, 0),
            (PartKind::Bobbin, "fibre flange pair, six rods", Some(3.2), Some(10), 22, 1),
            (PartKind::Metal, "base plate, zinc-plated steel", Some(1.9), Some(5), 14, 0),
            (PartKind::Sundry, "cloth lead, 0.3 m", Some(0.4), None, 120, 2),
            (PartKind::Sundry, "string for wrapping, 2 m", None, None, 30, 1),
        ] {
            let new = NewPart {
                key: ClientKey::random(),
                kind,
                name: name.into(),
                each_cost: cost,
                order_below: below,
                supplier: "Fenlark Spools".into(),
                stock,
            };
            let part = self.store.workshop(self.workshop).add_part(parts.owner, &new).await?;
            self.store.workshop(self.workshop).set_design_parts(self.owner, design, &[(part, takes)]).await?;
        }
        Ok(())
    }

    /// Three coils laid straight beside the scattered ones; nothing else differs.
    async fn experiment(&mut self, parts: &DemoParts, mandola: &Design) -> anyhow::Result<()> {
        let mut straight = mandola.clone();
        straight.coils[0].wind.wander = 0.0;
        let second = self
            .variant(&straight, parts.mandola, "Laid straight in place of scattered; nothing else differs")
            .await?;
        for (k, operator) in [(20, parts.owner), (18, parts.ivo), (16, parts.owner)] {
            let run = Wound {
                revision: second,
                design: &straight,
                spool: parts.m2,
                operator,
                winder: None,
                days_ago: k,
                scenario: RunScenario::Past,
                remark: "for the experiment",
            };
            self.wind(run).await?;
        }
        let new = NewExperiment {
            key: ClientKey::random(),
            question: "Does a straight lay read differently on the Heron?",
            arms: &[parts.mandola, second],
            cares_percent: 2.0,
        };
        self.store.workshop(self.workshop).begin_experiment(parts.owner, &new).await?;
        Ok(())
    }
}
