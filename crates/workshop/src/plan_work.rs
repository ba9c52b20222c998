//! What is to be done in the shop: the runs under way and the orders that are agreed, as work to be scheduled.

use crate::actor::Actor;
use crate::observed_times::ObservedTimes;
use crate::ordered_pickups::{OrderedPickup, OrderedThings};
use crate::orders::readable_orders;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::shop_hours::ShopHours;
use crate::start_run::winding_people;
use coil::Word as _;
use coil::design::Design;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use store::instrument::Instrument;
use store::order::{OrderRun, OrderState};
use store::person::Person;
use store::rewind::Purpose;
use store::shop_floor::{Outage, PlanPin, RunningOperation};
use store::unreadable::RecordKind;
use store::{OrderId, RevisionId, RewindId, RunId};
use time::{Date, PrimitiveDateTime};
use trade::instrument::InstrumentKind;
use trade::operation_times::{GAUSSMETER, OperationTime, PERSON, POT, RACK, WINDER, usual};
use trade::schedule::{FORMAT, Job, Moment, Resource, Work};
use trade::traveller::{Operation, Traveller};

/// A plan is made anew when the clock has gone on so many minutes.
const GRAIN_MINUTES: i64 = 10;
/// What is broken for nobody knows how long is planned as if for so long.
pub const UNKNOWN_OUTAGE_DAYS: i64 = 5;

/// A job of the plan: a pickup on its way, or one that an order asks for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PlannedJob {
    /// Its name in the schedule.
    pub name: String,
    /// What pins hold on to: `run:` and the run, or `order:`, the order and which of its pickups.
    pub key: String,
    /// What is made.
    pub what: String,
    /// Its order and that one's number.
    pub order: Option<(OrderId, u32)>,
    /// Which line of it.
    pub line: Option<u32>,
    /// Its run and that one's number, once it is started.
    pub run: Option<(RunId, u32)>,
    /// The revision of one that is not started.
    pub revision: Option<RevisionId>,
    /// The old pickup that it is.
    pub rewind: Option<RewindId>,
    /// The set that it belongs to, and its name there.
    pub in_set: Option<(u64, String)>,
    /// What is left to do, in order.
    pub operations: Vec<Operation>,
    /// The day that it is promised for.
    pub promised_on: Option<Date>,
    /// Whether its first operation is under way.
    pub is_running: bool,
    /// Operations that are pinned, by their keys.
    pub pinned: Vec<String>,
}

/// How long operations take in a workshop.
#[derive(Clone, Debug)]
pub(crate) struct ShopTimes {
    observed: Arc<ObservedTimes>,
    dip_holds: u32,
}

impl ShopTimes {
    /// The workshop's own median where there is one, else what is usual.
    pub(crate) fn estimate(&self, operation: &Operation, turns: u32) -> OperationTime {
        let mut time = usual(operation, turns, self.dip_holds);
        if let Some(median) = self.observed.get(&operation.key).and_then(|time| time.median) {
            time.minutes = median;
        }
        time
    }

    /// How often each operation was observed, with the workshop's own median, minutes.
    pub(crate) fn medians(&self) -> impl Iterator<Item = (&str, usize, Option<u32>)> {
        self.observed.iter().map(|(key, time)| (key.as_str(), time.count, time.median))
    }
}

/// Work with what each job of it is, and how long operations take.
pub(crate) struct ShopWork {
    pub(crate) work: Work,
    pub(crate) jobs: Vec<PlannedJob>,
    pub(crate) times: ShopTimes,
}

/// A pickup that is to be made.
#[derive(Clone)]
pub(crate) struct ToMake {
    pub(crate) what: String,
    pub(crate) operations: Vec<Operation>,
    pub(crate) turns: u32,
}

/// What a pickup that is not started is made by.
type MadeBy = (Option<RevisionId>, Option<RewindId>);

fn made_by(pickup: &OrderedPickup) -> MadeBy {
    (pickup.revision, pickup.rewind.filter(|_| pickup.revision.is_none()))
}

/// What is done to pickups, by what they are made by: orders ask for the same ones again and again.
pub(crate) struct Made(BTreeMap<MadeBy, ToMake>);

impl Made {
    /// What is done to one of the pickups that it was worked out for.
    pub(crate) fn to_make(&self, pickup: &OrderedPickup) -> Result<ToMake, Refusal> {
        let mut made = self.0.get(&made_by(pickup)).ok_or(Refusal::NotFound("pickup of the order"))?.clone();
        if let Some((_, name)) = &pickup.in_set {
            made.what = format!("{}, {name}", made.what);
        }
        Ok(made)
    }
}

