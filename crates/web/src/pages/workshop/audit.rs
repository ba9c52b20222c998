//! The trail of changes.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::query::QueryParameters;
use crate::respond::render_page;
use actix_web::{HttpResponse, web};
use askama::Template;
use presentation::field::Choice;
use serde_json::Value;
use std::collections::BTreeMap;
use store::PersonId;
use store::audit::{AuditAction, AuditFilter, AuditRow};
use time::Date;
use time::macros::format_description;

/// What is changed, as people read it.
const fn name(action: AuditAction) -> &'static str {
    match action {
        AuditAction::Spool => "Spool",
        AuditAction::Part => "Part",
        AuditAction::DesignParts => "Parts of a design",
        AuditAction::Design => "Label, tags, archive",
        AuditAction::Instrument => "Instrument",
        AuditAction::InstrumentNetwork => "Network of instruments",
        AuditAction::Traveller => "Traveller",
        AuditAction::Calibration => "Calibration",
        AuditAction::Set => "Matched set",
        AuditAction::PickupSet => "Set of pickups",
        AuditAction::Rewind => "Examined pickup",
        AuditAction::Experiment => "Experiment",
        AuditAction::Order => "Order",
        AuditAction::Person => "Person",
        AuditAction::Settings => "Settings",
        AuditAction::Station => "Shared station",
        AuditAction::Photo => "Photo",
        AuditAction::Timer => "Timer",
        AuditAction::Operation => "Work begun or laid down",
        AuditAction::Pin => "Pin in the plan",
        AuditAction::Outage => "Broken or away",
        AuditAction::Feed => "Calendar feed",
        AuditAction::Guessing => "Guessing",
        AuditAction::Run => "Run",
        AuditAction::Session => "Session",
        AuditAction::Plan => "Plan",
        AuditAction::Backup => "Backup",
    }
}

/// Every kind of change.
const ACTIONS: &[AuditAction] = <AuditAction as strum::VariantArray>::VARIANTS;

/// A value that differs: its name, what it was and what it is.
struct Difference {
    name: String,
    before: String,
    after: String,
}

struct Row {
    when: String,
    when_iso: String,
    by: String,
    action: &'static str,
    object: String,
    differences: Vec<Difference>,
}

#[derive(Template)]
#[template(path = "workshop/audit.html")]
struct Page {
    frame: Frame,
    tab: &'static str,
    rows: Vec<Row>,
    actions: Vec<Choice>,
    action: String,
    people: Vec<Choice>,
    person: String,
    words: String,
    from: String,
    to: String,
    older: Option<String>,
    is_filtered: bool,
}

/// A value as people read it; empty for none.
fn text(value: Option<&Value>) -> String {
    match value {
        None | Some(Value::Null) => String::new(),
        Some(Value::String(text)) => text.clone(),
        Some(other) => other.to_string(),
    }
}

/// The values that differ between two sides; a side that is no object is one value by itself.
fn differences(before: Option<&str>, after: Option<&str>) -> Vec<Difference> {
    let side = |text: Option<&str>| -> BTreeMap<String, Value> {
        match text.and_then(|text| serde_json::from_str(text).ok()) {
            Some(Value::Object(values)) => values.into_iter().collect(),
            Some(other) => BTreeMap::from([("value".to_owned(), other)]),
            None => BTreeMap::new(),
        }
    };
    let (before, after) = (side(before), side(after));
    let mut names: Vec<&String> = before.keys().chain(after.keys()).collect();
    names.sort();
    names.dedup();
    names
        .into_iter()
        .map(|name| Difference {
            name: name.clone(),
            before: text(before.get(name)),
            after: text(after.get(name)),
        })
        .filter(|d| d.before != d.after)
        .collect()
}

impl From<AuditRow> for Row {
    fn from(row: AuditRow) -> Self {
        Self {
            when: presentation::format::moment(row.at),
            when_iso: presentation::format::iso(row.at),
            by: row.by,
            action: name(row.action.0),
            object: row.object,
            differences: differences(row.before_text.as_deref(), row.after_text.as_deref()),
        }
    }
}

/// The list.
pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    let day = |name| Date::parse(query.get(name), format_description!("[year]-[month]-[day]")).ok();
    let filter = AuditFilter {
        action: query.get("action").parse().ok(),
        person: query.number("person").map(PersonId),
        words: query.get("q").to_owned(),
        from: day("from"),
        to: day("to"),
    };
    let found = app.workshop.audit_trail(&user.actor, &filter, query.number("before")).await?;
    let key = |action: AuditAction| -> &'static str { action.into() };
    let is_filtered = ["action", "person", "q", "from", "to"].iter().any(|name| !query.get(name).is_empty());
    let people = app.workshop.people(&user.actor).await?;
    let page = Page {
        frame: Frame::new(&user, "workshop", "Changes"),
        tab: "audit",
        rows: found.rows.into_iter().map(Row::from).collect(),
        actions: std::iter::once(Choice::new("", "everything"))
            .chain(ACTIONS.iter().map(|action| Choice::new(key(*action), name(*action))))
            .collect(),
        action: query.get("action").to_owned(),
        people: std::iter::once(Choice::new("", "anybody"))
            .chain(people.into_iter().map(|p| Choice::new(p.id.to_string(), p.name)))
            .collect(),
        person: query.get("person").to_owned(),
        words: query.get("q").to_owned(),
        from: query.get("from").to_owned(),
        to: query.get("to").to_owned(),
        older: found.next.map(|below| query.link("/audit", "before", &below.to_string())),
        is_filtered,
    };
    render_page(&page, false)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_differs_is_shown() {
        let (before, after) = (
            r#"{"cost": 0.8, "supplier": "Fenlark", "lot": null}"#,
            r#"{"cost": 0.9, "supplier": "Fenlark", "lot": "7"}"#,
        );
        let found = differences(Some(before), Some(after));
        let shown: Vec<_> =
            found.iter().map(|d| (d.name.as_str(), d.before.as_str(), d.after.as_str())).collect();
        assert_eq!(shown, [("cost", "0.8", "0.9"), ("lot", "", "7")]);
        assert_eq!(differences(None, Some(after)).len(), 3);
        assert!(differences(Some("not JSON"), None).is_empty());
    }
}
