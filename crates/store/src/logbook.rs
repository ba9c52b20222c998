//! The logbook: one line per run, drawn from its readings and written anew whenever it is judged.
//!
//! The history itself is in the runs, readings and verdicts; a line is what lists, charts and learning read.

use crate::list::push_in;
pub use crate::log_filter::{LogFilter, Order};
use crate::word_search::Lookup;
use crate::{
    DesignId, InstrumentId, PersonId, RevisionId, RunId, SpoolId, Store, StoreError, Stored, WorkshopId,
    WorkshopStore,
};
use coil::design::Format;
use sqlx::{FromRow, MySql, QueryBuilder};
use time::PrimitiveDateTime;
use trade::calibration::{Factor, FactorLevels, Observation};
use trade::comparison::Comparison;
use trade::judgement::{Judgement, RunSummary};
use trade::verdict::Level;

/// Lines of one page.
pub const PAGE: u32 = 50;

/// A line of the logbook.
#[derive(Clone, Debug, FromRow)]
#[allow(missing_docs, reason = "each is the column's name; units are in it")]
#[allow(clippy::struct_excessive_bools, reason = "a row as the table has it")]
pub struct LogbookRow {
    pub run_id: RunId,
    pub number: u32,
    pub revision_id: RevisionId,
    pub revision: u32,
    pub design_id: DesignId,
    pub name: String,
    pub format: Stored<Format>,
    pub gauge: String,
    pub straight: bool,
    pub clockwise: bool,
    pub north: bool,
    pub spool_id: Option<SpoolId>,
    pub spool: Option<String>,
    pub operator_id: PersonId,
    pub operator: String,
    pub winder_id: Option<InstrumentId>,
    pub winder: Option<String>,
    pub started_at: PrimitiveDateTime,
    pub level: Stored<Level>,
    pub verdict: String,
    pub planned_turns: u32,
    pub turns: Option<f64>,
    pub coil_c: Option<f64>,
    pub resistance_ohm: Option<f64>,
    pub resistance_off: Option<f64>,
    pub resistance_bands: Option<f64>,
    pub inductance_h: Option<f64>,
    pub inductance_off: Option<f64>,
    pub inductance_bands: Option<f64>,
    pub capacitance_f: Option<f64>,
    pub flux_ratio: Option<f64>,
    pub peak_hz: Option<f64>,
    pub output_db: Option<f64>,
    pub wire_m: Option<f64>,
    pub resistance_ratio: Option<f64>,
    pub inductance_ratio: Option<f64>,
    pub capacitance_ratio: Option<f64>,
    pub build_ratio: Option<f64>,
    pub remark: String,
    pub client_key: String,
    /// Judged by what had been learned, not by the bare engine.
    pub calibrated: bool,
    /// Standard deviations of the workshop's own coils beyond which this one is out of tolerance.
    pub control_sd: f64,
    /// What its wire was taken to have, and what its spool was measured to have since, Ω/m.
    pub wire_ohm_per_m: Option<f64>,
    pub spool_ohm_per_m: Option<f64>,
    pub spool_at_c: Option<f64>,
}

impl LogbookRow {
    /// The run as learning takes it.
    pub fn observation(&self) -> Observation {
        Observation {
            run: self.number,
            factor_levels: factor_levels(
                self.spool_id.map(|id| id.0),
                self.operator_id.0,
                self.winder_id.map(|id| id.0),
                self.straight,
                self.format.0,
                self.design_id.0,
            ),
            coil_c: self.coil_c,
            ratios: [
                self.resistance_ratio
                    .map(|r| r - known_since(self.wire_ohm_per_m, self.spool_ohm_per_m, self.spool_at_c)),
                self.inductance_ratio,
                self.capacitance_ratio,
                self.build_ratio,
            ],
        }
    }
}

/// FactorLevels by the numbers of the rows. Pattern: 0 straight, 1 scattered; format: [`Format::number`].
fn factor_levels(
    spool: Option<u64>,
    operator: u64,
    winder: Option<u64>,
    straight: bool,
    format: Format,
    design: u64,
) -> FactorLevels {
    FactorLevels::default()
        .with(Factor::Spool, spool)
        .with(Factor::Operator, Some(operator))
        .with(Factor::Winder, winder)
        .with(Factor::Pattern, Some(u64::from(!straight)))
        .with(Factor::Format, Some(format.number()))
        .with(Factor::Design, Some(design))
}

