//! Experiments, and the blind listening kept beside them.

use crate::audit::AuditAction;
use crate::submission::added_once;
use crate::{ClientKey, ExperimentId, ListeningId, PersonId, RevisionId, RunId, StoreError, WorkshopStore};
use serde::{Deserialize, Serialize};
use sqlx::FromRow;
use time::PrimitiveDateTime;

/// An experiment.
#[derive(Clone, Debug, FromRow)]
pub struct Experiment {
    /// Number.
    pub id: ExperimentId,
    /// What is asked.
    pub question: String,
    arms: String,
    /// The difference that matters, per cent.
    pub cares_percent: f64,
    /// What came of it; empty while it goes on.
    pub closed: String,
    /// Who asks.
    pub by: String,
    /// Since when, UTC.
    pub made_at: PrimitiveDateTime,
}

impl Experiment {
    /// The revisions that are compared: the one that the others are compared with first.
    #[must_use]
    pub fn arms(&self) -> Vec<RevisionId> {
        self.arms.split(',').filter_map(|id| id.parse().ok()).map(RevisionId).collect()
    }
}

/// An experiment to begin.
#[derive(Clone, Debug)]
pub struct NewExperiment<'a> {
    /// Key of the submission.
    pub key: ClientKey,
    /// What is asked.
    pub question: &'a str,
    /// The revisions that are compared, each once: the one that the others are compared with first.
    pub arms: &'a [RevisionId],
    /// The difference that matters, per cent.
    pub cares_percent: f64,
}

/// A sample of a blind listening: a coil under a letter.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Sample {
    /// The letter.
    pub letter: char,
    /// The coil.
    pub run: RunId,
}

/// What was heard of a sample.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Score {
    /// The letter.
    pub letter: char,
    /// Brighter is more, 0 to 10.
    pub bright: u8,
    /// Fuller is more, 0 to 10.
    pub full: u8,
    /// Liked, 0 to 10.
    pub liked: u8,
    /// Words.
    pub words: String,
}

/// A blind listening.
#[derive(Clone, Debug, FromRow)]
pub struct Listening {
    /// Number.
    pub id: ListeningId,
    /// Its experiment.
    pub experiment_id: ExperimentId,
    samples: String,
    scores: Option<String>,
    /// Who listens.
    pub by: String,
    /// Since when, UTC.
    pub begun_at: PrimitiveDateTime,
    /// When it was scored, UTC: from then on the labels are shown.
    pub scored_at: Option<PrimitiveDateTime>,
}

fn unreadable(error: &serde_json::Error) -> StoreError {
    StoreError::Unreadable { what: "listening", detail: error.to_string() }
}

impl Listening {
    /// The samples in the order of their letters.
    pub fn samples(&self) -> Result<Vec<Sample>, StoreError> {
        let mut all: Vec<Sample> = serde_json::from_str(&self.samples).map_err(|e| unreadable(&e))?;
        all.sort_by_key(|s| s.letter);
        Ok(all)
    }

    /// The scores, once there are some.
    pub fn scores(&self) -> Result<Vec<Score>, StoreError> {
        self.scores
            .as_deref()
            .map_or_else(|| Ok(Vec::new()), |text| serde_json::from_str(text).map_err(|e| unreadable(&e)))
    }
}

macro_rules! experiment_columns {
    ($rest:literal) => {
        concat!(
            "SELECT e.id, e.question, COALESCE((SELECT GROUP_CONCAT(a.revision_id ORDER BY a.place SEPARATOR ',') \
               FROM experiment_arms a WHERE a.experiment_id = e.id), '') AS arms, e.cares_percent, e.closed, p.name AS `by`, e.made_at \
             FROM experiments e JOIN people p ON p.id = e.made_by ",
            $rest
        )
    };
}

/// How an experiment stands.
const STANDS: &str = "SELECT e.question, JSON_OBJECT('conclusion', e.closed) FROM experiments e \
     WHERE e.workshop_id = ? AND e.id = ? FOR UPDATE";
/// How a listening stands.
const SCORED: &str = "SELECT CONCAT('listening ', l.id), JSON_OBJECT('scores', l.scores) FROM listenings l \
     WHERE l.workshop_id = ? AND l.id = ? FOR UPDATE";

impl WorkshopStore {
    /// Begins an experiment; the same key again begins nothing more.
    pub async fn begin_experiment(
        &self,
        by: PersonId,
        new: &NewExperiment<'_>,
    ) -> Result<ExperimentId, StoreError> {
        let workshop = self.workshop;
        let mut tx = self.pool.begin().await?;
        let done = sqlx::query(
            "INSERT INTO experiments (workshop_id, client_key, question, cares_percent, made_by) VALUES (?, ?, ?, ?, ?)",
        )
        .bind(workshop)
        .bind(new.key.as_str())
        .bind(new.question)
        .bind(new.cares_percent)
        .bind(by)
        .execute(&mut *tx)
        .await;
        let Some(done) = added_once("experiments", done)? else {
            tx.rollback().await?;
            return Ok(ExperimentId(self.known_number("experiments", &new.key).await?));
        };
        let id = ExperimentId(done.last_insert_id());
        for (place, revision) in new.arms.iter().enumerate() {
            let arm = sqlx::query(
                "INSERT INTO experiment_arms (experiment_id, place, revision_id) \
                 SELECT ?, ?, r.id FROM revisions r WHERE r.workshop_id = ? AND r.id = ?",
            )
            .bind(id)
            .bind(u8::try_from(place).unwrap_or(u8::MAX))
            .bind(workshop)
            .bind(revision)
            .execute(&mut *tx)
            .await?;
            if arm.rows_affected() == 0 {
                return Err(StoreError::Missing("revision"));
            }
        }
        tx.commit().await?;
        Ok(id)
    }

