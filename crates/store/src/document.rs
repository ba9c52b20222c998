//! Documents of designs as they are stored: each is read and checked once, however often its row is asked for.

use crate::StoreError;
use coil::design::Design;
use quick_cache::Weighter;
use quick_cache::sync::Cache;
use std::sync::Arc;

/// Memory for documents, bytes of their text.
const BYTES: u64 = 8 << 20;
/// Documents that are expected to fit.
const EXPECTED: usize = 1024;

#[derive(Clone)]
struct TextLength;

impl Weighter<String, Arc<Design>> for TextLength {
    fn weight(&self, text: &String, _: &Arc<Design>) -> u64 {
        text.len() as u64
    }
}

/// The designs of the last documents, by the whole text: what a text says never changes.
#[derive(Clone, Debug)]
pub(crate) struct DesignDocuments(Arc<Cache<String, Arc<Design>, TextLength>>);

impl Default for DesignDocuments {
    fn default() -> Self {
        Self(Arc::new(Cache::with_weighter(EXPECTED, BYTES, TextLength)))
    }
}

impl DesignDocuments {
    /// The design that a stored document describes.
    ///
    /// # Errors
    /// [`StoreError::Unreadable`] with the first thing that is wrong with it.
    pub(crate) fn design(&self, text: &str) -> Result<Design, StoreError> {
        if let Some(known) = self.0.get(text) {
            return Ok((*known).clone());
        }
        let design = coil::design::read(text).map_err(|problems| StoreError::Unreadable {
            what: "design",
            detail: problems.first().map_or_else(String::new, |p| format!("{} {}", p.at, p.text)),
        })?;
        self.0.insert(text.to_owned(), Arc::new(design.clone()));
        Ok(design)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;

    #[test]
    fn a_document_is_its_design_however_often_it_is_read() {
        let documents = DesignDocuments::default();
        let mut design = tall_single("Sedge", 6, 10.4);
        for turns in [7500, 7501] {
            design.coils[0].wind.turns = turns;
            let text = serde_json::to_string(&design).unwrap();
            for _ in 0..2 {
                assert_eq!(documents.design(&text).unwrap(), design);
            }
        }
        for _ in 0..2 {
            assert!(matches!(documents.design("{}"), Err(StoreError::Unreadable { what: "design", .. })));
        }
    }
}