/// What of the floor changes the plan.
struct Floor {
    running: Vec<RunningOperation>,
    pins: Vec<PlanPin>,
    outages: Vec<Outage>,
}

impl Workshop {
    /// How long operations take in the workshop.
    pub(crate) async fn shop_times(&self, actor: &Actor) -> Result<ShopTimes, Refusal> {
        let settings = self.settings_of(actor).await?;
        self.shop_times_of(actor, &settings.hours).await
    }

    async fn shop_times_of(&self, actor: &Actor, hours: &ShopHours) -> Result<ShopTimes, Refusal> {
        let observed = self.known_times.load(actor.workshop, &self.store_of(actor)).await?;
        Ok(ShopTimes { observed, dip_holds: hours.dip_holds })
    }

    /// What is to be done in the shop, and what each job is.
    pub(crate) async fn shop_work(&self, actor: &Actor) -> Result<ShopWork, Refusal> {
        let store = self.store_of(actor);
        let hours = self.settings_of(actor).await?.hours;
        let now = hours.now();
        let from = now.later(-(i64::from(now.0.minute()) % GRAIN_MINUTES));
        let (times, running, pins, outages, people, instruments, runs, orders, unfinished) = tokio::try_join!(
            self.shop_times_of(actor, &hours),
            async { Ok(store.running_operations().await?) },
            async { Ok(store.plan_pins().await?) },
            async { Ok(store.outages(now.0).await?) },
            winding_people(&store),
            async { Ok(store.instruments().await?) },
            async { Ok(store.order_runs().await?) },
            async { Ok(store.orders(false).await?) },
            async { Ok(store.unfinished_runs().await?) },
        )?;
        let floor = Floor { running, pins, outages };
        let resources = resources(&people, &instruments, &hours, &floor.outages);
        let mut all = ShopWork {
            work: Work {
                format: FORMAT.into(),
                from,
                calendars: hours.calendars(),
                resources,
                jobs: Vec::new(),
                seed: 0,
            },
            jobs: Vec::new(),
            times,
        };
        let orders = readable_orders(&self.store_of(actor), orders)?;
        for run in unfinished {
            let of = runs.iter().find(|r| r.run_id == run.id);
            let order = of.and_then(|r| orders.iter().find(|(row, _)| row.id == r.order_id));
            let left: Vec<Operation> =
                run.traveller.0.iter().filter(|o| !run.signed.contains(&o.key)).cloned().collect();
            if left.is_empty() {
                continue;
            }
            // What was signed last may still be drying.
            let last = run.traveller.0.iter().rfind(|o| run.signed.contains(&o.key));
            let dry = last
                .zip(run.last_at)
                .map(|(o, at)| {
                    hours.local(at).later(i64::from(all.times.estimate(o, run.turns).wait_minutes))
                })
                .filter(|at| *at > now);
            let planned = PlannedJob {
                name: format!("run {}", run.number),
                key: format!("run:{}", run.id),
                what: run.design.clone(),
                order: order.map(|(row, _)| (row.id, row.number)),
                line: of.map(|r| r.line),
                run: Some((run.id, run.number)),
                revision: None,
                rewind: None,
                in_set: None,
                operations: left,
                promised_on: order.and_then(|(row, _)| row.promised_on),
                is_running: false,
                pinned: Vec::new(),
            };
            all.add(planned, dry, run.turns, &hours, &floor);
        }
        let agreed = || {
            orders.iter().filter(|(row, _)| matches!(row.state.0, OrderState::Agreed | OrderState::InWork))
        };
        let things = OrderedThings::load(&store, agreed().map(|(_, draft)| draft)).await?;
        let asked = agreed()
            .map(|(row, draft)| {
                let own: Vec<OrderRun> = runs.iter().filter(|r| r.order_id == row.id).copied().collect();
                Ok(things.readable_pickups(draft, &own)?.map(|pickups| (row, pickups)))
            })
            .filter_map(Result::transpose)
            .collect::<Result<Vec<_>, Refusal>>()?;
        let to_start = || asked.iter().flat_map(|(_, pickups)| pickups).filter(|p| p.run.is_none());
        let made = self.made(actor, &things, to_start()).await?;
        for (row, pickups) in &asked {
            for (k, pickup) in pickups.iter().enumerate().filter(|(_, p)| p.run.is_none()) {
                // What cannot be read has no place in the plan.
                let Ok(made) = made.to_make(pickup) else { continue };
                let planned = PlannedJob {
                    name: format!("order {}, pickup {}", row.number, k + 1),
                    key: format!("order:{}:{k}", row.id),
                    what: made.what,
                    order: Some((row.id, row.number)),
                    line: Some(pickup.line),
                    run: None,
                    revision: pickup.revision,
                    rewind: pickup.rewind,
                    in_set: pickup.in_set.as_ref().map(|(id, name)| (id.0, name.clone())),
                    operations: made.operations,
                    promised_on: row.promised_on,
                    is_running: false,
                    pinned: Vec::new(),
                };
                all.add(planned, None, made.turns, &hours, &floor);
            }
        }
        Ok(all)
    }

