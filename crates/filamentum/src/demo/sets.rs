//! Three sets of pickups: a quiet pair, a twin with a single, and three voices of which one was connected the wrong way round.

use super::past_runs::DemoWorkshop;
use coil::design::{Design, tall_single};
use coil::set::{ControlWiring, Controls, LeadOrder, Targets};
use std::collections::BTreeMap;
use store::person::Role;
use store::{ClientKey, RevisionId, RunId};
use trade::pairing::{ReverseWinding, partner};
use workshop::{Actor, DraftPickup, SavePickupSet, SetDraft, Workshop};

/// The designs that the sets are made of besides their own.
pub(super) struct SetParts<'a> {
    pub lap: (&'a Design, RevisionId),
    pub stronger: RevisionId,
    pub baritone: RevisionId,
    pub twin: RevisionId,
    /// A coil of the stronger lap steel that passed.
    pub wound: Option<RunId>,
}

fn pickup(name: &str, revision: RevisionId, from_bridge_mm: f64) -> DraftPickup {
    DraftPickup { name: name.into(), revision, from_bridge_mm, turned: false, leads: LeadOrder::Normal }
}

fn set(name: &str, pickups: Vec<DraftPickup>) -> SetDraft {
    SetDraft {
        name: name.into(),
        switch: SetDraft::usual_switch(&pickups),
        pickups,
        controls: Controls::default(),
        cable_pf: 470.0,
        input_mohm: 1.0,
        targets: Targets::default(),
    }
}

impl DemoWorkshop<'_> {
    /// Makes the sets.
    pub(super) async fn sets(&mut self, parts: &SetParts<'_>) -> anyhow::Result<()> {
        let mut neck = partner(parts.lap.0, ReverseWinding::TurnTheOtherWay);
        neck.name = "Lap steel neck, reversed".into();
        neck.coils[0].wind.turns = 7050;
        let neck = self.revision(&neck, None, "The bridge's partner: other way round, south up").await?;
        let mut middle = tall_single("Marram console, middle", 6, 10.4);
        middle.coils[0].wind.turns = 7200;
        let middle = partner(&middle, ReverseWinding::TurnTheOtherWay);
        let middle = self.revision(&middle, None, "Reverse wound for the middle").await?;

        let pair = set(
            "Reed lap steel, the pair",
            vec![pickup("bridge", parts.stronger, 48.0), pickup("neck", neck, 118.0)],
        );
        let mut voices = set(
            "Marsh baritone, twin and single",
            vec![pickup("bridge", parts.twin, 46.0), pickup("neck", parts.baritone, 152.0)],
        );
        voices.controls =
            Controls { volume_kohm: 500.0, tone_kohm: 500.0, tone_nf: 22.0, wiring: ControlWiring::Own };
        voices.switch[1].coils = BTreeMap::from([("bridge".to_owned(), "split:B".to_owned())]);
        let mut console = set(
            "Marram console, three voices",
            vec![
                pickup("bridge", parts.lap.1, 43.0),
                pickup("middle", middle, 98.0),
                pickup("neck", parts.baritone, 156.0),
            ],
        );
        // Its leads were exchanged when it was put in: positions 2 and 4 are out of phase.
        console.pickups[1].leads = LeadOrder::Swapped;
        console.targets =
            Targets { balance_db: Some(2.5), hum_rejection_db: Some(20.0), peaks_in_order: true };

        let workshop = Workshop::new(self.store.clone());
        let actor =
            Actor { person: self.owner, workshop: self.workshop, role: Role::Owner, is_at_station: false };
        for draft in [pair, voices, console] {
            let is_pair = draft.pickups[0].revision == parts.stronger;
            let command = SavePickupSet { key: ClientKey::random(), of: None, draft };
            let id = workshop.save_pickup_set(&actor, &command).await?;
            if let (true, Some(run)) = (is_pair, parts.wound) {
                workshop.assign_run_to_set(&actor, run, id, "bridge").await?;
            }
        }
        Ok(())
    }
}