    /// All experiments, those that go on first, the newest first.
    pub async fn experiments(&self) -> Result<Vec<Experiment>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(experiment_columns!(
            "WHERE e.workshop_id = ? ORDER BY e.closed <> '', e.id DESC LIMIT 200"
        ))
        .bind(workshop)
        .fetch_all(&self.pool)
        .await?)
    }

    /// One experiment.
    pub async fn experiment(&self, id: ExperimentId) -> Result<Experiment, StoreError> {
        let workshop = self.workshop;
        sqlx::query_as(experiment_columns!("WHERE e.workshop_id = ? AND e.id = ?"))
            .bind(workshop)
            .bind(id)
            .fetch_optional(&self.pool)
            .await?
            .ok_or(StoreError::Missing("experiment"))
    }

    /// Closes an experiment with what came of it; returns false when it was closed before, which nothing changes.
    pub async fn close_experiment(
        &self,
        by: PersonId,
        id: ExperimentId,
        words: &str,
    ) -> Result<bool, StoreError> {
        let mut change = self.begin_change(by, AuditAction::Experiment, ("experiment", STANDS), id.0).await?;
        let done =
            sqlx::query("UPDATE experiments SET closed = ? WHERE workshop_id = ? AND id = ? AND closed = ''")
                .bind(words)
                .bind(self.workshop)
                .bind(id)
                .execute(&mut *change.tx)
                .await?;
        change.write().await?;
        Ok(done.rows_affected() > 0)
    }

    /// Begins a blind listening; the same key again begins nothing more.
    pub async fn begin_listening(
        &self,
        experiment: ExperimentId,
        by: PersonId,
        key: &ClientKey,
        samples: &[Sample],
    ) -> Result<(), StoreError> {
        let workshop = self.workshop;
        let samples = serde_json::to_string(samples).map_err(|e| unreadable(&e))?;
        let done = sqlx::query(
            "INSERT INTO listenings (workshop_id, experiment_id, client_key, samples, by_id) \
             SELECT e.workshop_id, e.id, ?, ?, ? FROM experiments e WHERE e.workshop_id = ? AND e.id = ?",
        )
        .bind(key.as_str())
        .bind(samples)
        .bind(by)
        .bind(workshop)
        .bind(experiment)
        .execute(&self.pool)
        .await;
        match added_once("listenings", done)? {
            Some(done) if done.rows_affected() == 0 => Err(StoreError::Missing("experiment")),
            _ => Ok(()),
        }
    }

    /// Listenings of an experiment, newest first.
    pub async fn listenings(&self, experiment: ExperimentId) -> Result<Vec<Listening>, StoreError> {
        let workshop = self.workshop;
        Ok(sqlx::query_as(
            "SELECT l.id, l.experiment_id, l.samples, l.scores, p.name AS `by`, l.begun_at, l.scored_at \
             FROM listenings l JOIN people p ON p.id = l.by_id WHERE l.workshop_id = ? AND l.experiment_id = ? \
             ORDER BY l.id DESC LIMIT 100",
        )
        .bind(workshop)
        .bind(experiment)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Notes that somebody was shown which letter is which coil; again it changes nothing. Returns false when there is no such listening.
    pub async fn see_listening_key(&self, id: ListeningId, by: PersonId) -> Result<bool, StoreError> {
        let found = sqlx::query(
            "INSERT INTO listening_keys (listening_id, person_id) SELECT l.id, ? FROM listenings l \
             WHERE l.workshop_id = ? AND l.id = ? ON DUPLICATE KEY UPDATE seen_at = listening_keys.seen_at",
        )
        .bind(by)
        .bind(self.workshop)
        .bind(id)
        .execute(&self.pool)
        .await?;
        Ok(found.rows_affected() > 0 || self.has_seen_listening_key(id, by).await?)
    }

    /// Whether somebody was shown which letter is which coil.
    pub async fn has_seen_listening_key(&self, id: ListeningId, by: PersonId) -> Result<bool, StoreError> {
        Ok(sqlx::query_scalar(
            "SELECT EXISTS (SELECT 1 FROM listening_keys k JOIN listenings l ON l.id = k.listening_id \
             WHERE l.workshop_id = ? AND k.listening_id = ? AND k.person_id = ?)",
        )
        .bind(self.workshop)
        .bind(id)
        .bind(by)
        .fetch_one(&self.pool)
        .await?)
    }

    /// Scores a listening, once: what was heard blind is not changed after the labels were seen. Returns false when it was
    /// scored before.
    pub async fn score_listening(
        &self,
        by: PersonId,
        id: ListeningId,
        scores: &[Score],
    ) -> Result<bool, StoreError> {
        let scores = serde_json::to_string(scores).map_err(|e| unreadable(&e))?;
        let mut change = self.begin_change(by, AuditAction::Experiment, ("listening", SCORED), id.0).await?;
        let done = sqlx::query(
            "UPDATE listenings SET scores = ?, scored_at = UTC_TIMESTAMP(6) \
             WHERE workshop_id = ? AND id = ? AND scored_at IS NULL",
        )
        .bind(scores)
        .bind(self.workshop)
        .bind(id)
        .execute(&mut *change.tx)
        .await?;
        change.write().await?;
        Ok(done.rows_affected() > 0)
    }
}