/// The circumstances of a coil that is to be wound, as far as they are known.
pub fn planned_factor_levels(
    design: Option<DesignId>,
    document: &coil::design::Design,
    spool: Option<SpoolId>,
    operator: Option<PersonId>,
    winder: Option<InstrumentId>,
) -> FactorLevels {
    let straight = document.coils.first().is_some_and(|c| c.wind.wander <= 0.0);
    factor_levels(spool.map(|id| id.0), 0, winder.map(|id| id.0), straight, document.kind, 0)
        .with(Factor::Operator, operator.map(|id| id.0))
        .with(Factor::Design, design.map(|id| id.0))
}

const COLUMNS: &str = "SELECT l.run_id, l.number, l.revision_id, l.revision, l.design_id, l.name, l.format, l.gauge, \
     l.straight, l.clockwise, l.north, l.spool_id, l.spool, l.operator_id, l.operator, l.winder_id, \
     i.name AS winder, l.started_at, l.level, l.verdict, l.planned_turns, l.turns, l.coil_c, l.resistance_ohm, \
     l.resistance_off, l.resistance_bands, l.inductance_h, l.inductance_off, l.inductance_bands, l.capacitance_f, \
     l.flux_ratio, l.peak_hz, l.output_db, l.wire_m, l.resistance_ratio, l.inductance_ratio, l.capacitance_ratio, \
     l.build_ratio, u.remark, u.client_key, u.calibration_id IS NOT NULL AS calibrated, u.control_sd, \
     l.wire_ohm_per_m, k.ohm_per_m AS spool_ohm_per_m, k.at_c AS spool_at_c ";

const JOINS: &str = "LEFT JOIN instruments i ON i.id = l.winder_id JOIN runs u ON u.id = l.run_id \
     LEFT JOIN spools k ON k.id = l.spool_id ";

/// How the measured coils of a design deviate from their predictions, in one quantity.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Deviations {
    /// Coils.
    pub count: i64,
    /// Mean deviation, as a ratio less one.
    pub mean: f64,
    /// The lowest.
    pub lowest: f64,
    /// The highest.
    pub highest: f64,
}

/// How the measured coils of a design deviate; `None` where none was measured.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct MeasuredDeviations {
    /// Of resistance.
    pub resistance: Option<Deviations>,
    /// Of inductance.
    pub inductance: Option<Deviations>,
}

/// What a run's line says beside its figures.
fn line_words(outcome: &Judgement) -> String {
    outcome.verdict.in_a_line().chars().take(2000).collect()
}

impl Store {
    /// Runs after `after` that have no line yet, oldest first, up to 200: those of before there were lines.
    pub async fn runs_without_summary(&self, after: RunId) -> Result<Vec<(WorkshopId, RunId)>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT u.workshop_id, u.id FROM runs u LEFT JOIN logbook l ON l.run_id = u.id \
             WHERE l.run_id IS NULL AND u.id > ? ORDER BY u.id LIMIT 200",
        )
        .bind(after)
        .fetch_all(&self.pool)
        .await?)
    }
}

impl Store {
    /// Runs after `after` whose last reading came after their last verdict, or that have readings and no verdict at all, oldest
    /// first, up to 200: what older versions left when they were broken off between the two. Void runs are left as they are.
    pub async fn runs_not_judged_to_the_end(
        &self,
        after: RunId,
    ) -> Result<Vec<(WorkshopId, RunId)>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT u.workshop_id, u.id FROM runs u \
             JOIN (SELECT run_id, MAX(taken_at) AS read_at FROM readings WHERE run_id > ? GROUP BY run_id) t ON t.run_id = u.id \
             LEFT JOIN (SELECT run_id, MAX(created_at) AS judged_at FROM verdicts WHERE run_id > ? GROUP BY run_id) v \
             ON v.run_id = u.id WHERE u.voided_at IS NULL AND (v.judged_at IS NULL OR v.judged_at < t.read_at) \
             ORDER BY u.id LIMIT 200",
        )
        .bind(after)
        .bind(after)
        .fetch_all(&self.pool)
        .await?)
    }
}

