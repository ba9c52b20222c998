//! Starting a run: what is wound, on which spool, by whom, and whether the wire suffices.

use crate::actor::Actor;
use crate::refusal::Refusal;
use crate::service::Workshop;
use coil::design::Design;
use store::design::Revision;
use store::instrument::Instrument;
use store::person::Person;
use store::run::NewRun;
use store::spool::Spool;
use store::{ClientKey, InstrumentId, PersonId, RevisionId, RunId, SpoolId};
use trade::instrument::InstrumentKind;
use trade::traveller::Traveller;

/// Wire beyond the coil's own: leads, and what is pulled off to begin, m (common practice, no source).
const EXTRA_M: f64 = 3.0;

/// A run to start.
#[derive(Clone, Debug)]
pub struct StartRun {
    /// Key of the submission: the same key again starts nothing more.
    pub key: ClientKey,
    /// The revision to wind.
    pub revision: RevisionId,
    /// The coil that is wound alone, by its name; `None` for the pickup whole.
    pub coil: Option<String>,
    /// The spool.
    pub spool: Option<SpoolId>,
    /// Who winds.
    pub operator: PersonId,
    /// The winder that it is wound on.
    pub winder: Option<InstrumentId>,
    /// Turns planned, 10 to 50,000.
    pub turns: u32,
    /// Where to stop and look, in turns, rising.
    pub stops: Vec<u32>,
    /// What the wire on the spool weighs, g, when it was weighed just now.
    pub wire_g: Option<f64>,
    /// Remark.
    pub remark: String,
    /// Starts although the spool is too short.
    pub accept_short_spool: bool,
}

/// What a run's start can be chosen from.
#[derive(Clone, Debug)]
pub struct CheckedStart {
    /// The revision.
    pub revision: Revision,
    /// All spools.
    pub spools: Vec<Spool>,
    /// All people.
    pub people: Vec<Person>,
    /// All winders.
    pub winders: Vec<Instrument>,
    /// What the run will follow.
    pub traveller: Traveller,
    /// Wire that the first coil takes, m; `None` where it cannot be predicted.
    pub wire_m: Option<f64>,
}

/// The document as it will be wound: one coil alone or all of them, with the planned turns on the first and what was
/// measured on the spool.
fn to_wind(revision: &Design, command: &StartRun, spool: Option<&Spool>) -> Design {
    let alone = command.coil.as_deref().and_then(|coil| revision.alone(coil));
    let mut design = alone.unwrap_or_else(|| revision.clone());
    if let Some(coil) = design.coils.first_mut() {
        coil.wind.turns = command.turns;
        if let Some(spool) = spool {
            coil.wire.spool = Some(spool.measured());
        }
    }
    design
}

impl Workshop {
    /// What a run's start can be chosen from.
    ///
    /// # Errors
    /// When there is no such revision.
    pub async fn start_options(&self, actor: &Actor, revision: RevisionId) -> Result<CheckedStart, Refusal> {
        let store = self.of(actor);
        let revision = store.revision(revision).await?;
        let mut winders = store.instruments().await?;
        winders.retain(|i| i.kind.0 == InstrumentKind::Winder);
        let wire_m = self.uncalibrated_prediction(&revision.design).await?.ok();
        let wire_m = wire_m.and_then(|p| p.coils.first().map(|c| c.wire_length_m.nominal));
        Ok(CheckedStart {
            spools: store.spools().await?,
            people: store.people().await?,
            winders,
            traveller: self.traveller_for(actor, &revision.design).await?,
            wire_m,
            revision,
        })
    }

    /// Starts a run. The spool's own measurements go into its document, and the calibration of this moment is what it is
    /// judged by for good.
    ///
    /// # Errors
    /// [`Refusal::SpoolTooShort`] unless that is accepted; when revision, spool, person or winder are not there.
    pub async fn start_run(&self, actor: &Actor, command: &StartRun) -> Result<RunId, Refusal> {
        let store = self.of(actor);
        let revision = store.revision(command.revision).await?;
        let spool = match command.spool {
            Some(id) => Some(store.spool(id).await?),
            None => None,
        };
        if !store.people().await?.iter().any(|p| p.id == command.operator) {
            return Err(Refusal::NotFound("person"));
        }
        if let Some(winder) = command.winder
            && !store
                .instruments()
                .await?
                .iter()
                .any(|i| i.id == winder && i.kind.0 == InstrumentKind::Winder)
        {
            return Err(Refusal::NotFound("winder"));
        }
        let design = to_wind(&revision.design, command, spool.as_ref());
        if let (Some(spool), false) = (&spool, command.accept_short_spool) {
            self.check_wire(&design, command.wire_g, spool).await?;
        }
        let mut traveller = self.traveller_for(actor, &revision.design).await?;
        if command.coil.as_deref().is_some_and(|coil| revision.design.alone(coil).is_some()) {
            traveller = traveller.of_a_coil();
        }
        let applied = self.applied_calibration(actor, Some(revision.row.design_id)).await?;
        let calibration = applied.on(&design, command.spool, Some(command.operator), command.winder);
        let solution = self.predictions.solution(&design).await?.ok();
        let judged = design.clone();
        let judgement = crate::blocking::blocking(move || {
            trade::judgement::judge_solved(&judged, solution.as_deref(), &[], &calibration)
        })
        .await?;
        let new = NewRun {
            key: command.key.clone(),
            revision: revision.row.id,
            spool: command.spool,
            operator: command.operator,
            planned_turns: command.turns,
            stops: &command.stops,
            design: &design,
            remark: &command.remark,
            traveller: &traveller,
            winder: command.winder,
            calibration: (applied.version.map(|(id, _)| id), calibration),
            judgement: Some(&judgement),
            at: None,
        };
        Ok(store.start_run(actor.person, &new).await?)
    }

    /// Whether the wire on a spool suffices for a coil: by its weight where that is known, else by what is left on record.
    async fn check_wire(&self, wound: &Design, wire_g: Option<f64>, spool: &Spool) -> Result<(), Refusal> {
        let Ok(prediction) = self.uncalibrated_prediction(wound).await? else { return Ok(()) };
        let Some(coil) = prediction.coils.first() else { return Ok(()) };
        let by_weight = wire_g.map(|grams| grams * coil.wire_length_m.nominal / coil.wire_mass_g.nominal);
        let needed_m = coil.wire_length_m.p95 + EXTRA_M;
        match by_weight.or_else(|| spool.left_now_m()) {
            Some(left_m) if left_m < needed_m => Err(Refusal::SpoolTooShort { left_m, needed_m }),
            _ => Ok(()),
        }
    }
}
