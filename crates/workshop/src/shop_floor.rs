//! What people do with the plan: begin what is next, pin it, report what is broken, and see what moved.

use crate::actor::Actor;
use crate::permission::Action;
use crate::plan_work::PlannedJob;
use crate::planning::ShopPlan;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::start_run::StartRun;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use store::person::Person;
use store::shop_floor::{NewOutage, PlanPin};
use store::spool::Spool;
use store::timer::NewTimer;
use store::{ClientKey, InstrumentId, OutageId, PickupSetId, RevisionId, RunId, SpoolId, WorkshopStore};
use time::PrimitiveDateTime;
use trade::instrument::InstrumentKind;
use trade::operation_times::WINDER;
use trade::schedule::{Moment, ScheduledOperation};
use trade::traveller::Operation;

/// A promise that moves by less than this is not worth a word, minutes.
const MOVED_MINUTES: i64 = 60;
/// Letters of a reason.
const LONGEST_REASON: usize = 200;
/// Longest time that something can be reported as broken ahead, days.
const LONGEST_OUTAGE_DAYS: i64 = 400;

/// What came of beginning a job of the plan.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum BegunJob {
    /// Its run, with its first operation under way.
    Run(RunId),
    /// The wire has to be chosen first: several spools have it, or none.
    ChooseSpool,
}

/// Something that is broken, or somebody who is away, in words.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OutageNote {
    /// Which.
    pub id: OutageId,
    /// What or who.
    pub name: String,
    /// Why.
    pub reason: String,
    /// From when on, by the shop's clock.
    pub from: Moment,
    /// Until when; not known when absent.
    pub until: Option<Moment>,
    /// Who reported it.
    pub by: String,
}

/// Something that can be reported as broken or away: its key and its name.
pub type OutageSubject = (String, String);

/// A report that something is broken, or somebody away.
#[derive(Clone, Debug)]
pub struct ReportOutage {
    /// Key of the submission.
    pub key: ClientKey,
    /// What, as of [`Workshop::outage_subjects`].
    pub resource: String,
    /// Why.
    pub reason: String,
    /// Until when, by the shop's clock; not known when absent.
    pub until: Option<Moment>,
}

/// When something of the plan is ready, and whether that is too late.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
struct Ready {
    at: Moment,
    is_late: bool,
}

/// An order, or a run of none, whose date moved since people last saw the plan.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MovedDate {
    /// Which: `order 12`, `run 9`.
    pub what: String,
    /// When it was ready by the plan before; `None` for what was not in it.
    pub before: Option<Moment>,
    /// When it is ready now.
    pub now: Moment,
    /// Whether that is after its promise, and was not before.
    pub turned_late: bool,
}

/// What moved since people last saw the plan.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PlanMoves {
    /// When they saw it, UTC.
    pub since: PrimitiveDateTime,
    /// What moved, late first.
    pub moved: Vec<MovedDate>,
}

/// When each order of a plan is ready, and each run that belongs to none.
fn dates(plan: &ShopPlan) -> BTreeMap<String, Ready> {
    let mut all: BTreeMap<String, Ready> = BTreeMap::new();
    for (job, told) in plan.jobs.iter().zip(&plan.schedule.jobs) {
        let name = job.order.map_or_else(|| job.name.clone(), |(_, number)| format!("order {number}"));
        let one = Ready { at: told.ready, is_late: told.late_minutes > 0 };
        all.entry(name)
            .and_modify(|known| {
                *known = Ready { at: known.at.max(one.at), is_late: known.is_late || one.is_late };
            })
            .or_insert(one);
    }
    all
}

