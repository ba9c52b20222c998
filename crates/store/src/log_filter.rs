//! Which lines of the logbook are asked for, and in which order.

use crate::word_search::Lookup;
use crate::{DesignId, InstrumentId, PersonId, SpoolId, Stored, WorkshopId, word_search};
use coil::design::Format;
use sqlx::{MySql, QueryBuilder};
use time::Date;
use trade::run::RunState;
use trade::verdict::Level;

/// How the logbook is ordered.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Order {
    /// By when the run was started.
    #[default]
    Started,
    /// By design.
    Design,
    /// By spool.
    Spool,
    /// By operator.
    Operator,
    /// By measured resistance.
    Resistance,
    /// By deviation of the resistance.
    ResistanceOff,
    /// By measured inductance.
    Inductance,
    /// By deviation of the inductance.
    InductanceOff,
}

impl Order {
    /// Every order with its name in addresses.
    pub const ALL: [(Self, &'static str); 8] = [
        (Self::Started, "started"),
        (Self::Design, "design"),
        (Self::Spool, "spool"),
        (Self::Operator, "operator"),
        (Self::Resistance, "r"),
        (Self::ResistanceOff, "r-off"),
        (Self::Inductance, "l"),
        (Self::InductanceOff, "l-off"),
    ];

    /// The order of a name.
    pub fn from_key(key: &str) -> Option<Self> {
        Self::ALL.iter().find(|(_, k)| *k == key).map(|(order, _)| *order)
    }

    const fn column(self) -> &'static str {
        match self {
            Self::Started => "l.started_at",
            Self::Design => "l.name",
            Self::Spool => "l.spool",
            Self::Operator => "l.operator",
            Self::Resistance => "l.resistance_ohm",
            Self::ResistanceOff => "l.resistance_off",
            Self::Inductance => "l.inductance_h",
            Self::InductanceOff => "l.inductance_off",
        }
    }
}

/// Which lines are asked for.
#[derive(Clone, Debug, Default)]
pub struct LogFilter {
    /// Words of remarks, names of design, spool, winder and person.
    pub words: String,
    /// Of this design.
    pub design: Option<DesignId>,
    /// Of this revision of it.
    pub revision: Option<u32>,
    /// Of this format.
    pub format: Option<Format>,
    /// On this spool.
    pub spool: Option<SpoolId>,
    /// By this person.
    pub operator: Option<PersonId>,
    /// On this winder.
    pub winder: Option<InstrumentId>,
    /// From this day on, UTC.
    pub from: Option<Date>,
    /// To this day, UTC.
    pub to: Option<Date>,
    /// With this verdict.
    pub level: Option<Level>,
    /// So far on its way.
    pub state: Option<RunState>,
    /// Of designs with this tag.
    pub tag: Option<String>,
    /// How they are ordered.
    pub order: Order,
    /// The other way round: oldest, first, lowest.
    pub rising: bool,
}

impl LogFilter {
    /// Writes the conditions.
    pub(crate) fn conditions(&self, query: &mut QueryBuilder<MySql>, workshop: WorkshopId) {
        self.conditions_by(Lookup::Index, query, workshop);
    }

    /// Writes the conditions, with words looked up in a certain way.
    pub(crate) fn conditions_by(
        &self,
        lookup: Lookup,
        query: &mut QueryBuilder<MySql>,
        workshop: WorkshopId,
    ) {
        query.push("WHERE l.workshop_id = ").push_bind(workshop);
        match lookup {
            Lookup::Index => word_search::conditions(&self.words, query),
            Lookup::InOrder => word_search::conditions_in_order(&self.words, query),
        }
        if let Some(design) = self.design {
            query.push(" AND l.design_id = ").push_bind(design);
        }
        if let Some(revision) = self.revision {
            query.push(" AND l.revision = ").push_bind(revision);
        }
        if let Some(format) = self.format {
            query.push(" AND l.format = ").push_bind(Stored(format));
        }
        if let Some(spool) = self.spool {
            query.push(" AND l.spool_id = ").push_bind(spool);
        }
        if let Some(operator) = self.operator {
            query.push(" AND l.operator_id = ").push_bind(operator);
        }
        if let Some(winder) = self.winder {
            query.push(" AND l.winder_id = ").push_bind(winder);
        }
        if let Some(from) = self.from {
            query.push(" AND l.started_at >= ").push_bind(from.midnight());
        }
        if let Some(to) = self.to.and_then(Date::next_day) {
            query.push(" AND l.started_at < ").push_bind(to.midnight());
        }
        if let Some(level) = self.level {
            query.push(" AND l.level = ").push_bind(Stored(level));
        }
        if let Some(state) = self.state {
            // Runs that came in from a file follow no traveller: they are done with.
            const OPEN: &str = "closed_at IS NULL AND voided_at IS NULL AND traveller IS NOT NULL";
            let of_run = match state {
                RunState::Closed => "voided_at IS NULL AND (closed_at IS NOT NULL OR traveller IS NULL)",
                RunState::Void => "voided_at IS NOT NULL",
                _ => OPEN,
            };
            query
                .push(" AND l.run_id IN (SELECT o.id FROM runs o WHERE o.workshop_id = ")
                .push_bind(workshop)
                .push(format!(" AND {of_run})"));
            query.push(match state {
                RunState::ToWind => " AND l.turns IS NULL AND l.level <> 'stop'",
                RunState::ToMeasure => {
                    " AND l.turns IS NOT NULL AND (l.resistance_ohm IS NULL OR l.inductance_h IS NULL) AND l.level <> 'stop'"
                }
                RunState::ToFinish => {
                    " AND (l.level = 'stop' OR l.turns IS NOT NULL AND l.resistance_ohm IS NOT NULL AND l.inductance_h IS NOT NULL)"
                }
                RunState::Open | RunState::Closed | RunState::Void => "",
            });
        }
        if let Some(tag) = &self.tag {
            query
                .push(" AND l.design_id IN (SELECT t.design_id FROM design_tags t WHERE t.workshop_id = ")
                .push_bind(workshop)
                .push(" AND t.tag = ")
                .push_bind(tag.clone())
                .push(")");
        }
    }

    pub(crate) fn ordering(&self, query: &mut QueryBuilder<MySql>) {
        let way = if self.rising { "ASC" } else { "DESC" };
        // Of equals the newest first or last, as the indexes have them.
        let then = if self.order == Order::Started { String::new() } else { format!("l.started_at {way}, ") };
        query.push(format!(" ORDER BY {} {way}, {then}l.run_id {way}", self.order.column()));
    }
}
