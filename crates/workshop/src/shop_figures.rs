//! Figures of the shop: promised against kept, minutes per operation, work in progress, what to buy next.

use crate::actor::Actor;
use crate::orders::OrderDraft;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::supplies::Supply;
use std::collections::BTreeMap;
use store::OrderId;
use store::order::OrderState;
use time::Date;
use trade::operation_times::usual;
use trade::traveller::Traveller;

/// An order that left, with what was promised.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct KeptPromise {
    /// The order.
    pub order: OrderId,
    /// Its number.
    pub number: u32,
    /// The day that was promised.
    pub promised_on: Date,
    /// The day on which it left.
    pub gone_on: Date,
}

impl KeptPromise {
    /// Days after the promise; negative before it.
    #[must_use]
    pub fn days_late(&self) -> i64 {
        (self.gone_on - self.promised_on).whole_days()
    }
}

/// How long an operation takes in the shop.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OperationFigure {
    /// The operation's name, or its key where no usual operation has it.
    pub name: String,
    /// How often it was observed.
    pub count: usize,
    /// The shop's own median, minutes, from ten observations on.
    pub own_minutes: Option<u32>,
    /// What is usual, minutes, for a coil of 7,500 turns; `None` for an operation of the workshop's own.
    pub usual_minutes: Option<u32>,
}

/// Figures of the shop.
#[derive(Clone, Debug, Default)]
pub struct ShopFigures {
    /// Orders that left and had a promise, the last one first.
    pub kept: Vec<KeptPromise>,
    /// Operations that were observed.
    pub operations: Vec<OperationFigure>,
    /// Runs under way by the operation that is next.
    pub in_progress: Vec<(String, usize)>,
    /// Orders by their state.
    pub orders: BTreeMap<OrderState, usize>,
    /// What is missing for all that is agreed.
    pub purchases: Vec<(Supply, f64)>,
}

impl ShopFigures {
    /// Share of promises that were kept, and the median of days late of those that were not; `None` before the first.
    #[must_use]
    pub fn promises(&self) -> Option<(f64, Option<i64>)> {
        if self.kept.is_empty() {
            return None;
        }
        let mut late: Vec<i64> = self.kept.iter().map(KeptPromise::days_late).filter(|d| *d > 0).collect();
        late.sort_unstable();
        let share = 1.0 - late.len() as f64 / self.kept.len() as f64;
        Some((share, late.get(late.len() / 2).copied()))
    }
}

/// Turns for which the usual time of winding is told.
const TURNS: u32 = 7500;

impl Workshop {
    /// The figures of the shop.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn shop_figures(&self, actor: &Actor) -> Result<ShopFigures, Refusal> {
        actor.require(Action::ReadOrders)?;
        let store = self.store_of(actor);
        let hours = self.settings_of(actor).await?.hours;
        let mut figures = ShopFigures { purchases: self.purchases(actor).await?, ..ShopFigures::default() };
        for row in store.orders(true).await? {
            *figures.orders.entry(row.state.0).or_default() += 1;
            if let (Some(promised_on), Some(gone)) = (row.promised_on, row.gone_at) {
                let gone_on = hours.local(gone).0.date();
                figures.kept.push(KeptPromise { order: row.id, number: row.number, promised_on, gone_on });
            }
        }
        figures.kept.sort_by_key(|k| std::cmp::Reverse((k.gone_on, k.number)));
        let open: Vec<(_, OrderDraft)> = self.orders(actor, false).await?;
        for (row, _) in open {
            *figures.orders.entry(row.state.0).or_default() += 1;
        }
        let mut next: BTreeMap<String, usize> = BTreeMap::new();
        for run in store.unfinished_runs().await? {
            if let Some(operation) = run.traveller.0.iter().find(|o| !run.signed.contains(&o.key)) {
                *next.entry(operation.name.clone()).or_default() += 1;
            }
        }
        figures.in_progress = next.into_iter().collect();
        figures.in_progress.sort_by_key(|(_, count)| std::cmp::Reverse(*count));
        let usual_operations = Traveller::usual(&coil::design::reference_coil()).for_rewind_and_new();
        let times = self.shop_times(actor).await?;
        figures.operations = times
            .medians()
            .map(|(key, count, own_minutes)| {
                let known = usual_operations.0.iter().find(|o| o.key == key);
                OperationFigure {
                    name: known.map_or_else(|| key.to_owned(), |o| o.name.clone()),
                    count,
                    own_minutes,
                    usual_minutes: known.map(|o| usual(o, TURNS, 1).minutes),
                }
            })
            .collect();
        figures.operations.sort_by_key(|o| std::cmp::Reverse(o.count));
        Ok(figures)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use time::macros::date;

    #[test]
    fn promises_are_kept_or_late() {
        let one = |gone_on| KeptPromise {
            order: OrderId(1),
            number: 1,
            promised_on: date!(2026 - 11 - 20),
            gone_on,
        };
        let days =
            [date!(2026 - 11 - 20), date!(2026 - 11 - 18), date!(2026 - 11 - 23), date!(2026 - 11 - 21)];
        let figures = ShopFigures { kept: days.map(one).to_vec(), ..ShopFigures::default() };
        let (share, late) = figures.promises().unwrap();
        assert_eq!((share, late), (0.5, Some(3)));
        assert!(ShopFigures::default().promises().is_none());
    }
}