macro_rules! observation_columns {
    ($rest:literal) => {
        concat!(
            "SELECT l.number, l.spool_id, l.operator_id, l.winder_id, l.straight, l.format, l.design_id, l.coil_c, \
             l.resistance_ratio, l.inductance_ratio, l.capacitance_ratio, l.build_ratio, l.wire_ohm_per_m, \
             s.ohm_per_m AS spool_ohm_per_m, s.at_c AS spool_at_c \
             FROM logbook l LEFT JOIN spools s ON s.id = l.spool_id \
             WHERE l.workshop_id = ? AND l.level NOT IN ('stop', 'void') \
             AND (l.resistance_ratio IS NOT NULL OR l.inductance_ratio IS NOT NULL) ",
            $rest
        )
    };
}

/// What a spool was measured to have since a coil was wound of it, over what it was taken to have then: a logarithm. What a coil
/// says of its spool is relative to what was known of it; as that changes, so does what the coil adds to it.
fn known_since(then: Option<f64>, now: Option<f64>, at_c: Option<f64>) -> f64 {
    match (then, now) {
        (Some(then), Some(now)) if then > 0.0 && now > 0.0 => {
            (coil::wire::at_temperature(now, at_c.unwrap_or(20.0), 20.0) / then).ln()
        }
        _ => 0.0,
    }
}

/// Lines of a search that are counted at most, where many rows have its words.
pub const MOST_COUNTED: u32 = 2000;
/// Newest rows that tell how common words are, and the share of them, one in so many, from which words are common.
const SAMPLE: u32 = 400;
const COMMON: i64 = 8;

/// Lines of a list's head, which most lists do not fill: they are counted after it, where it is full.
const HEAD: u32 = 10;

impl WorkshopStore {
    /// Writes, or writes anew, the line of a run.
    pub async fn write_summary(&self, run: RunId, outcome: &Judgement) -> Result<(), StoreError> {
        let workshop = self.workshop;
        let mut connection = self.pool.acquire().await?;
        write_summary_on(&mut connection, workshop, run, outcome).await
    }

    /// A page of lines, from 0, and how many lines there are in all.
    pub async fn log_page(
        &self,
        filter: &LogFilter,
        page: u32,
    ) -> Result<(Vec<LogbookRow>, u64), StoreError> {
        self.log_part(filter, PAGE, u64::from(page) * u64::from(PAGE)).await
    }

    /// The first lines that pass, up to `most`, and how many lines there are in all.
    pub async fn log_head(
        &self,
        filter: &LogFilter,
        most: u32,
    ) -> Result<(Vec<LogbookRow>, u64), StoreError> {
        self.log_part(filter, most, 0).await
    }

    async fn log_part(
        &self,
        filter: &LogFilter,
        most: u32,
        offset: u64,
    ) -> Result<(Vec<LogbookRow>, u64), StoreError> {
        // The page's numbers first, by an index or a narrow sort; the wide rows only of those. Words that few rows have are looked up
        // once for both the page and the count; those that many have are found soon, and counted up to a bound.
        let lookup = self.lookup(filter).await?;
        let counted =
            if filter.words.is_empty() || lookup == Lookup::InOrder { "0" } else { "COUNT(*) OVER ()" };
        let mut numbers: QueryBuilder<MySql> =
            QueryBuilder::new(format!("SELECT l.run_id, CAST({counted} AS SIGNED) FROM logbook l "));
        filter.conditions_by(lookup, &mut numbers, self.workshop);
        filter.ordering(&mut numbers);
        numbers.push(" LIMIT ").push_bind(most).push(" OFFSET ").push_bind(offset);
        let numbers = async { Ok(numbers.build_query_as::<(RunId, i64)>().fetch_all(&self.pool).await?) };
        let is_head = offset == 0 && most <= HEAD;
        let (found, all) = if counted == "0" && !is_head {
            tokio::try_join!(numbers, self.count_lines(filter, lookup))?
        } else {
            let found = numbers.await?;
            let all = match found.first() {
                // What does not fill a page is counted by it.
                _ if offset == 0 && found.len() < most as usize => {
                    i64::try_from(found.len()).unwrap_or(i64::MAX)
                }
                Some((_, all)) if counted != "0" => *all,
                _ => self.count_lines(filter, lookup).await?,
            };
            (found, all)
        };
        let runs: Vec<RunId> = found.iter().map(|(run, _)| *run).collect();
        let mut lines = self.log_lines_of(&runs).await?;
        lines.sort_by_key(|row| runs.iter().position(|run| *run == row.run_id));
        Ok((lines, u64::try_from(all).unwrap_or(0)))
    }

