//! What each person does on a day, in order, with reasons.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::query::QueryParameters;
use crate::refusal_text::refusal_text;
use crate::respond::render_page;
use actix_web::{HttpResponse, web};
use askama::Template;
use presentation::field::{Choice, Field};
use presentation::form_fields::Errors;
use store::ClientKey;
use time::macros::format_description;
use time::{Date, Duration};
use trade::operation_times::{PERSON, POT};
use trade::schedule::{Moment, ScheduledOperation};
use workshop::{PlanMoves, PlannedJob, Refusal, ShopHours, ShopPlan, UNKNOWN_OUTAGE_DAYS};

/// A wait from which on it is told that something lies through the night.
const LONG_WAIT_MINUTES: i64 = 8 * 60;

/// Something to do.
struct Todo {
    from: String,
    to: String,
    what: String,
    of: String,
    run: Option<(u64, u32)>,
    /// The job and the operation, as they are pinned and begun.
    job: String,
    operation: String,
    /// Whether it can be begun now.
    can_begin: bool,
    /// Since when it is under way.
    running: String,
    is_pinned: bool,
    /// When it begins, as a field takes it.
    at: String,
    with: String,
    reason: String,
    is_late: bool,
    caution: String,
    /// What is done together with it, as one.
    together: Vec<Todo>,
}

/// What one person does.
struct PersonDay {
    name: String,
    todos: Vec<Todo>,
}

/// Something that lies and is ready later.
struct Waiting {
    what: String,
    of: String,
    until: String,
}

/// Dates that moved since people last saw the plan.
struct MovesPart {
    since: String,
    rows: Vec<MoveRow>,
}

struct MoveRow {
    what: String,
    before: String,
    now: String,
    turned_late: bool,
}

/// Something broken, or somebody away.
struct OutageRow {
    id: u64,
    name: String,
    reason: String,
    until: String,
    by: String,
}

#[derive(Template)]
#[template(path = "plan/day.html")]
struct DayPage {
    frame: Frame,
    tab: &'static str,
    key: ClientKey,
    day: String,
    on: String,
    moves: Option<MovesPart>,
    outages: Vec<OutageRow>,
    report: Vec<Field>,
    refused: bool,
    broken_pins: Vec<String>,
    names: Vec<String>,
    before: String,
    after: String,
    people: Vec<PersonDay>,
    machines: Vec<Todo>,
    waiting: Vec<Waiting>,
    late: Vec<(String, String)>,
    bottleneck: String,
    is_improving: bool,
    trouble: String,
}

fn clock(at: Moment) -> String {
    at.0.time().format(format_description!("[hour]:[minute]")).unwrap_or_default()
}

fn date_and_clock(at: Moment) -> String {
    format!("{} {}", &format!("{:?}", at.0.weekday())[..3], at.to_string().replace('T', " "))
}

fn day_and_clock(at: Moment) -> String {
    let short = &format!("{:?}", at.0.weekday())[..3];
    format!("{short} {}", clock(at))
}

/// Why an operation stands where it stands.
fn reason(plan: &ShopPlan, job: usize, operation: &ScheduledOperation) -> String {
    let planned = &plan.work.jobs[job].operations[operation.operation];
    let told = &plan.schedule.jobs[job];
    let wait = i64::from(planned.wait_minutes);
    if wait >= LONG_WAIT_MINUTES {
        let free = operation.end.later(wait);
        return format!("now, then it is ready to go on at {}", day_and_clock(free));
    }
    match plan.jobs[job].promised_on {
        Some(day) if told.late_minutes > 0 => {
            format!("promised for {day}, {} h late by this plan", (told.late_minutes + 59) / 60)
        }
        Some(day) => format!("promised for {day}, ready {}", day_and_clock(told.ready)),
        None => String::new(),
    }
}

/// Whether it is the next of its job, nothing of that is drying, and there is a run or a design to make one of.
fn can_begin(plan: &ShopPlan, job: usize, operation: &ScheduledOperation) -> bool {
    let planned = &plan.jobs[job];
    let is_dry = plan.work.jobs[job].release.is_none_or(|at| at <= plan.work.from);
    let is_next = operation.operation == 0 && !planned.is_running;
    is_next && is_dry && (planned.run.is_some() || planned.revision.is_some())
}