/// What moved from one plan to the next; what is no longer planned is done, and not told.
fn moves(before: &BTreeMap<String, Ready>, now: &BTreeMap<String, Ready>) -> Vec<MovedDate> {
    let mut all: Vec<MovedDate> = now
        .iter()
        .filter_map(|(name, now)| {
            let known = before.get(name)?;
            let turned_late = now.is_late && !known.is_late;
            let by = now.at.minutes_after(known.at).abs();
            (turned_late || by >= MOVED_MINUTES).then(|| MovedDate {
                what: name.clone(),
                before: Some(known.at),
                now: now.at,
                turned_late,
            })
        })
        .collect();
    all.sort_by_key(|m| (!m.turned_late, std::cmp::Reverse(m.now)));
    all
}

/// Spools that have the wire of a design's first coil, and enough of it as far as is known.
fn fitting<'a>(spools: &'a [Spool], wire: &coil::design::Wire, metres: f64) -> Vec<&'a Spool> {
    spools
        .iter()
        .filter(|s| s.emptied_at.is_none())
        .filter(|s| (s.gauge.0, s.insulation.0, s.build.0) == (wire.gauge, wire.insulation, wire.build))
        .filter(|s| s.left_now_m().is_none_or(|left| left > metres))
        .collect()
}

impl Workshop {
    /// Begins an operation of a run: it is under way from now on, keeps its place in the plan, and what dries or soaks afterwards has its
    /// timer. One that runs already goes on.
    ///
    /// # Errors
    /// When there is no such run or operation, or others come before it.
    pub async fn begin_operation(
        &self,
        actor: &Actor,
        key: &ClientKey,
        run: RunId,
        operation: &str,
    ) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        let store = self.store_of(actor);
        let traveller = store.traveller_of_run(run).await?.ok_or(Refusal::NotFound("traveller"))?;
        let signed = store.signatures(run).await?;
        let next = traveller.0.iter().find(|o| signed.iter().all(|s| s.operation != o.key));
        let next = next.filter(|o| o.key == operation).ok_or(Refusal::NotItsTurn)?;
        store.begin_operation(actor.person, run, operation).await?;
        if let Some(minutes) = next.minutes {
            let number = store.run(run).await?.row.number;
            let label: String = format!("{}, run {number}", next.name).chars().take(80).collect();
            let timer = NewTimer {
                key: key.derived(9),
                run: Some(run),
                operation: Some(operation),
                label: &label,
                minutes,
                at: None,
            };
            store.start_timer(actor.person, &timer).await?;
        }
        Ok(())
    }

    /// Lays an operation down before it is finished: it is planned anew.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn lay_down_operation(
        &self,
        actor: &Actor,
        run: RunId,
        operation: &str,
    ) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        Ok(self.store_of(actor).lay_down_operation(actor.person, run, operation).await?)
    }

    /// Begins a job of the plan that has no run yet: starts its run with what the design and the plan say, and its first operation. The
    /// same key again starts nothing more.
    ///
    /// # Errors
    /// When there is no such job; as [`Workshop::start_run`].
    pub async fn begin_job(&self, actor: &Actor, key: &ClientKey, job: &str) -> Result<BegunJob, Refusal> {
        actor.require(Action::Wind)?;
        let plan = self.shop_plan(actor).await?;
        let planned = plan.jobs.iter().find(|j| j.key == job).ok_or(Refusal::NotFound("job of the plan"))?;
        let revision = planned.revision.ok_or(Refusal::NotFound("design of this pickup"))?;
        let first = planned.operations.first().ok_or(Refusal::NotFound("operation"))?.key.clone();
        let Some((spool, stops, turns)) = self.usual_start(actor, revision).await? else {
            return Ok(BegunJob::ChooseSpool);
        };
        let command = StartRun {
            key: key.clone(),
            revision,
            coil: None,
            spool: Some(spool),
            operator: actor.person,
            winder: self.planned_winder(actor, &plan, planned).await?,
            turns,
            stops,
            wire_g: None,
            remark: String::new(),
            accept_short_spool: false,
            other_wire: None,
        };
        let run = self.start_run(actor, &command).await?;
        if let Some((set, pickup)) = &planned.in_set {
            self.assign_run_to_set(actor, run, PickupSetId(*set), pickup).await?;
        }
        if let (Some((order, _)), Some(line)) = (planned.order, planned.line) {
            self.assign_run_to_order(actor, run, order, line).await?;
        }
        self.begin_operation(actor, key, run, &first).await?;
        Ok(BegunJob::Run(run))
    }

    /// The one spool that has a revision's wire, with the stops and turns of its run; `None` where there is a choice, or none.
    async fn usual_start(
        &self,
        actor: &Actor,
        revision: RevisionId,
    ) -> Result<Option<(SpoolId, Vec<u32>, u32)>, Refusal> {
        let store = self.store_of(actor);
        let design = store.revision(revision).await?.design;
        let Some(coil) = design.coils.first() else { return Ok(None) };
        let predicted = self.uncalibrated_prediction(&design).await?.ok();
        let metres = predicted.map_or(0.0, |p| p.coils.iter().map(|c| c.wire_length_m.p95).sum());
        let spools = store.spools().await?;
        let turns = coil.wind.turns;
        let stops = self.settings_of(actor).await?.stops.stops(turns);
        Ok(match fitting(&spools, &coil.wire, metres).as_slice() {
            [only] => Some((only.id, stops, turns)),
            _ => None,
        })
    }

    /// The winder that the plan has a job wound on.
    async fn planned_winder(
        &self,
        actor: &Actor,
        plan: &ShopPlan,
        planned: &PlannedJob,
    ) -> Result<Option<InstrumentId>, Refusal> {
        let is_winder =
            |name: &String| plan.work.resources.iter().any(|r| r.kind == WINDER && r.name == *name);
        let mut own = plan.schedule.operations.iter().filter(|o| o.job == planned.name);
        let name = own.find_map(|o| o.resources.iter().find(|name| is_winder(name)));
        let winders = self.store_of(actor).instruments().await?;
        Ok(winders.iter().find(|i| i.kind.0 == InstrumentKind::Winder && Some(&i.name) == name).map(|i| i.id))
    }

    /// Pins an operation where it stands in the plan, or at another moment, with what it has there or with others.
    ///
    /// # Errors
    /// When there is no such job or operation; [`Refusal::PinCannotHold`] when what comes before it is not over by then, or it lies in the
    /// past.
    pub async fn pin_operation(
        &self,
        actor: &Actor,
        (job, operation): (&str, &str),
        at: Option<Moment>,
        person: Option<&str>,
    ) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        let plan = self.shop_plan(actor).await?;
        let (place, planned) = plan
            .jobs
            .iter()
            .enumerate()
            .find(|(_, j)| j.key == job)
            .ok_or(Refusal::NotFound("job of the plan"))?;
        let number = planned
            .operations
            .iter()
            .position(|o| o.key == operation)
            .ok_or(Refusal::NotFound("operation"))?;
        let of_job = |o: &&ScheduledOperation| o.job == planned.name;
        let told = plan.schedule.operations.iter().filter(of_job).find(|o| o.operation == number);
        let told = told.ok_or(Refusal::NotFound("operation"))?;
        let starts = at.unwrap_or(told.start);
        let mut resources = told.resources.clone();
        if let Some(person) = person {
            let is_person = |name: &String| {
                plan.work
                    .resources
                    .iter()
                    .any(|r| r.kind == trade::operation_times::PERSON && r.name == *name)
            };
            if !is_person(&person.to_owned()) {
                return Err(Refusal::NotFound("person"));
            }
            match resources.iter_mut().find(|name| is_person(name)) {
                Some(name) => person.clone_into(name),
                None => resources.push(person.to_owned()),
            }
        }
        let mut tried = (*plan.work).clone();
        tried.jobs[place].operations[number].start = Some(starts);
        tried.jobs[place].operations[number].on.clone_from(&resources);
        let can_hold = starts >= plan.work.from
            && crate::blocking::blocking(move || trade::schedule::schedule_at_once(&tried).is_ok()).await?;
        if !can_hold {
            return Err(Refusal::PinCannotHold);
        }
        let pin = PlanPin {
            job: job.to_owned(),
            operation: operation.to_owned(),
            starts_at: starts.0,
            resources: resources.join("\n"),
        };
        Ok(self.store_of(actor).pin_operation(actor.person, &pin).await?)
    }

    /// Takes the pin off an operation.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn unpin_operation(&self, actor: &Actor, job: &str, operation: &str) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        Ok(self.store_of(actor).unpin_operation(actor.person, job, operation).await?)
    }

    /// Who can wind, and so has work in the plan.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn winding_people(&self, actor: &Actor) -> Result<Vec<Person>, Refusal> {
        actor.require(Action::ReadRuns)?;
        crate::start_run::winding_people(&self.store_of(actor)).await
    }

    /// What can be reported as broken or away: winders, gaussmeters, the wax pot, and people.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn outage_subjects(&self, actor: &Actor) -> Result<Vec<OutageSubject>, Refusal> {
        actor.require(Action::ReadRuns)?;
        out_names(&self.store_of(actor)).await
    }

    /// Reports that something is broken, or somebody away. What was under way on a winder that broke is laid down.
    ///
    /// # Errors
    /// When there is no such thing; [`Refusal::UnusableOutage`] by the place of what is wrong.
    pub async fn report_outage(&self, actor: &Actor, command: &ReportOutage) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        let store = self.store_of(actor);
        let known = out_names(&store).await?;
        let (_, name) = known
            .iter()
            .find(|(key, _)| *key == command.resource)
            .ok_or(Refusal::NotFound("machine or person"))?;
        let now = self.settings_of(actor).await?.hours.now();
        let furthest = now.later(LONGEST_OUTAGE_DAYS * 24 * 60);
        if command.until.is_some_and(|until| until <= now || until > furthest) {
            return Err(Refusal::UnusableOutage("until"));
        }
        let reason = command.reason.trim();
        if reason.is_empty() || reason.chars().count() > LONGEST_REASON || reason.contains(char::is_control) {
            return Err(Refusal::UnusableOutage("reason"));
        }
        let new = NewOutage {
            resource: &command.resource,
            reason,
            from_at: now.0,
            until_at: command.until.map(|m| m.0),
        };
        store.report_outage(actor.person, &command.key, &new).await?;
        for running in store.running_operations().await? {
            let holds = if command.resource.starts_with("winder") {
                running.winder.as_ref() == Some(name) && running.operation == "wind"
            } else {
                running.person == *name
            };
            if holds {
                store.lay_down_operation(actor.person, running.run_id, &running.operation).await?;
            }
        }
        Ok(())
    }

    /// Notes that it is there again.
    ///
    /// # Errors
    /// When there is no such report.
    pub async fn end_outage(&self, actor: &Actor, id: OutageId) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        Ok(self.store_of(actor).end_outage(actor.person, id).await?)
    }

    /// What is broken or away, or will be.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn outages(&self, actor: &Actor) -> Result<Vec<OutageNote>, Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.store_of(actor);
        let names = out_names(&store).await?;
        let now = self.settings_of(actor).await?.hours.now();
        let rows = store.outages(now.0).await?;
        Ok(rows
            .into_iter()
            .map(|row| OutageNote {
                id: row.id,
                name: names
                    .iter()
                    .find(|(key, _)| *key == row.resource)
                    .map_or_else(|| row.resource.clone(), |(_, name)| name.clone()),
                reason: row.reason,
                from: Moment(row.from_at),
                until: row.until_at.map(Moment),
                by: row.by,
            })
            .collect())
    }

    /// What moved since people last saw the plan. The first plan that is asked about is the one that they saw.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn plan_moves(&self, actor: &Actor, plan: &ShopPlan) -> Result<Option<PlanMoves>, Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.store_of(actor);
        let now = dates(plan);
        let Some((since, document)) = store.plan_baseline().await? else {
            // A plan that is still being improved would be told as moved a moment later.
            if !plan.is_improving {
                store.keep_plan_baseline(&serde_json::to_string(&now)?, None).await?;
            }
            return Ok(None);
        };
        let mut before: BTreeMap<String, Ready> = serde_json::from_str(&document).unwrap_or_default();
        let moved = moves(&before, &now);
        if !plan.is_improving && now.keys().any(|name| !before.contains_key(name)) {
            // What is new begins as it is planned first.
            for (name, ready) in &now {
                before.entry(name.clone()).or_insert(*ready);
            }
            store.keep_plan_baseline_as_of(&serde_json::to_string(&before)?).await?;
        }
        Ok((!moved.is_empty()).then_some(PlanMoves { since, moved }))
    }

    /// Keeps the plan as the one that people saw.
    ///
    /// # Errors
    /// As [`Workshop::shop_plan`].
    pub async fn plan_seen(&self, actor: &Actor) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        let plan = self.shop_plan(actor).await?;
        let document = serde_json::to_string(&dates(&plan))?;
        Ok(self.store_of(actor).keep_plan_baseline(&document, Some(actor.person)).await?)
    }
}

