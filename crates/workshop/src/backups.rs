//! Backups of the installation: by hand, by the clock, and what is in their folder.

use crate::actor::Actor;
use crate::backup::{
    BackupError, BackupFile, BackupFolder, Manifest, is_due, is_scheduled_name, list, scheduled_name,
    verify_archive, write_archive,
};
use crate::jobs::JobOutcome;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use std::path::PathBuf;
use std::time::Duration;
use time::OffsetDateTime;

/// How often the clock looks whether a backup is due.
const CLOCK: Duration = Duration::from_mins(30);
/// A backup is due when none is younger than this.
const DUE_AFTER: time::Duration = time::Duration::hours(24);

impl Workshop {
    /// With a folder for backups.
    #[must_use]
    pub fn with_backups(self, folder: BackupFolder) -> Self {
        Self { backups: Some(folder), ..self }
    }

    /// The folder, where the actor may use it. An archive holds the whole installation: with several workshops in it, it is
    /// made on the command line.
    async fn backup_folder(&self) -> Result<&BackupFolder, Refusal> {
        let folder = self.backups.as_ref().ok_or(Refusal::NotFound("folder for backups"))?;
        if self.store.workshops().await?.len() > 1 {
            return Err(Refusal::NotAllowed(Action::BackUp));
        }
        Ok(folder)
    }

    /// The backups in the folder, the newest first.
    ///
    /// # Errors
    /// [`Refusal::NotFound`] when no folder is set, [`Refusal::Backup`] when it cannot be read.
    pub async fn list_backups(&self, actor: &Actor) -> Result<Vec<BackupFile>, Refusal> {
        actor.require(Action::BackUp)?;
        let folder = self.backup_folder().await?;
        Ok(list(&folder.path).await?)
    }

    /// Begins a backup; returns the name of its job.
    ///
    /// # Errors
    /// [`Refusal::TooManyJobs`].
    pub async fn begin_backup(&self, actor: &Actor) -> Result<String, Refusal> {
        actor.require(Action::BackUp)?;
        self.backup_folder().await?;
        let permit = self.permits.jobs.acquire(actor.person)?;
        let (name, job) = self.jobs.begin(actor.workshop, permit).ok_or(Refusal::TooManyJobs)?;
        self.store_of(actor).note_backup(actor.person).await?;
        let workshop = self.clone();
        tokio::spawn(async move {
            let outcome = match workshop.back_up_now(|share| job.advance(share)).await {
                Ok((_, manifest)) => JobOutcome::BackedUp(manifest.rows()),
                Err(BackupError::Stopped) => JobOutcome::Stopped,
                Err(error) => {
                    tracing::error!(%error, "a backup failed");
                    JobOutcome::Failed(Refusal::from(error).code())
                }
            };
            job.finish(outcome);
        });
        Ok(name)
    }

    /// Whether a backup is whole.
    ///
    /// # Errors
    /// [`Refusal::NotFound`] when there is none of that name, [`Refusal::Backup`] when it is damaged.
    pub async fn verify_backup(&self, actor: &Actor, name: &str) -> Result<Manifest, Refusal> {
        actor.require(Action::BackUp)?;
        Ok(verify_archive(&self.backup_file(name).await?).await?)
    }

    /// Where a backup lies, to send it on.
    ///
    /// # Errors
    /// [`Refusal::NotFound`] when there is none of that name.
    pub async fn backup_path(&self, actor: &Actor, name: &str) -> Result<PathBuf, Refusal> {
        actor.require(Action::BackUp)?;
        self.backup_file(name).await
    }

    async fn backup_file(&self, name: &str) -> Result<PathBuf, Refusal> {
        let path = self.backup_folder().await?.path.join(name);
        if is_scheduled_name(name) && path.is_file() { Ok(path) } else { Err(Refusal::NotFound("backup")) }
    }

    /// Writes a backup into the folder, then removes the oldest beyond what is kept.
    async fn back_up_now(
        &self,
        go_on: impl FnMut(f64) -> bool + Send,
    ) -> Result<(PathBuf, Manifest), BackupError> {
        let folder = self.backups.clone().ok_or(BackupError::Stopped)?;
        folder.prepare()?;
        let path = folder.path.join(scheduled_name(OffsetDateTime::now_utc()));
        let manifest = write_archive(&self.store, &path, go_on).await?;
        folder.rotate().await?;
        tracing::info!(event = "backed-up", path = %path.display(), rows = manifest.rows());
        Ok((path, manifest))
    }

    /// Writes a backup whenever the newest is older than a day. Runs for as long as the program does.
    pub async fn back_up_by_the_clock(&self) {
        let Some(folder) = self.backups.clone() else { return };
        let mut clock = tokio::time::interval(CLOCK);
        loop {
            clock.tick().await;
            let files = match list(&folder.path).await {
                Ok(files) => files,
                Err(error) => {
                    tracing::error!(%error, "the folder of backups cannot be read");
                    continue;
                }
            };
            let is_due = is_due(&files, OffsetDateTime::now_utc(), DUE_AFTER);
            let is_set_up = self.store.has_workshop().await.unwrap_or(false);
            if is_due
                && is_set_up
                && let Err(error) = self.back_up_now(|_| true).await
            {
                tracing::error!(%error, "the daily backup failed; it is tried again in half an hour");
            }
        }
    }
}