fn todo(plan: &ShopPlan, job: usize, operation: &ScheduledOperation, own: &str) -> Todo {
    let planned: &PlannedJob = &plan.jobs[job];
    let of = &planned.operations[operation.operation];
    let others: Vec<&str> =
        operation.resources.iter().map(String::as_str).filter(|name| *name != own).collect();
    let order = planned.order.map_or_else(String::new, |(_, number)| format!(", order {number}"));
    Todo {
        from: clock(operation.start),
        to: clock(operation.end),
        what: of.name.clone(),
        of: format!("{}{order}", planned.what),
        run: planned.run.map(|(id, number)| (id.0, number)),
        job: planned.key.clone(),
        operation: of.key.clone(),
        can_begin: can_begin(plan, job, operation),
        running: if planned.is_running && operation.operation == 0 {
            clock(operation.start)
        } else {
            String::new()
        },
        is_pinned: planned.pinned.contains(&of.key),
        at: operation.start.to_string(),
        with: others.join(", "),
        reason: reason(plan, job, operation),
        is_late: plan.schedule.jobs[job].late_minutes > 0,
        caution: of.caution.clone(),
        together: Vec::new(),
    }
}

/// What is done as one stands as one: bobbins that go into one dip.
fn as_one(todos: Vec<(bool, Todo)>) -> Vec<Todo> {
    let mut all: Vec<Todo> = Vec::with_capacity(todos.len());
    for (is_batch, todo) in todos {
        let same = |one: &Todo| (&one.from, &one.to, &one.what) == (&todo.from, &todo.to, &todo.what);
        match all.iter_mut().find(|one| is_batch && same(one)) {
            Some(one) => one.together.push(todo),
            None => all.push(todo),
        }
    }
    all
}

/// A promise is told where a job begins, and a caution the first time of the day: what is said at every line is read at none.
fn said_once(todos: &mut [Todo]) {
    let mut cautions: Vec<String> = Vec::new();
    let mut before = String::new();
    for todo in todos {
        let of = format!("{} {:?}", todo.of, todo.run);
        if of == before && todo.reason.starts_with("promised") {
            todo.reason.clear();
        }
        before = of;
        if cautions.contains(&todo.caution) {
            todo.caution.clear();
        } else {
            cautions.push(todo.caution.clone());
        }
    }
}

fn fill(page: &mut DayPage, plan: &ShopPlan, day: Date) {
    let now = plan.work.from;
    page.is_improving = plan.is_improving;
    let people = plan.work.resources.iter().filter(|r| r.kind == PERSON);
    page.names = people.map(|r| r.name.clone()).collect();
    page.broken_pins = plan
        .broken_pins
        .iter()
        .map(|(job, operation)| {
            let job = &plan.jobs[*job];
            format!("{}: {}", job.operations[*operation].name, job.what)
        })
        .collect();
    page.bottleneck = plan.schedule.bottleneck.clone().unwrap_or_default();
    let job_of = |name: &str| plan.jobs.iter().position(|j| j.name == name);
    let of_day = |o: &&ScheduledOperation| o.start.0.date() == day;
    for person in plan.work.resources.iter().filter(|r| r.kind == PERSON) {
        let own =
            plan.schedule.operations.iter().filter(of_day).filter(|o| o.resources.contains(&person.name));
        let mut todos = as_one(
            own.filter_map(|o| {
                let job = job_of(&o.job)?;
                let is_batch = plan.work.jobs[job].operations[o.operation].batch.is_some();
                Some((is_batch, todo(plan, job, o, &person.name)))
            })
            .collect(),
        );
        said_once(&mut todos);
        page.people.push(PersonDay { name: person.name.clone(), todos });
    }
    for pot in plan.work.resources.iter().filter(|r| r.kind == POT) {
        let own = plan.schedule.operations.iter().filter(of_day).filter(|o| o.resources.contains(&pot.name));
        page.machines.extend(own.filter_map(|o| Some(todo(plan, job_of(&o.job)?, o, ""))));
    }
    // What was signed and is still drying holds its job back beyond now.
    for (job, planned) in plan.work.jobs.iter().zip(plan.jobs.iter()) {
        if let Some(release) = job.release.filter(|at| *at > now) {
            page.waiting.push(Waiting {
                what: planned.operations.first().map_or_else(String::new, |o| o.name.clone()),
                of: planned
                    .run
                    .map_or_else(|| planned.what.clone(), |(_, n)| format!("run {n}, {}", planned.what)),
                until: day_and_clock(release),
            });
        }
    }
    let mut late: Vec<(i64, String, String)> = plan
        .jobs
        .iter()
        .zip(&plan.schedule.jobs)
        .filter(|(_, told)| told.late_minutes > 0)
        .map(|(job, told)| {
            let order = job.order.map_or_else(|| job.name.clone(), |(_, number)| format!("order {number}"));
            (told.late_minutes, format!("{order}: {}", job.what), day_and_clock(told.ready))
        })
        .collect();
    late.sort_by_key(|l| std::cmp::Reverse(l.0));
    page.late = late.into_iter().map(|(_, what, ready)| (what, ready)).collect();
}

