//! The use cases' common ground: the database, and what is kept in memory between requests.

use crate::actor::Actor;
use crate::backup::BackupFolder;
use crate::calibration_versions::CalibrationVersions;
use crate::import_reviews::ImportReviews;
use crate::jobs::Jobs;
use crate::observed_times::KnownTimes;
use crate::permits::AllPermits;
use crate::plan_cache::Plans;
use crate::prediction_cache::PredictionCache;
use crate::refusal::Refusal;
use crate::sealed::SecretKey;
use crate::sign_in_limit::{ShortSecret, SignInLimit};
use crate::spoken_code::SpokenCode;
use crate::unsteady_designs::UnsteadyDesigns;
use crate::winder_link::WinderLinks;
use identity::{OpenIdProvider, PasskeySite};
use std::net::IpAddr;
use std::sync::Arc;
use std::time::Instant;
use store::{Store, WorkshopStore};

/// Tries at a short secret after which the owner is notified, and again whenever they double.
const GUESSING: u32 = 8;

/// Everything that a person can do, over one database. Clones share it.
#[derive(Clone)]
pub struct Workshop {
    pub(crate) store: Store,
    pub(crate) predictions: PredictionCache,
    pub(crate) plans: Plans,
    pub(crate) known_times: KnownTimes,
    pub(crate) calibrations: CalibrationVersions,
    pub(crate) jobs: Jobs,
    pub(crate) reviews: ImportReviews,
    pub(crate) unsteady: UnsteadyDesigns,
    pub(crate) winders: WinderLinks,
    pub(crate) permits: AllPermits,
    pub(crate) attempts: Arc<SignInLimit>,
    pub(crate) set_up_code: SpokenCode,
    pub(crate) backups: Option<BackupFolder>,
    pub(crate) secret_key: Option<SecretKey>,
    pub(crate) passkey_site: Option<PasskeySite>,
    pub(crate) provider: Option<OpenIdProvider>,
}

impl std::fmt::Debug for Workshop {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Workshop").finish_non_exhaustive()
    }
}

impl Workshop {
    /// The use cases over a database.
    #[must_use]
    pub fn new(store: Store) -> Self {
        Self {
            store,
            predictions: PredictionCache::default(),
            plans: Plans::default(),
            known_times: KnownTimes::default(),
            calibrations: CalibrationVersions::default(),
            jobs: Jobs::default(),
            reviews: ImportReviews::default(),
            unsteady: UnsteadyDesigns::default(),
            winders: WinderLinks::default(),
            permits: AllPermits::default(),
            attempts: Arc::default(),
            set_up_code: SpokenCode::random(),
            backups: None,
            secret_key: None,
            passkey_site: None,
            provider: None,
        }
    }

    /// The part of the database that belongs to an actor's workshop.
    pub(crate) fn store_of(&self, actor: &Actor) -> WorkshopStore {
        self.store.workshop(actor.workshop)
    }

    /// Begins an attempt at a secret from an address.
    ///
    /// # Errors
    /// [`Refusal::TooManyAttempts`] when it comes too soon after wrong ones.
    pub(crate) fn begin_attempt(&self, of: &str, address: IpAddr) -> Result<(), Refusal> {
        let begun = self.attempts.begin(of, address, Instant::now());
        begun.map_err(|retry_after| Refusal::TooManyAttempts { retry_after })
    }

    /// Begins an attempt at a PIN or a code from an address. What looks like guessing is written down for the owner.
    ///
    /// # Errors
    /// [`Refusal::TooManyAttempts`] when it comes too soon after wrong ones.
    pub(crate) async fn begin_secret_attempt(
        &self,
        of: ShortSecret,
        name: &str,
        address: IpAddr,
    ) -> Result<(), Refusal> {
        let begun = self.attempts.begin_secret(of, name, address, Instant::now());
        let tries = begun.map_err(|retry_after| Refusal::TooManyAttempts { retry_after })?;
        if tries >= GUESSING && tries.is_power_of_two() {
            let what = if of.station.is_some() { "PIN" } else { "second factor" };
            tracing::warn!(event = "guessing", person = of.person.0, what, tries, %address);
            self.store.note_guessing(of.person, what, tries).await?;
        }
        Ok(())
    }

    /// Begins something that is kept for a while although nobody is signed in yet.
    ///
    /// # Errors
    /// [`Refusal::TooManyAttempts`] when one address begins too much.
    pub(crate) fn begin_anonymous(&self, address: IpAddr) -> Result<(), Refusal> {
        let begun = self.attempts.begin_anonymous(address, Instant::now());
        begun.map_err(|retry_after| Refusal::TooManyAttempts { retry_after })
    }

    /// Whether the database answers.
    ///
    /// # Errors
    /// [`Refusal::DatabaseAway`] when it does not.
    pub async fn ping(&self) -> Result<(), Refusal> {
        Ok(self.store.ping().await?)
    }
}
