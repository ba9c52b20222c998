//! Starting a run: what is wound, on which spool, by whom, and whether the wire suffices.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use coil::Word as _;
use coil::design::{Design, Wire};
use coil::prediction::CoilPrediction;
use coil::wire::WireData;
use store::design::{DesignFilter, Revision};
use store::instrument::Instrument;
use store::person::Person;
use store::run::NewRun;
use store::spool::Spool;
use store::{ClientKey, InstrumentId, PersonId, RevisionId, RunId, SpoolId, WorkshopStore};
use trade::instrument::InstrumentKind;
use trade::judgement::judge_solved;
use trade::plan::Plan;
use trade::traveller::Traveller;

/// Wire beyond the coil's own: leads, and what is pulled off to begin, m (common practice, no source).
const EXTRA_M: f64 = 3.0;
/// Fewest letters of a reason.
const SHORTEST_REASON: usize = 3;

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
    /// Why it is wound of other wire than the design names, where the spool holds other wire.
    pub other_wire: Option<String>,
}

/// A revision that can be wound: as much of it as whoever winds needs to choose it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct WindableRevision {
    /// Number in the database.
    pub id: RevisionId,
    /// The design's name.
    pub name: String,
    /// Number within the design.
    pub number: u32,
    /// Gauge of the wire.
    pub gauge: String,
    /// Turns.
    pub turns: u32,
}

/// What a run's start can be chosen from.
#[derive(Clone, Debug)]
pub struct CheckedStart {
    /// The revision.
    pub revision: Revision,
    /// All spools.
    pub spools: Vec<Spool>,
    /// The spool that the design was computed with, where it still has wire.
    pub own_spool: Option<SpoolId>,
    /// Who can wind.
    pub people: Vec<Person>,
    /// All winders.
    pub winders: Vec<Instrument>,
    /// What the run will follow.
    pub traveller: Traveller,
    /// What each coil takes of wire and time; empty where that cannot be predicted.
    pub coils: Vec<CoilPrediction>,
}

impl StartRun {
    /// Why other wire is wound, where that was said.
    fn reason(&self) -> Option<&str> {
        self.other_wire.as_deref().map(str::trim).filter(|reason| !reason.is_empty())
    }
}

/// The spool whose measurements a wire has: one of those that were not emptied.
fn spool_of(wire: &Wire, spools: &[Spool]) -> Option<SpoolId> {
    let designed = wire.spool?;
    let is_measured = [designed.bare_mm, designed.overall_mm, designed.ohm_per_m].iter().any(Option::is_some);
    let is_own = |spool: &&Spool| {
        let measured = spool.measured();
        spool.emptied_at.is_none()
            && spool.gauge.0 == wire.gauge
            && (measured.bare_mm, measured.overall_mm, measured.ohm_per_m)
                == (designed.bare_mm, designed.overall_mm, designed.ohm_per_m)
    };
    spools.iter().filter(|_| is_measured).find(is_own).map(|spool| spool.id)
}

/// Ohms a metre by the tables.
fn ohms_a_metre(wire: &Wire) -> f64 {
    WireData::ordered(wire.gauge, wire.insulation, wire.build, wire.range).ohm_per_m
}

/// Refuses a spool of another gauge or build, unless a reason is given. Enamels of one size do not count.
fn check_gauge(design: &Design, spool: &Spool, reason: Option<&str>) -> Result<(), Refusal> {
    let Some(designed) = design.coils.first().map(|c| &c.wire) else { return Ok(()) };
    let wire = spool.wire();
    if (wire.gauge, wire.build) == (designed.gauge, designed.build)
        || reason.is_some_and(|reason| reason.chars().count() >= SHORTEST_REASON)
    {
        return Ok(());
    }
    let words = |wire: &Wire| format!("{}, {} build", wire.gauge, wire.build.word());
    Err(Refusal::OtherWire {
        on_spool: words(&wire),
        in_design: words(designed),
        resistance: ohms_a_metre(&wire) / ohms_a_metre(designed) - 1.0,
    })
}

/// The document as it will be wound: one coil alone or all of them, with the planned turns on the first, and the wire that is
/// on the spool, with what was measured of it.
fn to_wind(revision: &Design, command: &StartRun, spool: Option<&Spool>) -> Design {
    let mut design = designed(revision, command.coil.as_deref());
    if let Some(coil) = design.coils.first_mut() {
        coil.wind.turns = command.turns;
        if let Some(spool) = spool {
            coil.wire = spool.wire();
        }
    }
    design
}

/// What is wound of a design: one coil of it alone, or all of it.
fn designed(revision: &Design, coil: Option<&str>) -> Design {
    coil.and_then(|coil| revision.alone(coil)).unwrap_or_else(|| revision.clone())
}

/// Who can wind: those who may, and who did not leave.
pub(crate) async fn winding_people(store: &WorkshopStore) -> Result<Vec<Person>, Refusal> {
    let mut people = store.people().await?;
    people.retain(|p| p.disabled_at.is_none() && Action::Wind.is_allowed(p.role.0));
    Ok(people)
}

