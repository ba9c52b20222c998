//! Lists of designs, with the figures that their own pages show.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use std::collections::HashMap;
use store::design::{DesignFilter, DesignOrder, ListedFigures, RevisionRow};

/// Most designs whose figures are worked out anew while somebody waits for a list; those beyond follow with the next list.
const MOST_ANEW: usize = 120;

/// What the figures of a revision are of, when they are those of today.
fn stamp(row: &RevisionRow) -> String {
    format!("{}/{}", coil::ENGINE, row.calibration_id.map_or(0, |id| id.0))
}

impl Workshop {
    /// The newest revisions of the designs that pass a filter. Their figures are those that their own pages show: what an earlier engine
    /// or calibration gave is worked out anew, and kept.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn designs(&self, actor: &Actor, filter: &DesignFilter) -> Result<Vec<RevisionRow>, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let mut rows = self.store_of(actor).designs(filter).await?;
        let stale: Vec<usize> =
            (0..rows.len()).filter(|k| rows[*k].figures_of != stamp(&rows[*k])).take(MOST_ANEW).collect();
        if !stale.is_empty() {
            self.renew(actor, &mut rows, &stale).await?;
            let falling = |a: Option<f64>, b: Option<f64>| b.unwrap_or(0.0).total_cmp(&a.unwrap_or(0.0));
            match filter.order {
                DesignOrder::Resistance => {
                    rows.sort_by(|a, b| falling(a.resistance_20c_ohm, b.resistance_20c_ohm));
                }
                DesignOrder::Inductance => rows.sort_by(|a, b| falling(a.inductance_h, b.inductance_h)),
                DesignOrder::Newest | DesignOrder::Name => {}
            }
        }
        Ok(rows)
    }

    async fn renew(&self, actor: &Actor, rows: &mut [RevisionRow], stale: &[usize]) -> Result<(), Refusal> {
        let store = self.store_of(actor);
        let ids: Vec<_> = stale.iter().map(|k| rows[*k].id).collect();
        let documents: HashMap<_, _> = store.documents(&ids).await?.into_iter().collect();
        let mut anew = Vec::with_capacity(stale.len());
        for &k in stale {
            let row = &mut rows[k];
            let Some(document) = documents.get(&row.id) else { continue };
            let applied = self.calibrations.for_version(&store, row.calibration_id, row.design_id).await?;
            let prediction = self.predictions.prediction(document, applied.for_design(document)).await?.ok();
            let pickup = prediction.as_ref().map(|p| &p.pickup);
            row.figures_of = stamp(row);
            row.resistance_20c_ohm = pickup.map(|p| p.resistance_20c_ohm.nominal);
            row.inductance_h = pickup.map(|p| p.inductance_h.nominal);
            row.peak_hz = pickup.and_then(|p| p.peak_hz).map(|q| q.nominal);
            anew.push(ListedFigures {
                id: row.id,
                figures_of: row.figures_of.clone(),
                resistance_20c_ohm: row.resistance_20c_ohm,
                inductance_h: row.inductance_h,
                peak_hz: row.peak_hz,
            });
        }
        Ok(store.keep_listed_figures(&anew).await?)
    }
}
