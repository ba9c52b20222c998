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
