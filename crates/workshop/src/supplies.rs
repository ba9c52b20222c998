//! What orders take of wire and parts, reserved in the order of their promises, and what has to be bought.

use crate::actor::Actor;
use crate::ordered_pickups::{OrderedPickup, OrderedThings};
use crate::orders::{OrderDraft, readable_orders};
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use std::collections::BTreeMap;
use std::collections::btree_map::Entry;
use store::order::{OrderRow, OrderRun, OrderState};
use store::{OrderId, RevisionId, StoreError};

/// Something that orders take: wire of a gauge, or a part.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Supply {
    /// Wire of a gauge, m.
    Wire(String),
    /// Pieces of a part, by its name.
    Part(String),
}

/// What an order takes of something.
#[derive(Clone, Debug, PartialEq)]
pub struct Reservation {
    /// What.
    pub supply: Supply,
    /// What the order takes, m or pieces.
    pub needed: f64,
    /// What is left for it when everything that is promised earlier has taken its own.
    pub left: f64,
}

impl Reservation {
    /// What is missing.
    #[must_use]
    pub fn short(&self) -> f64 {
        (self.needed - self.left).max(0.0)
    }
}

/// What an order costs the workshop.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct OrderCost {
    /// Wire and parts, in the workshop's money.
    pub materials: f64,
    /// Whether the price of something is not known.
    pub is_incomplete: bool,
    /// Minutes of hands.
    pub minutes: u32,
}

/// Needs by what they are of.
type Needs = BTreeMap<Supply, f64>;

/// Takes needs off what is there, and says what was left for each.
fn reserve(stock: &mut Needs, needs: &Needs) -> Vec<Reservation> {
    needs
        .iter()
        .map(|(supply, needed)| {
            let there = stock.entry(supply.clone()).or_default();
            let left = *there;
            *there = (left - needed).max(0.0);
            Reservation { supply: supply.clone(), needed: *needed, left }
        })
        .collect()
}

/// The order in which reservations are made: what is promised first, then what was taken first.
fn by_promise(a: &OrderRow, b: &OrderRow) -> std::cmp::Ordering {
    let day = |row: &OrderRow| row.promised_on.unwrap_or(time::Date::MAX);
    (day(a), a.number).cmp(&(day(b), b.number))
}

impl Workshop {
    /// What is on the spools whose rest is known, and on the shelf.
    async fn supplies_in_stock(&self, actor: &Actor) -> Result<Needs, Refusal> {
        let store = self.store_of(actor);
        let mut all = Needs::new();
        for spool in store.spools().await?.iter().filter(|s| s.emptied_at.is_none()) {
            if let Some(left) = spool.left_now_m() {
                *all.entry(Supply::Wire(spool.gauge.to_string())).or_default() += left;
            }
        }
        for part in store.parts().await? {
            #[allow(clippy::cast_precision_loss, reason = "pieces on a shelf")]
            let there = part.stock.max(0) as f64;
            all.insert(Supply::Part(part.name), there);
        }
        Ok(all)
    }

    /// What pickups take whose wire is not wound, or whose parts are not taken; `known` keeps what each revision takes.
    async fn needs(
        &self,
        actor: &Actor,
        pickups: &[OrderedPickup],
        known: &mut BTreeMap<RevisionId, Needs>,
    ) -> Result<Needs, Refusal> {
        let store = self.store_of(actor);
        let parts = store.parts().await?;
        let mut all = Needs::new();
        for (id, run) in pickups.iter().filter_map(|p| Some((p.revision?, p.run))) {
            let is_open = |supply: &Supply| match (run, supply) {
                (None, _) => true,
                (Some(run), Supply::Wire(_)) => !run.is_wound,
                (Some(run), Supply::Part(_)) => !run.has_parts,
            };
            let one = match known.entry(id) {
                Entry::Occupied(of) => of.into_mut(),
                Entry::Vacant(of) => {
                    let revision = match store.revision(id).await {
                        Ok(revision) => revision,
                        // What cannot be read takes nothing that is known of.
                        Err(StoreError::Unreadable { .. }) => continue,
                        Err(error) => return Err(error.into()),
                    };
                    let mut needs = Needs::new();
                    let found = self.uncalibrated_prediction(&revision.design).await?.ok();
                    for (coil, told) in revision.design.coils.iter().zip(found.iter().flat_map(|p| &p.coils))
                    {
                        let gauge = Supply::Wire(coil.wire.gauge.to_string());
                        *needs.entry(gauge).or_default() += told.wire_length_m.p95;
                    }
                    for (part, count) in store.design_parts(revision.row.design_id).await? {
                        if let Some(part) = parts.iter().find(|p| p.id == part) {
                            *needs.entry(Supply::Part(part.name.clone())).or_default() += f64::from(count);
                        }
                    }
                    of.insert(needs)
                }
            };
            for (supply, needed) in one.iter().filter(|(supply, _)| is_open(supply)) {
                *all.entry(supply.clone()).or_default() += needed;
            }
        }
        Ok(all)
    }

