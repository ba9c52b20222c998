//! The week as bars, by resource or by order, and the hours of the shop.

use super::gantt::{Bar, gantt};
use super::hour_fields::{hour_fields, person_fields};
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
use presentation::field::Field;
use presentation::form_fields::Errors;
use presentation::format::moment;
use time::macros::format_description;
use time::{Date, Duration};
use trade::operation_times::RACK;
use trade::schedule::ScheduledOperation;
use workshop::{Action, Actor, Refusal, ShopHours, ShopPlan};

#[derive(Template)]
#[template(path = "plan/week.html")]
pub(super) struct WeekPage {
    frame: Frame,
    tab: &'static str,
    from: String,
    before: String,
    after: String,
    by_order: bool,
    drawing: String,
    figures: Vec<(&'static str, String)>,
    hours: Vec<Field>,
    person_hours: Vec<Field>,
    /// Who keeps other hours than the shop, and which.
    own_hours: Vec<(String, String)>,
    trouble: String,
    refused: bool,
    /// One's calendar feeds: number, what they have, since when.
    feeds: Vec<(u64, &'static str, String)>,
}

/// Bars of a plan in the seven days from `from` on: the row, and what is done. Bars of what is not started lead to its order, for whoever
/// may open it.
fn bars(plan: &ShopPlan, from: Date, by_order: bool, actor: &Actor) -> Vec<(String, Vec<Bar>)> {
    let may_open_orders = actor.may(Action::ReadOrders);
    let mut rows: Vec<(String, Vec<Bar>)> = if by_order {
        Vec::new()
    } else {
        // What lies on the rack takes no hands: it is in no row.
        let rows = plan.work.resources.iter().filter(|r| r.kind != RACK);
        rows.map(|r| (r.name.clone(), Vec::new())).collect()
    };
    let begins = from.midnight();
    // What is done as one is one bar, with the name of the first and how many they are.
    let batch_of = |o: &ScheduledOperation| {
        let job = plan.work.jobs.iter().find(|j| j.name == o.job)?;
        job.operations[o.operation].batch.as_ref().map(|b| b.name.as_str())
    };
    let mut counted: Vec<&ScheduledOperation> = Vec::new();
    for o in &plan.schedule.operations {
        let minutes = |at: trade::schedule::Moment| (at.0 - begins).whole_minutes();
        let (start, end) = (minutes(o.start), minutes(o.end));
        if end <= 0 || start >= 7 * 24 * 60 || start == end {
            continue;
        }
        let Some(job) = plan.jobs.iter().position(|j| j.name == o.job) else { continue };
        let batch = batch_of(o);
        let is_same = |other: &ScheduledOperation| {
            batch_of(other) == batch && (other.start, &other.resources) == (o.start, &o.resources)
        };
        let together = if batch.is_none() {
            1
        } else {
            plan.schedule.operations.iter().filter(|other| is_same(other)).count()
        };
        if !by_order && together > 1 {
            if counted.iter().any(|other| is_same(other)) {
                continue;
            }
            counted.push(o);
        }
        let others = if together > 1 { format!(", {together} together") } else { String::new() };
        let planned = &plan.jobs[job];
        let name = &planned.operations[o.operation].name;
        let bar = Bar {
            start,
            end,
            label: format!(
                "{name}{others}: {}, {} to {}",
                planned.what,
                o.start.to_string().replace('T', " "),
                &o.end.to_string()[11..]
            ),
            link: match (planned.run, planned.order) {
                (Some((run, _)), _) => format!("/runs/{run}"),
                (None, Some((order, _))) if may_open_orders => format!("/orders/{order}"),
                _ => String::new(),
            },
            tone: job % 6,
            is_late: plan.schedule.jobs[job].late_minutes > 0,
        };
        if by_order {
            let row =
                planned.order.map_or_else(|| planned.name.clone(), |(_, number)| format!("order {number}"));
            match rows.iter_mut().find(|(name, _)| *name == row) {
                Some((_, all)) => all.push(bar),
                None => rows.push((row, vec![bar])),
            }
        } else {
            for resource in &o.resources {
                if let Some((_, all)) = rows.iter_mut().find(|(name, _)| name == resource) {
                    all.push(bar.clone());
                }
            }
        }
    }
    rows
}

/// Who keeps other hours than the shop: name and hours.
fn own_hours(hours: &ShopHours, people: &[(u64, String)]) -> Vec<(String, String)> {
    let named = |id: &u64| people.iter().find(|p| p.0 == *id).map(|p| p.1.clone());
    let own = hours.people.iter().filter_map(|(id, own)| {
        let off = if own.off.is_empty() { String::new() } else { format!(", off {}", own.off.join(", ")) };
        Some((named(id)?, format!("{}, {} to {}{off}", own.days.join(", "), own.from, own.to)))
    });
    own.collect()
}

/// From when to when a day is drawn, minutes after midnight: the shop's hours.
fn shown_hours(hours: &ShopHours) -> (i64, i64) {
    let minutes = |text: &str| -> Option<i64> {
        let (h, m) = text.split_once(':')?;
        Some(h.parse::<i64>().ok()? * 60 + m.parse::<i64>().ok()?)
    };
    let (from, to) = (minutes(&hours.from).unwrap_or(0), minutes(&hours.to).unwrap_or(24 * 60));
    if from < to { (from, to) } else { (0, 24 * 60) }
}

/// The page; with the hours as typed where they were refused.
pub(super) async fn week_page(
    app: &App,
    user: &CurrentUser,
    query: &QueryParameters,
    hours: Option<(&FormData, Errors)>,
) -> Result<HttpResponse, AppError> {
    let now = user.settings.hours.now().0.date();
    let asked = Date::parse(query.get("from"), format_description!("[year]-[month]-[day]")).ok();
    let from = asked.unwrap_or(now);
    let by_order = query.get("by") == "order";
    let refused = hours.is_some();
    let mut page = WeekPage {
        frame: Frame::new(user, "plan", "The week"),
        tab: "week",
        from: from.to_string(),
        before: (from - Duration::WEEK).to_string(),
        after: (from + Duration::WEEK).to_string(),
        by_order,
        drawing: String::new(),
        figures: Vec::new(),
        hours: Vec::new(),
        person_hours: Vec::new(),
        own_hours: Vec::new(),
        trouble: String::new(),
        refused,
        feeds: app
            .workshop
            .feeds(&user.actor)
            .await?
            .into_iter()
            .map(|f| {
                (f.id.0, if f.is_whole_shop { "the whole shop" } else { "your own work" }, moment(f.made_at))
            })
            .collect(),
    };
    if user.actor.may(Action::ManageSettings) {
        let people: Vec<(u64, String)> =
            app.workshop.winding_people(&user.actor).await?.into_iter().map(|p| (p.id.0, p.name)).collect();
        page.own_hours = own_hours(&user.settings.hours, &people);
        // What was refused is shown where it was typed.
        let (shop, person) = match hours {
            Some((form, errors)) if form.0.has("person") => (None, Some((form, errors))),
            other => (other, None),
        };
        page.hours = hour_fields(&user.settings.hours, shop);
        page.person_hours = person_fields(&people, person);
    }
    match app.workshop.shop_plan(&user.actor).await {
        Ok(plan) => {
            page.drawing =
                gantt(from, shown_hours(&user.settings.hours), &bars(&plan, from, by_order, &user.actor));
            let s = &plan.schedule;
            let late = s.jobs.iter().filter(|j| j.late_minutes > 0).count();
            page.figures = vec![
                ("Jobs", s.jobs.len().to_string()),
                ("Late", late.to_string()),
                (
                    "All ready",
                    s.jobs
                        .iter()
                        .map(|j| j.ready)
                        .max()
                        .map_or_else(String::new, |m| m.to_string().replace('T', " ")),
                ),
                (
                    "Total lateness",
                    format!(
                        "{:.0} h (lower bound {:.0} h)",
                        (s.weighted_lateness_minutes / 60.0).ceil(),
                        (s.lower_bound_minutes / 60.0).floor()
                    ),
                ),
                ("Bottleneck", s.bottleneck.clone().unwrap_or_else(|| "none".into())),
            ];
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
    week_page(&app, &user, &query, None).await
}