    /// Work to which an order is added that nobody agreed to yet: its jobs come last, and nothing promised gives way to them.
    pub(crate) async fn work_with(
        &self,
        actor: &Actor,
        things: &OrderedThings,
        asked: &[OrderedPickup],
    ) -> Result<ShopWork, Refusal> {
        let mut all = self.shop_work(actor).await?;
        let made = self.made(actor, things, asked.iter()).await?;
        for (k, pickup) in asked.iter().enumerate() {
            let made = made.to_make(pickup)?;
            let job = job(&format!("asked {k}"), None, None, &made.operations, |o| {
                all.times.estimate(o, made.turns)
            });
            all.work.jobs.push(job);
        }
        Ok(all)
    }

    /// What is done to pickups that are not started, each kind of them looked up once. Of an old one without a design it is what its
    /// format usually takes, after it was examined.
    pub(crate) async fn made(
        &self,
        actor: &Actor,
        things: &OrderedThings,
        pickups: impl Iterator<Item = &OrderedPickup>,
    ) -> Result<Made, Refusal> {
        let store = self.store_of(actor);
        let all: BTreeSet<MadeBy> = pickups.map(made_by).collect();
        let revisions: Vec<RevisionId> = all.iter().filter_map(|(revision, _)| *revision).collect();
        let (travellers, designs, examined) = tokio::try_join!(
            store.travellers(),
            store.designs_of(&revisions),
            store.rewinds_of_revisions(&revisions),
        )?;
        let traveller = |design: &Design| {
            travellers.get(design.kind.word()).cloned().unwrap_or_else(|| Traveller::usual(design))
        };
        let to_make = all.into_iter().map(|by| {
            let Some(revision) = by.0 else {
                let row = things.rewind(by.1.ok_or(Refusal::NotFound("pickup of the order"))?)?;
                let read = crate::rewinds::draft_of(row);
                let Some(draft) = store.readable(RecordKind::Rewind, row.id.0, &row.name, read)? else {
                    return Ok(None);
                };
                let design = &draft.findings.pickup;
                let mut operations = vec![examine()];
                operations.extend(traveller(design).for_rewind(draft.finish).0);
                let turns = design.coils.first().map_or(0, |c| c.wind.turns);
                return Ok(Some((by, ToMake { what: row.name.clone(), operations, turns })));
            };
            let Some(found) = designs.iter().find(|d| d.revision == revision) else { return Ok(None) };
            let mut own = traveller(&found.design);
            // What was made of an old pickup to bring it back is followed by what brings it back.
            if let Some((_, row)) =
                examined.iter().find(|(of, row)| *of == revision && row.purpose.0 == Purpose::Rewind)
            {
                let read = crate::rewinds::draft_of(row);
                if let Some(draft) = store.readable(RecordKind::Rewind, row.id.0, &row.name, read)? {
                    own = own.for_rewind(draft.finish);
                }
            }
            Ok(Some((by, ToMake { what: found.name.clone(), operations: own.0, turns: found.turns })))
        });
        Ok(Made(to_make.filter_map(Result::transpose).collect::<Result<_, Refusal>>()?))
    }
}

