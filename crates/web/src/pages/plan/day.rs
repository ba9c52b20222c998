//! What each person does on a day, in order, with reasons.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::query::QueryParameters;
use crate::refusal_text::refusal_text;
use crate::respond::render_page;
use actix_web::{HttpResponse, web};
use askama::Template;
use time::macros::format_description;
use time::{Date, Duration};
use trade::operation_times::{PERSON, POT};
use trade::schedule::{Moment, ScheduledOperation};
use workshop::{PlannedJob, Refusal, ShopPlan};

/// A wait from which on it is told that something lies through the night.
const LONG_WAIT_MINUTES: i64 = 8 * 60;

/// Something to do.
struct Todo {
    from: String,
    to: String,
    what: String,
    of: String,
    run: Option<(u64, u32)>,
    /// Where its run is started.
    start: String,
    with: String,
    reason: String,
    is_late: bool,
    caution: String,
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

#[derive(Template)]
#[template(path = "plan/day.html")]
struct DayPage {
    frame: Frame,
    tab: &'static str,
    day: String,
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
        start: match (planned.run, planned.revision, planned.order, planned.line) {
            (None, Some(revision), Some((order, _)), Some(line)) if operation.operation == 0 => {
                format!("/runs/new?revision={revision}&order={order}&line={line}")
            }
            _ => String::new(),
        },
        with: others.join(", "),
        reason: reason(plan, job, operation),
        is_late: plan.schedule.jobs[job].late_minutes > 0,
        caution: of.caution.clone(),
    }
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
    page.bottleneck = plan.schedule.bottleneck.clone().unwrap_or_default();
    let job_of = |name: &str| plan.jobs.iter().position(|j| j.name == name);
    let of_day = |o: &&ScheduledOperation| o.start.0.date() == day;
    for person in plan.work.resources.iter().filter(|r| r.kind == PERSON) {
        let own =
            plan.schedule.operations.iter().filter(of_day).filter(|o| o.resources.contains(&person.name));
        let mut todos: Vec<Todo> =
            own.filter_map(|o| Some(todo(plan, job_of(&o.job)?, o, &person.name))).collect();
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

/// The page.
pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let found = app.workshop.shop_plan(&user.actor).await;
    let today = user.settings.hours.now().0.date();
    let asked = Date::parse(query.get("on"), format_description!("[year]-[month]-[day]")).ok();
    let next =
        found.as_ref().ok().and_then(|plan| plan.schedule.operations.first().map(|o| o.start.0.date()));
    // Nothing to do today: the next day with something is shown.
    let day = asked.or(next.filter(|d| *d > today)).unwrap_or(today);
    let mut page = DayPage {
        frame: Frame::new(&user, "plan", "The day"),
        tab: "day",
        day: format!("{:?}, {day}", day.weekday()),
        before: (day - Duration::DAY).to_string(),
        after: (day + Duration::DAY).to_string(),
        people: Vec::new(),
        machines: Vec::new(),
        waiting: Vec::new(),
        late: Vec::new(),
        bottleneck: String::new(),
        is_improving: false,
        trouble: String::new(),
    };
    match found {
        Ok(plan) => fill(&mut page, &plan, day),
        Err(refusal @ Refusal::NotSchedulable(_)) => page.trouble = refusal_text(&refusal),
        Err(refusal) => return Err(refusal.into()),
    }
    render_page(&page, false)
}