    /// What every order takes that is agreed or in work, in the order of their promises: each finds what those before it left.
    ///
    /// # Errors
    /// When a design cannot be found.
    pub async fn reservations(&self, actor: &Actor) -> Result<Vec<(OrderId, Vec<Reservation>)>, Refusal> {
        actor.require(Action::ReadOrders)?;
        let store = self.store_of(actor);
        let mut stock = self.supplies_in_stock(actor).await?;
        let runs = store.order_runs().await?;
        let mut rows = store.orders(false).await?;
        rows.retain(|row| matches!(row.state.0, OrderState::Agreed | OrderState::InWork));
        rows.sort_by(by_promise);
        let orders = readable_orders(&store, rows)?;
        let things = OrderedThings::load(&store, orders.iter().map(|(_, draft)| draft)).await?;
        let mut known = BTreeMap::new();
        let mut all = Vec::with_capacity(orders.len());
        for (row, draft) in &orders {
            let own: Vec<OrderRun> = runs.iter().filter(|r| r.order_id == row.id).copied().collect();
            let Some(pickups) = things.readable_pickups(draft, &own)? else { continue };
            let needs = self.needs(actor, &pickups, &mut known).await?;
            all.push((row.id, reserve(&mut stock, &needs)));
        }
        Ok(all)
    }

    /// What one order takes; of one that is only asked for, what would be left when all that is agreed has taken its own.
    ///
    /// # Errors
    /// As [`Workshop::reservations`].
    pub async fn supplies_of_order(
        &self,
        actor: &Actor,
        order: OrderId,
        pickups: &[OrderedPickup],
    ) -> Result<Vec<Reservation>, Refusal> {
        actor.require(Action::ReadOrders)?;
        let agreed = self.reservations(actor).await?;
        if let Some((_, own)) = agreed.iter().find(|(id, _)| *id == order) {
            return Ok(own.clone());
        }
        let mut stock = self.supplies_in_stock(actor).await?;
        for (_, taken) in &agreed {
            let needs: Needs = taken.iter().map(|r| (r.supply.clone(), r.needed)).collect();
            reserve(&mut stock, &needs);
        }
        let needs = self.needs(actor, pickups, &mut BTreeMap::new()).await?;
        Ok(reserve(&mut stock, &needs))
    }

    /// What has to be bought for all that is agreed: what is missing of each, in all.
    ///
    /// # Errors
    /// As [`Workshop::reservations`].
    pub async fn purchases(&self, actor: &Actor) -> Result<Vec<(Supply, f64)>, Refusal> {
        actor.require(Action::ReadOrders)?;
        let mut all = Needs::new();
        for reservation in self.reservations(actor).await?.iter().flat_map(|(_, all)| all) {
            if reservation.short() > 0.0 {
                *all.entry(reservation.supply.clone()).or_default() += reservation.short();
            }
        }
        Ok(all.into_iter().collect())
    }

    /// What an order costs: wire and parts of everything that it asks for, and the minutes of hands that it takes.
    ///
    /// # Errors
    /// When a design cannot be found.
    pub async fn order_cost(&self, actor: &Actor, draft: &OrderDraft) -> Result<OrderCost, Refusal> {
        actor.require(Action::ReadOrders)?;
        let store = self.store_of(actor);
        let times = self.shop_times(actor).await?;
        let mut known: BTreeMap<RevisionId, (f64, bool)> = BTreeMap::new();
        let mut sum = OrderCost::default();
        let things = OrderedThings::load(&store, [draft]).await?;
        let pickups = things.pickups(draft, &[])?;
        let made = self.made(actor, &things, pickups.iter()).await?;
        for pickup in pickups {
            let made = made.to_make(&pickup)?;
            sum.minutes += made.operations.iter().map(|o| times.estimate(o, made.turns).minutes).sum::<u32>();
            let Some(revision) = pickup.revision else {
                sum.is_incomplete = true;
                continue;
            };
            let (cost, is_incomplete) = match known.get(&revision) {
                Some(cost) => *cost,
                None => {
                    let design = store.revision(revision).await?.row.design_id;
                    let cost = self.design_cost(actor, Some(design)).await?.1;
                    let cost = cost.map_or((0.0, true), |cost| cost.total());
                    known.insert(revision, cost);
                    cost
                }
            };
            sum.materials += cost;
            sum.is_incomplete |= is_incomplete;
        }
        Ok(sum)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Whoever is promised first takes first; the next finds what is left.
    #[test]
    fn what_is_taken_is_taken() {
        let wire = || Supply::Wire("42 AWG".into());
        let mut stock: Needs = [(wire(), 1000.0)].into();
        let needs: Needs = [(wire(), 700.0), (Supply::Part("plate".into()), 2.0)].into();
        let first = reserve(&mut stock, &needs);
        assert_eq!(first.iter().map(Reservation::short).collect::<Vec<_>>(), [0.0, 2.0]);
        let second = reserve(&mut stock, &needs);
        assert_eq!((second[0].left, second[0].short()), (300.0, 400.0));
    }
}