impl ShopWork {
    fn add(
        &mut self,
        mut planned: PlannedJob,
        release: Option<Moment>,
        turns: u32,
        hours: &ShopHours,
        floor: &Floor,
    ) {
        let due = planned.promised_on.map(|day| Moment(PrimitiveDateTime::new(day, end_of_day(&hours.to))));
        let mut job =
            job(&planned.name, due, release, &planned.operations, |o| self.times.estimate(o, turns));
        let names = |all: &mut dyn Iterator<Item = &str>| -> Vec<String> {
            all.filter(|name| self.work.resources.iter().any(|r| r.name == *name))
                .map(str::to_owned)
                .collect()
        };
        let running = planned.run.zip(planned.operations.first()).and_then(|((run, _), first)| {
            floor.running.iter().find(|r| r.run_id == run && r.operation == first.key)
        });
        if let (Some(running), Some(first)) = (running, job.operations.first_mut()) {
            let began = hours.local(running.started_at);
            let elapsed = self.work.from.minutes_after(began) + GRAIN_MINUTES;
            // What takes longer than usual is over at the next look, and not before.
            first.minutes = first.minutes.max(u32::try_from(elapsed).unwrap_or(0));
            first.start = Some(began.min(self.work.from.later(GRAIN_MINUTES)));
            let winder =
                running.winder.as_deref().filter(|_| first.needs.iter().any(|n| n.contains(&WINDER.into())));
            first.on = names(&mut std::iter::once(running.person.as_str()).chain(winder));
            job.release = None;
            planned.is_running = true;
        }
        for (operation, scheduled) in planned.operations.iter().zip(&mut job.operations) {
            let pin = floor.pins.iter().find(|p| p.job == planned.key && p.operation == operation.key);
            // What nobody began by then has no pin any more.
            if let Some(pin) =
                pin.filter(|p| Moment(p.starts_at) >= self.work.from && scheduled.start.is_none())
            {
                scheduled.start = Some(Moment(pin.starts_at));
                scheduled.on = names(&mut pin.resources.lines());
                planned.pinned.push(operation.key.clone());
            }
        }
        self.work.jobs.push(job);
        self.jobs.push(planned);
    }
}

/// People, winders, gaussmeters and the wax pot of the shop, with when they are there.
fn resources(
    people: &[Person],
    instruments: &[Instrument],
    hours: &ShopHours,
    outages: &[Outage],
) -> Vec<Resource> {
    let away = |key: &str| -> Vec<(Moment, Moment)> {
        let unknown = |o: &Outage| hours.now().0.max(o.from_at) + time::Duration::days(UNKNOWN_OUTAGE_DAYS);
        outages
            .iter()
            .filter(|o| o.resource == key)
            .map(|o| (Moment(o.from_at), Moment(o.until_at.unwrap_or_else(|| day_after(unknown(o))))))
            .filter(|(from, to)| from < to)
            .collect()
    };
    let mut all: Vec<Resource> = Vec::new();
    let mut add = |name: &str, kind: &str, calendar: Option<String>, capacity: u32, key: &str| {
        let mut name = name.to_owned();
        while all.iter().any(|r| r.name == name) {
            name.push('\'');
        }
        all.push(Resource { name, kind: kind.into(), calendar, capacity, away: away(key) });
    };
    for person in people {
        add(&person.name, PERSON, Some(hours.calendar_of(person.id.0)), 1, &format!("person:{}", person.id));
    }
    for winder in instruments.iter().filter(|i| i.kind.0 == InstrumentKind::Winder) {
        add(&winder.name, WINDER, None, 1, &format!("winder:{}", winder.id));
    }
    if !instruments.iter().any(|i| i.kind.0 == InstrumentKind::Winder) {
        add("the winder", WINDER, None, 1, "winder");
    }
    for meter in instruments.iter().filter(|i| i.kind.0 == InstrumentKind::Gauss) {
        add(&meter.name, GAUSSMETER, None, 1, &format!("gaussmeter:{}", meter.id));
    }
    if !instruments.iter().any(|i| i.kind.0 == InstrumentKind::Gauss) {
        add("the gaussmeter", GAUSSMETER, None, 1, "gaussmeter");
    }
    add("wax pot", POT, None, hours.pot_holds.clamp(1, 100), "pot");
    add("drying rack", RACK, None, hours.rack_holds.clamp(1, 500), "rack");
    all
}

/// The midnight after a moment: what ends at an unknown time changes the plan once a day, not at every look.
fn day_after(at: PrimitiveDateTime) -> PrimitiveDateTime {
    at.date().next_day().unwrap_or(at.date()).midnight()
}

fn examine() -> Operation {
    Operation {
        key: "examine".into(),
        name: "Examine it, and make its design".into(),
        how: String::new(),
        caution: String::new(),
        hold: Vec::new(),
        minutes: None,
    }
}

fn job(
    name: &str,
    due: Option<Moment>,
    release: Option<Moment>,
    operations: &[Operation],
    time_of: impl Fn(&Operation) -> OperationTime,
) -> Job {
    Job {
        name: name.to_owned(),
        due,
        release,
        weight: 1.0,
        operations: operations.iter().map(|o| time_of(o).scheduled(&o.name)).collect(),
    }
}

/// A time of day; the end of it where it cannot be read.
fn end_of_day(text: &str) -> time::Time {
    let parts: Vec<u8> = text.split(':').filter_map(|p| p.parse().ok()).collect();
    match parts.as_slice() {
        [h, m] => time::Time::from_hms(*h, *m, 0).unwrap_or(time::macros::time!(23:59)),
        _ => time::macros::time!(23:59),
    }
}
