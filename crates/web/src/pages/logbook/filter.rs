//! The logbook's filter, from the address.

use crate::query::QueryParameters;
use store::logbook::{LogFilter, Order};
use store::{DesignId, InstrumentId, PersonId, SpoolId};
use time::Date;
use time::macros::format_description;
use trade::verdict::Level;

/// A day as the browser's own field writes it.
fn day(text: &str) -> Option<Date> {
    Date::parse(text, format_description!("[year]-[month]-[day]")).ok()
}

/// The filter that an address asks for.
pub(super) fn filter(query: &QueryParameters) -> LogFilter {
    let word = |name| Some(query.get(name).to_owned()).filter(|w| !w.is_empty());
    LogFilter {
        words: query.get("q").to_owned(),
        design: query.number("design").map(DesignId),
        revision: query.get("revision").trim_start_matches('r').parse().ok(),
        format: query.get("format").parse().ok(),
        spool: query.number("spool").map(SpoolId),
        operator: query.number("operator").map(PersonId),
        winder: query.number("winder").map(InstrumentId),
        from: day(query.get("from")),
        to: day(query.get("to")),
        level: Level::from_key(query.get("verdict")),
        state: query.get("state").parse().ok(),
        tag: word("tag"),
        order: Order::from_key(query.get("sort")).unwrap_or_default(),
        rising: query.get("way") == "up",
    }
}

/// What an address asks for that no filter understands: name and value. It is told, since all runs are shown then.
pub(super) fn not_understood(query: &QueryParameters) -> Vec<(&'static str, String)> {
    let read = filter(query);
    [
        ("design", read.design.is_some()),
        ("revision", read.revision.is_some()),
        ("format", read.format.is_some()),
        ("spool", read.spool.is_some()),
        ("operator", read.operator.is_some()),
        ("winder", read.winder.is_some()),
        ("from", read.from.is_some()),
        ("to", read.to.is_some()),
        ("verdict", read.level.is_some()),
        ("state", read.state.is_some()),
    ]
    .into_iter()
    .filter(|(name, is_read)| !is_read && !query.get(name).is_empty())
    .map(|(name, _)| (name, query.get(name).chars().take(40).collect()))
    .collect()
}
