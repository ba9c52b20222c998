//! What the workshop's runs have taught: the newest version at hand, older ones on demand, and learning again behind the
//! pages once runs were judged.

use crate::app::App;
use crate::fault::Fault;
use crate::foretold::Foretold;
use actix_web::web;
use coil::design::Design;
use coil::predict::Experience;
use lru::LruCache;
use shop::learning::{Lesson, learn};
use std::collections::BTreeSet;
use std::num::NonZeroUsize;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use store::lesson::Leaning;
use store::logbook::to_be_wound;
use store::{DesignId, InstrumentId, LessonId, PersonId, SpoolId, Store, StoreError, WorkshopId};

/// Versions kept at hand.
const KEPT: NonZeroUsize = NonZeroUsize::new(32).expect("not zero");
/// How long learning waits for more readings before it begins.
const PATIENCE: Duration = Duration::from_millis(400);
/// Runs up to which every change is learned at once; beyond, a hundredth more of them is waited for.
const SMALL: u32 = 500;

/// What was learned, by version.
#[derive(Clone)]
pub struct Lessons {
    kept: Arc<Mutex<LruCache<u64, Arc<Lesson>>>>,
    /// Workshops whose learning waits to begin.
    waiting: Arc<Mutex<BTreeSet<u64>>>,
}

impl Default for Lessons {
    fn default() -> Self {
        Self { kept: Arc::new(Mutex::new(LruCache::new(KEPT))), waiting: Arc::default() }
    }
}

/// What a prediction of a design leans on.
#[derive(Clone, Default)]
pub struct Leans {
    /// The version; none when nothing is learned or it is switched off.
    pub version: Option<(LessonId, u32)>,
    lesson: Option<Arc<Lesson>>,
    design: Option<DesignId>,
    /// Why there is none, or that it is frozen; empty when it is the newest.
    pub how: &'static str,
}

impl Leans {
    /// What runs have shown of a document of this design, on no spool and by nobody in particular.
    pub fn experience(&self, document: &Design) -> Experience {
        self.experience_on(document, None, None, None)
    }

    /// The same where spool, person and winder are known.
    pub fn experience_on(
        &self,
        document: &Design,
        spool: Option<SpoolId>,
        operator: Option<PersonId>,
        winder: Option<InstrumentId>,
    ) -> Experience {
        self.lesson.as_ref().map_or_else(Experience::default, |lesson| {
            lesson.experience(&to_be_wound(self.design, document, spool, operator, winder))
        })
    }
}

impl App {
    /// What a document is predicted to be, leaning on what the workshop's runs have shown of its design, or of the whole
    /// shop where it is a new one.
    pub(crate) async fn foretold(
        &self,
        workshop: WorkshopId,
        design: Option<DesignId>,
        document: &Design,
    ) -> Result<Foretold, Fault> {
        let leans = self.lessons.leans(&self.store, workshop, design).await?;
        self.predictions.leaning(document, leans.experience(document)).await
    }
}

impl Lessons {
    /// A version, whole.
    pub async fn version(
        &self,
        store: &Store,
        workshop: WorkshopId,
        id: LessonId,
    ) -> Result<Arc<Lesson>, StoreError> {
        if let Some(found) = self.kept.lock().unwrap_or_else(PoisonError::into_inner).get(&id.0) {
            return Ok(Arc::clone(found));
        }
        let lesson = Arc::new(store.lesson(workshop, id).await?);
        self.kept.lock().unwrap_or_else(PoisonError::into_inner).put(id.0, Arc::clone(&lesson));
        Ok(lesson)
    }

    /// What predictions of a design lean on; of a design that is not saved yet, what the whole shop shows.
    pub async fn leans(
        &self,
        store: &Store,
        workshop: WorkshopId,
        design: Option<DesignId>,
    ) -> Result<Leans, Fault> {
        if !store.learns(workshop).await? {
            return Ok(Leans { how: "learning is switched off", ..Leans::default() });
        }
        let leaning = match design {
            Some(design) => store.leaning(workshop, design).await?,
            None => Leaning::On,
        };
        let newest = store.newest_lesson(workshop).await?;
        let (version, how) = match leaning {
            Leaning::Off => (None, "learning is switched off for this design"),
            Leaning::On => (newest.map(|l| (l.id, l.number)), ""),
            Leaning::Frozen(id) => {
                let number =
                    store.lessons(workshop).await?.iter().find(|l| l.id == id).map_or(0, |l| l.number);
                (Some((id, number)), "frozen for this design")
            }
        };
        let lesson = match version {
            Some((id, _)) => Some(self.version(store, workshop, id).await?),
            None => None,
        };
        Ok(Leans { version, lesson, design, how })
    }

    /// Learns again soon, behind the pages: several readings in a row are one.
    pub fn soon(&self, store: &Store, workshop: WorkshopId) {
        if !self.waiting.lock().unwrap_or_else(PoisonError::into_inner).insert(workshop.0) {
            return;
        }
        let (lessons, store) = (self.clone(), store.clone());
        tokio::spawn(async move {
            tokio::time::sleep(PATIENCE).await;
            lessons.waiting.lock().unwrap_or_else(PoisonError::into_inner).remove(&workshop.0);
            if let Err(error) = lessons.again(&store, workshop, false).await {
                tracing::warn!(%error, "nothing was learned this time");
            }
        });
    }

    /// Learns from all runs, and keeps a version when it differs from the last one. `all` does so however few are new.
    /// Gives the version's number when there is a new one.
    pub async fn again(&self, store: &Store, workshop: WorkshopId, all: bool) -> Result<Option<u32>, Fault> {
        let newest = store.newest_lesson(workshop).await?;
        let count = store.lived_count(workshop).await?;
        if let (Some(newest), false) = (&newest, all)
            && count > SMALL
            && count.abs_diff(newest.runs) < newest.runs / 100
        {
            return Ok(None);
        }
        let runs = store.lived(workshop).await?;
        let lesson = web::block(move || learn(&runs)).await?;
        let before = match &newest {
            Some(newest) => Some(self.version(store, workshop, newest.id).await?),
            None => None,
        };
        if before.as_deref() == Some(&lesson) || (before.is_none() && lesson.learnt.is_empty()) {
            return Ok(None);
        }
        store.keep_lesson(workshop, count, &lesson).await?;
        Ok(Some(newest.map_or(1, |n| n.number + 1)))
    }
}