    /// How many lines pass; of words that many rows have no more than [`MOST_COUNTED`] are counted.
    async fn count_lines(&self, filter: &LogFilter, lookup: Lookup) -> Result<i64, StoreError> {
        let mut count: QueryBuilder<MySql> = QueryBuilder::new(match lookup {
            Lookup::Index => "SELECT COUNT(*) FROM logbook l ",
            Lookup::InOrder => "SELECT COUNT(*) FROM (SELECT 1 FROM logbook l ",
        });
        filter.conditions_by(lookup, &mut count, self.workshop);
        if lookup == Lookup::InOrder {
            count.push(" LIMIT ").push_bind(MOST_COUNTED).push(") found");
        }
        Ok(count.build_query_scalar().fetch_one(&self.pool).await?)
    }

    /// How the words of a filter are best looked up: by how many of the newest rows have them.
    async fn lookup(&self, filter: &LogFilter) -> Result<Lookup, StoreError> {
        if filter.words.is_empty() {
            return Ok(Lookup::Index);
        }
        let mut sample: QueryBuilder<MySql> =
            QueryBuilder::new("SELECT COUNT(*) FROM (SELECT s.words FROM logbook s WHERE s.workshop_id = ");
        sample.push_bind(self.workshop);
        sample.push(" ORDER BY s.started_at DESC, s.run_id DESC LIMIT ").push_bind(SAMPLE);
        sample.push(") l WHERE TRUE");
        crate::word_search::conditions_in_order(&filter.words, &mut sample);
        let having: i64 = sample.build_query_scalar().fetch_one(&self.pool).await?;
        Ok(if having * COMMON >= i64::from(SAMPLE) { Lookup::InOrder } else { Lookup::Index })
    }

    /// The runs that pass, up to `most`, in the filter's order.
    pub async fn log_runs(&self, filter: &LogFilter, most: u32) -> Result<Vec<RunId>, StoreError> {
        let mut query: QueryBuilder<MySql> = QueryBuilder::new("SELECT l.run_id FROM logbook l ");
        filter.conditions(&mut query, self.workshop);
        filter.ordering(&mut query);
        query.push(" LIMIT ").push_bind(most);
        Ok(query.build_query_scalar().fetch_all(&self.pool).await?)
    }

    /// All lines that pass, up to `most`, in the filter's order.
    pub async fn log_lines(&self, filter: &LogFilter, most: u32) -> Result<Vec<LogbookRow>, StoreError> {
        let workshop = self.workshop;
        let mut query: QueryBuilder<MySql> = QueryBuilder::new(COLUMNS);
        query.push("FROM logbook l ").push(JOINS);
        filter.conditions(&mut query, workshop);
        filter.ordering(&mut query);
        query.push(" LIMIT ").push_bind(most);
        Ok(query.build_query_as().fetch_all(&self.pool).await?)
    }

    /// How many bands the last runs were off in resistance and inductance, of those that were calibrated among the last `most`; the newest
    /// first.
    pub async fn recent_bands(&self, most: u32) -> Result<Vec<(Option<f64>, Option<f64>)>, StoreError> {
        let rows: Vec<(Option<f64>, Option<f64>, bool)> = sqlx::query_as(
            "SELECT l.resistance_bands, l.inductance_bands, u.calibration_id IS NOT NULL FROM logbook l \
             JOIN runs u ON u.id = l.run_id WHERE l.workshop_id = ? ORDER BY l.started_at DESC, l.run_id DESC LIMIT ?",
        )
        .bind(self.workshop)
        .bind(most)
        .fetch_all(&self.pool)
        .await?;
        Ok(rows.into_iter().filter(|row| row.2).map(|(r, l, _)| (r, l)).collect())
    }