impl Workshop {
    /// The newest revision of every design that is not archived, the newest first.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn windable_revisions(&self, actor: &Actor) -> Result<Vec<WindableRevision>, Refusal> {
        actor.require(Action::Wind)?;
        let rows = self.store_of(actor).designs(&DesignFilter::default()).await?;
        let windable = rows.into_iter().map(|row| WindableRevision {
            id: row.id,
            name: row.name,
            number: row.number,
            gauge: row.gauge,
            turns: row.turns,
        });
        Ok(windable.collect())
    }

    /// What a run's start can be chosen from.
    ///
    /// # Errors
    /// When there is no such revision.
    pub async fn start_options(&self, actor: &Actor, revision: RevisionId) -> Result<CheckedStart, Refusal> {
        actor.require(Action::Wind)?;
        let store = self.store_of(actor);
        let revision = store.revision(revision).await?;
        let mut winders = store.instruments().await?;
        winders.retain(|i| i.kind.0 == InstrumentKind::Winder);
        let prediction = self.uncalibrated_prediction(&revision.design).await?.ok();
        let spools = store.spools().await?;
        Ok(CheckedStart {
            own_spool: revision.design.coils.first().and_then(|coil| spool_of(&coil.wire, &spools)),
            spools,
            people: winding_people(&store).await?,
            winders,
            traveller: self.traveller_of_revision(actor, revision.row.id, &revision.design).await?,
            coils: prediction.map_or_else(Vec::new, |p| p.coils.clone()),
            revision,
        })
    }

    /// Starts a run. The spool's own measurements go into its document, and the calibration of this moment is what it is
    /// judged by for good.
    ///
    /// # Errors
    /// [`Refusal::OtherWire`] when the spool holds another gauge or build and no reason is given; [`Refusal::SpoolTooShort`]
    /// unless that is accepted; when revision, spool, person or winder are not there.
    pub async fn start_run(&self, actor: &Actor, command: &StartRun) -> Result<RunId, Refusal> {
        actor.require(Action::Wind)?;
        let store = self.store_of(actor);
        let revision = store.revision(command.revision).await?;
        let spool = match command.spool {
            Some(id) => Some(store.spool(id).await?),
            None => None,
        };
        if !winding_people(&store).await?.iter().any(|p| p.id == command.operator) {
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
        let wanted = designed(&revision.design, command.coil.as_deref());
        let design = to_wind(&revision.design, command, spool.as_ref());
        if let Some(doubt) =
            self.spool_doubts(command, &wanted, &design, spool.as_ref()).await?.into_iter().next()
        {
            return Err(doubt);
        }
        let is_other = spool.as_ref().is_some_and(|spool| check_gauge(&wanted, spool, None).is_err());
        let other_wire = command.reason().filter(|_| is_other).unwrap_or_default();
        let mut traveller = self.traveller_of_revision(actor, revision.row.id, &revision.design).await?;
        if command.coil.as_deref().is_some_and(|coil| revision.design.alone(coil).is_some()) {
            traveller = traveller.for_coil();
        }
        traveller = traveller.readable_on(&design);
        let applied = self.calibrations.applied(&store, Some(revision.row.design_id)).await?;
        let calibration = applied.on(&design, command.spool, Some(command.operator), command.winder);
        let solution = self.predictions.solution(&design).await?.ok();
        let (judged, tolerance) = (design.clone(), self.settings_of(actor).await?.tolerance);
        let judgement = crate::blocking::blocking(move || {
            let plan = Plan::from_design(&judged);
            judge_solved(&judged, solution.as_deref(), &[], (&calibration, tolerance), &plan)
        })
        .await?;
        let new = NewRun {
            coils: &[],
            tolerance,
            key: command.key.clone(),
            revision: revision.row.id,
            spool: command.spool,
            operator: command.operator,
            planned_turns: command.turns,
            stops: &command.stops,
            design: &design,
            remark: &command.remark,
            other_wire,
            traveller: &traveller,
            winder: command.winder,
            calibration: (applied.version.map(|(id, _)| id), calibration),
            judgement: Some(&judgement),
            at: None,
        };
        Ok(store.start_run(actor.person, &new).await?)
    }

    /// Everything that stands against the spool of a start, so that all of it can be answered at once: [`Refusal::OtherWire`] and
    /// [`Refusal::SpoolTooShort`], those that are answered already left out.
    ///
    /// # Errors
    /// When revision or spool are not there.
    pub async fn start_doubts(&self, actor: &Actor, command: &StartRun) -> Result<Vec<Refusal>, Refusal> {
        actor.require(Action::Wind)?;
        let store = self.store_of(actor);
        let revision = store.revision(command.revision).await?;
        let Some(id) = command.spool else { return Ok(Vec::new()) };
        let spool = store.spool(id).await?;
        let wanted = designed(&revision.design, command.coil.as_deref());
        let design = to_wind(&revision.design, command, Some(&spool));
        self.spool_doubts(command, &wanted, &design, Some(&spool)).await
    }

    async fn spool_doubts(
        &self,
        command: &StartRun,
        wanted: &Design,
        wound: &Design,
        spool: Option<&Spool>,
    ) -> Result<Vec<Refusal>, Refusal> {
        let Some(spool) = spool else { return Ok(Vec::new()) };
        let mut doubts: Vec<Refusal> =
            check_gauge(wanted, spool, command.reason()).err().into_iter().collect();
        if !command.accept_short_spool {
            match self.check_wire(wound, command.wire_g, spool).await {
                Ok(()) => {}
                Err(short @ Refusal::SpoolTooShort { .. }) => doubts.push(short),
                Err(other) => return Err(other),
            }
        }
        Ok(doubts)
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
