//! What a pickup costs: its wire and its parts.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use store::design::{DesignFilter, RevisionRow};
use store::part::Part;
use store::{DesignId, PartId};

/// The wire of a coil.
#[derive(Clone, Debug)]
pub struct WireCost {
    /// The coil's name.
    pub coil: String,
    /// Its gauge.
    pub gauge: String,
    /// Wire, m.
    pub metres: f64,
    /// The same, g.
    pub grams: f64,
    /// What it costs by the most expensive spool of that gauge; `None` where no price is known.
    pub cost: Option<f64>,
}

/// What a pickup of a design is made of.
#[derive(Clone, Debug)]
pub struct DesignCost {
    /// The design's newest revision.
    pub revision: RevisionRow,
    /// Its wire, coil by coil.
    pub wire: Vec<WireCost>,
    /// All parts of the workshop, with how many one pickup takes.
    pub parts: Vec<(Part, u32)>,
}

impl DesignCost {
    /// What is known of the sum, and whether a price is missing.
    #[must_use]
    pub fn total(&self) -> (f64, bool) {
        let wire = self.wire.iter().map(|w| w.cost);
        let parts = self.parts.iter().filter(|(_, count)| *count > 0);
        let parts = parts.map(|(part, count)| part.each_cost.map(|each| each * f64::from(*count)));
        wire.chain(parts).fold((0.0, false), |(sum, missing), cost| match cost {
            Some(cost) => (sum + cost, missing),
            None => (sum, true),
        })
    }

    /// For how many pickups the stock suffices, and the part that runs out first; `None` when the design takes none.
    #[must_use]
    pub fn pickups_in_stock(&self) -> Option<(i64, &str)> {
        self.parts
            .iter()
            .filter(|(_, count)| *count > 0)
            .map(|(part, count)| (part.stock.max(0) / i64::from(*count), part.name.as_str()))
            .min()
    }
}

impl Workshop {
    /// The designs that are not archived, and the cost of one of them: the first, unless one is asked for.
    ///
    /// # Errors
    /// When there is no such design.
    pub async fn design_cost(
        &self,
        actor: &Actor,
        design: Option<DesignId>,
    ) -> Result<(Vec<RevisionRow>, Option<DesignCost>), Refusal> {
        actor.require(Action::ReadDesigns)?;
        let store = self.store_of(actor);
        let designs = store.designs(&DesignFilter::default()).await?;
        let Some(design) = design.or_else(|| designs.first().map(|r| r.design_id)) else {
            return Ok((designs, None));
        };
        let newest = store.revisions(design).await?.into_iter().next().ok_or(Refusal::NotFound("design"))?;
        let Some((_, own)) = store.documents(&[newest.id]).await?.pop() else { return Ok((designs, None)) };
        let spools = store.spools().await?;
        let mut wire = Vec::new();
        if let Ok(prediction) = self.uncalibrated_prediction(&own).await? {
            for (coil, given) in prediction.coils.iter().zip(&own.coils) {
                let gauge = given.wire.gauge;
                let grams = coil.wire_mass_g.nominal;
                let cost = spools
                    .iter()
                    .filter(|s| s.gauge.0 == gauge && s.emptied_at.is_none())
                    .filter_map(|s| s.cost_per_kg.map(|per_kg| per_kg * grams / 1000.0))
                    .max_by(f64::total_cmp);
                let metres = coil.wire_length_m.nominal;
                wire.push(WireCost {
                    coil: given.name.clone(),
                    gauge: gauge.to_string(),
                    metres,
                    grams,
                    cost,
                });
            }
        }
        let taken = store.design_parts(design).await?;
        let count = |id: PartId| taken.iter().find(|(p, _)| *p == id).map_or(0, |(_, n)| *n);
        let parts = store.parts().await?.into_iter().map(|part| (part.clone(), count(part.id))).collect();
        Ok((designs, Some(DesignCost { revision: newest, wire, parts })))
    }

    /// Sets how many of each part one pickup of a design takes.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn set_design_parts(
        &self,
        actor: &Actor,
        design: DesignId,
        counts: &[(PartId, u32)],
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeDesigns)?;
        Ok(self.store_of(actor).set_design_parts(actor.person, design, counts).await?)
    }
}