    /// What changes whenever a run is judged, voided or taken back: the newest verdict, and how many runs are void.
    pub async fn log_stamp(&self) -> Result<(u64, i64), StoreError> {
        Ok(sqlx::query_as(
            "SELECT CAST(COALESCE((SELECT MAX(id) FROM verdicts WHERE workshop_id = ?), 0) AS UNSIGNED), \
             (SELECT COUNT(*) FROM logbook WHERE workshop_id = ? AND level = 'void')",
        )
        .bind(self.workshop)
        .bind(self.workshop)
        .fetch_one(&self.pool)
        .await?)
    }

    /// Lines of some runs, in no order.
    pub async fn log_lines_of(&self, runs: &[RunId]) -> Result<Vec<LogbookRow>, StoreError> {
        let workshop = self.workshop;
        if runs.is_empty() {
            return Ok(Vec::new());
        }
        let mut query: QueryBuilder<MySql> = QueryBuilder::new(COLUMNS);
        query.push("FROM logbook l ").push(JOINS).push("WHERE l.workshop_id = ").push_bind(workshop);
        query.push(" AND ");
        push_in(&mut query, "l.run_id", runs.iter().copied());
        Ok(query.build_query_as().fetch_all(&self.pool).await?)
    }

    /// What learning takes of every run that was measured and was not stopped.
    pub async fn observations(&self) -> Result<Vec<Observation>, StoreError> {
        let workshop = self.workshop;
        let rows: Vec<ObservationRow> =
            sqlx::query_as(observation_columns!("ORDER BY l.started_at, l.run_id"))
                .bind(workshop)
                .fetch_all(&self.pool)
                .await?;
        Ok(rows.iter().map(ObservationRow::observation).collect())
    }

    /// The same of the last of them only, oldest first.
    pub async fn recent_observations(&self, most: u32) -> Result<Vec<Observation>, StoreError> {
        let workshop = self.workshop;
        let mut rows: Vec<ObservationRow> =
            sqlx::query_as(observation_columns!("ORDER BY l.started_at DESC, l.run_id DESC LIMIT ?"))
                .bind(workshop)
                .bind(most)
                .fetch_all(&self.pool)
                .await?;
        rows.reverse();
        Ok(rows.iter().map(ObservationRow::observation).collect())
    }

    /// How many runs learning would take, and the last of their numbers in the database.
    pub async fn observation_count(&self) -> Result<u32, StoreError> {
        let workshop = self.workshop;
        let count: i64 = sqlx::query_scalar(
            "SELECT COUNT(*) FROM logbook WHERE workshop_id = ? AND level NOT IN ('stop', 'void') \
             AND (resistance_ratio IS NOT NULL OR inductance_ratio IS NOT NULL)",
        )
        .bind(workshop)
        .fetch_one(&self.pool)
        .await?;
        Ok(u32::try_from(count).unwrap_or(u32::MAX))
    }

    /// The designs that have lines: number, name, lines.
    pub async fn logged_designs(&self) -> Result<Vec<(DesignId, String, i64)>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(
            "SELECT k.design_id, \
             (SELECT r.name FROM revisions r WHERE r.design_id = k.design_id ORDER BY r.is_variant, r.number DESC LIMIT 1) AS name, k.n \
             FROM (SELECT design_id, COUNT(*) AS n FROM logbook WHERE workshop_id = ? GROUP BY design_id) k ORDER BY 2",
        )
        .bind(workshop)
        .fetch_all(&self.pool)
        .await?)
    }

    /// The runs of some numbers, in no order; numbers that there are not are left out.
    pub async fn runs_numbered(&self, numbers: &[u32]) -> Result<Vec<(u32, RunId)>, StoreError> {
        if numbers.is_empty() {
            return Ok(Vec::new());
        }
        let mut query: QueryBuilder<MySql> =
            QueryBuilder::new("SELECT number, id FROM runs WHERE workshop_id = ");
        query.push_bind(self.workshop).push(" AND ");
        push_in(&mut query, "number", numbers.iter().copied());
        Ok(query.build_query_as().fetch_all(&self.pool).await?)
    }

    /// The tags of a workshop.
    pub async fn all_tags(&self) -> Result<Vec<String>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_scalar("SELECT DISTINCT tag FROM design_tags WHERE workshop_id = ? ORDER BY tag")
            .bind(workshop)
            .fetch_all(&self.pool)
            .await?)
    }
}