/// Keys and names of what can be broken or away.
async fn out_names(store: &WorkshopStore) -> Result<Vec<OutageSubject>, Refusal> {
    let mut all: Vec<OutageSubject> = Vec::new();
    for instrument in store.instruments().await? {
        match instrument.kind.0 {
            InstrumentKind::Winder => all.push((format!("winder:{}", instrument.id), instrument.name)),
            InstrumentKind::Gauss => all.push((format!("gaussmeter:{}", instrument.id), instrument.name)),
            _ => {}
        }
    }
    all.push(("pot".into(), "wax pot".into()));
    for person in crate::start_run::winding_people(store).await? {
        all.push((format!("person:{}", person.id), person.name));
    }
    Ok(all)
}

/// The operations that a plan has on a resource, in their order, each with its job: the queue at a machine.
pub fn queue<'a>(
    plan: &'a ShopPlan,
    resource: &str,
) -> impl Iterator<Item = (&'a PlannedJob, &'a Operation, &'a ScheduledOperation)> {
    let own =
        plan.schedule.operations.iter().filter(move |o| o.resources.iter().any(|name| name == resource));
    // `resource` is only read while the iterator is made.
    let own: Vec<&ScheduledOperation> = own.collect();
    own.into_iter().filter_map(|o| {
        let job = plan.jobs.iter().find(|j| j.name == o.job)?;
        Some((job, job.operations.get(o.operation)?, o))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn ready(at: &str, is_late: bool) -> Ready {
        Ready { at: at.parse().unwrap(), is_late }
    }

    /// What moved by an hour or more is told, and what turned late however little; what is new or done is not.
    #[test]
    fn what_moved_is_told_late_first() {
        let before: BTreeMap<String, Ready> = [
            ("order 1", ready("2026-11-25T12:00", false)),
            ("order 2", ready("2026-11-25T12:00", false)),
            ("order 3", ready("2026-11-25T16:50", false)),
            ("order 4", ready("2026-11-25T12:00", true)),
        ]
        .map(|(name, ready)| (name.to_owned(), ready))
        .into();
        let now: BTreeMap<String, Ready> = [
            ("order 1", ready("2026-11-26T09:00", false)),
            ("order 2", ready("2026-11-25T12:20", false)),
            ("order 3", ready("2026-11-25T17:10", true)),
            ("order 5", ready("2026-11-30T12:00", true)),
        ]
        .map(|(name, ready)| (name.to_owned(), ready))
        .into();
        let told = moves(&before, &now);
        let names: Vec<&str> = told.iter().map(|m| m.what.as_str()).collect();
        assert_eq!(names, ["order 3", "order 1"]);
        assert!(told[0].turned_late && !told[1].turned_late);
    }
}