fn moves_part(moves: PlanMoves, hours: &ShopHours) -> MovesPart {
    let rows = moves.moved.into_iter().map(|m| MoveRow {
        what: m.what,
        before: m.before.map_or_else(String::new, date_and_clock),
        now: date_and_clock(m.now),
        turned_late: m.turned_late,
    });
    MovesPart { since: date_and_clock(hours.local(moves.since)), rows: rows.collect() }
}

/// The fields of a report that something is broken, or somebody away.
fn report_fields(known: Vec<(String, String)>, form: &FormData, errors: &Errors) -> Vec<Field> {
    let choices = std::iter::once(Choice::new("", "choose"))
        .chain(known.into_iter().map(|(key, name)| Choice::new(key, name)))
        .collect();
    let unknown = format!("Empty when nobody knows: planned as {UNKNOWN_OUTAGE_DAYS} days.");
    vec![
        Field::chosen("resource", "What or who", "", choices).filled(form, errors),
        Field::typed("reason", "Why", "Such as a bearing, or ill.").filled(form, errors),
        Field { kind: "datetime-local", ..Field::typed("until", "Until", &unknown) }.filled(form, errors),
    ]
}

/// The page; with a report as typed where it was refused.
pub(super) async fn day_page(
    app: &App,
    user: &CurrentUser,
    query: &QueryParameters,
    report: Option<(&FormData, Errors)>,
) -> Result<HttpResponse, AppError> {
    let found = app.workshop.shop_plan(&user.actor).await;
    let hours = &user.settings.hours;
    let today = hours.now().0.date();
    let asked = Date::parse(query.get("on"), format_description!("[year]-[month]-[day]")).ok();
    let next =
        found.as_ref().ok().and_then(|plan| plan.schedule.operations.first().map(|o| o.start.0.date()));
    // Nothing to do today: the next day with something is shown.
    let day = asked.or(next.filter(|d| *d > today)).unwrap_or(today);
    let empty = FormData::default();
    let (form, errors) = report.map_or((&empty, Errors::new()), |(form, errors)| (form, errors));
    let known = app.workshop.outage_subjects(&user.actor).await?;
    let outages = app.workshop.outages(&user.actor).await?;
    let mut page = DayPage {
        frame: Frame::new(user, "plan", "The day"),
        tab: "day",
        key: form.key_or_new(),
        day: format!("{:?}, {day}", day.weekday()),
        on: day.to_string(),
        before: (day - Duration::DAY).to_string(),
        after: (day + Duration::DAY).to_string(),
        moves: None,
        outages: outages
            .into_iter()
            .map(|o| OutageRow {
                id: o.id.0,
                name: o.name,
                reason: o.reason,
                until: o.until.map_or_else(|| "nobody knows when".to_owned(), date_and_clock),
                by: o.by,
            })
            .collect(),
        report: report_fields(known, form, &errors),
        refused: !errors.is_empty(),
        broken_pins: Vec::new(),
        names: Vec::new(),
        people: Vec::new(),
        machines: Vec::new(),
        waiting: Vec::new(),
        late: Vec::new(),
        bottleneck: String::new(),
        is_improving: false,
        trouble: String::new(),
    };
    match found {
        Ok(plan) => {
            fill(&mut page, &plan, day);
            let moves = app.workshop.plan_moves(&user.actor, &plan).await?;
            page.moves = moves.map(|moves| moves_part(moves, hours));
        }
        Err(refusal @ Refusal::NotSchedulable(_)) => page.trouble = refusal_text(&refusal),
        Err(refusal) => return Err(refusal.into()),
    }
    render_page(&page, page.refused)
}

pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    day_page(&app, &user, &query, None).await
}
