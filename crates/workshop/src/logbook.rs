//! The logbook: pages of it, all rows of a filter, and what the filter can be chosen from.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use std::collections::BTreeMap;
use store::instrument::Instrument;
use store::logbook::{LogFilter, LogbookRow};
use store::person::Person;
use store::{DesignId, RunId, SpoolId};
use trade::run_record::RunRecord;

/// What the logbook's filter can be chosen from.
#[derive(Clone, Debug)]
pub struct FilterChoices {
    /// Designs with runs: number, name, runs.
    pub designs: Vec<(DesignId, String, i64)>,
    /// Spools: number, label.
    pub spools: Vec<(SpoolId, String)>,
    /// People.
    pub people: Vec<Person>,
    /// Winders.
    pub winders: Vec<Instrument>,
    /// Tags.
    pub tags: Vec<String>,
}

impl Workshop {
    /// A page of the logbook, from 0, and how many rows pass in all.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn logbook_page(
        &self,
        actor: &Actor,
        filter: &LogFilter,
        page: u32,
    ) -> Result<(Vec<LogbookRow>, u64), Refusal> {
        actor.require(Action::ReadRuns)?;
        Ok(self.store_of(actor).log_page(filter, page).await?)
    }

    /// The first rows that pass, up to `most`, and how many pass in all.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn logbook_head(
        &self,
        actor: &Actor,
        filter: &LogFilter,
        most: u32,
    ) -> Result<(Vec<LogbookRow>, u64), Refusal> {
        actor.require(Action::ReadRuns)?;
        Ok(self.store_of(actor).log_head(filter, most).await?)
    }

    /// The runs that pass, up to `most`, in the filter's order: to be exported piece by piece.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn runs_to_export(
        &self,
        actor: &Actor,
        filter: &LogFilter,
        most: u32,
    ) -> Result<Vec<RunId>, Refusal> {
        actor.require(Action::ReadRuns)?;
        Ok(self.store_of(actor).log_runs(filter, most).await?)
    }

    /// Some runs with everything they hold, in the order given; those that are gone are left out. Names of people are left out
    /// where `has_names` is false.
    ///
    /// # Errors
    /// When the database does not answer, or holds what cannot be read.
    pub async fn export_runs(
        &self,
        actor: &Actor,
        runs: &[RunId],
        has_names: bool,
    ) -> Result<Vec<(LogbookRow, RunRecord)>, Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.store_of(actor);
        let place: BTreeMap<RunId, usize> = runs.iter().enumerate().map(|(k, run)| (*run, k)).collect();
        let mut rows = store.log_lines_of(runs).await?;
        rows.sort_by_key(|row| place.get(&row.run_id).copied());
        let records = store.records_of(&rows, has_names).await?;
        Ok(rows.into_iter().zip(records).collect())
    }

    /// What the filter can be chosen from.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn filter_choices(&self, actor: &Actor) -> Result<FilterChoices, Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.store_of(actor);
        let (designs, spools, people, winders, tags) = tokio::try_join!(
            async { Ok(store.logged_designs().await?) },
            async { Ok(store.spool_labels().await?) },
            async { Ok(store.people().await?) },
            self.winders(actor),
            async { Ok::<_, Refusal>(store.all_tags().await?) },
        )?;
        Ok(FilterChoices { designs, spools, people, winders, tags })
    }
}