#[derive(FromRow)]
struct ObservationRow {
    number: u32,
    spool_id: Option<u64>,
    operator_id: u64,
    winder_id: Option<u64>,
    straight: bool,
    format: Stored<Format>,
    design_id: u64,
    coil_c: Option<f64>,
    resistance_ratio: Option<f64>,
    inductance_ratio: Option<f64>,
    capacitance_ratio: Option<f64>,
    build_ratio: Option<f64>,
    wire_ohm_per_m: Option<f64>,
    spool_ohm_per_m: Option<f64>,
    spool_at_c: Option<f64>,
}

impl ObservationRow {
    fn observation(&self) -> Observation {
        Observation {
            run: self.number,
            factor_levels: factor_levels(
                self.spool_id,
                self.operator_id,
                self.winder_id,
                self.straight,
                self.format.0,
                self.design_id,
            ),
            coil_c: self.coil_c,
            ratios: [
                self.resistance_ratio
                    .map(|r| r - known_since(self.wire_ohm_per_m, self.spool_ohm_per_m, self.spool_at_c)),
                self.inductance_ratio,
                self.capacitance_ratio,
                self.build_ratio,
            ],
        }
    }
}

/// Writes a line on a connection of the caller's, which may be inside a transaction.
pub(crate) async fn write_summary_on(
    connection: &mut sqlx::MySqlConnection,
    workshop: WorkshopId,
    run: RunId,
    outcome: &Judgement,
) -> Result<(), StoreError> {
    let RunSummary { resistance: r, inductance: l, capacitance: c, .. } = &outcome.summary;
    let facts = &outcome.summary;
    let done = sqlx::query(
        "REPLACE INTO logbook (run_id, workshop_id, number, revision_id, revision, design_id, name, format, gauge, \
         spool_id, spool, operator_id, operator, winder_id, started_at, planned_turns, words, straight, clockwise, north, level, verdict, \
         turns, coil_c, resistance_ohm, resistance_off, resistance_bands, resistance_ratio, inductance_h, \
         inductance_off, inductance_bands, inductance_ratio, capacitance_f, capacitance_ratio, build_ratio, flux_ratio, \
         peak_hz, output_db, wire_m, wire_ohm_per_m) \
         SELECT u.id, u.workshop_id, u.number, u.revision_id, r.number, r.design_id, r.name, r.kind, r.gauge, \
         u.spool_id, s.label, u.operator_id, p.name, u.winder_id, u.created_at, u.planned_turns, \
         LOWER(CONCAT_WS(' ', r.name, s.label, p.name, i.name, u.remark, \
           (SELECT GROUP_CONCAT(t.words SEPARATOR ' ') FROM readings t WHERE t.run_id = u.id AND t.words <> ''))), \
         ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ? \
         FROM runs u JOIN revisions r ON r.id = u.revision_id JOIN people p ON p.id = u.operator_id \
         LEFT JOIN spools s ON s.id = u.spool_id LEFT JOIN instruments i ON i.id = u.winder_id \
         WHERE u.workshop_id = ? AND u.id = ?",
    )
    .bind(facts.straight)
    .bind(facts.clockwise)
    .bind(facts.north)
    .bind(Stored(outcome.verdict.level))
    .bind(line_words(outcome))
    .bind(facts.turns)
    .bind(facts.coil_c)
    .bind(r.measured)
    .bind(r.off)
    .bind(r.bands)
    .bind(r.ratio)
    .bind(l.measured)
    .bind(l.off)
    .bind(l.bands)
    .bind(l.ratio)
    .bind(c.measured)
    .bind(c.ratio)
    .bind(facts.build_ratio)
    .bind(facts.flux_ratio)
    .bind(facts.peak_hz)
    .bind(facts.output_db)
    .bind(facts.wire_m)
    .bind(facts.wire_ohm_per_m)
    .bind(workshop)
    .bind(run)
    .execute(&mut *connection)
    .await?;
    if done.rows_affected() == 0 {
        return Err(StoreError::Missing("run"));
    }
    crate::word_search::write_pieces(connection, run).await
}

/// What a comparison of a quantity is worth in an export: predicted and measured.
pub fn compared(comparisons: &[Comparison], kind: trade::reading::Kind) -> Option<(f64, f64)> {
    comparisons.iter().find(|c| c.kind == kind).map(|c| (c.predicted.nominal, c.measured))
}
