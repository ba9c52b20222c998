//! Orders: taken, changed, and made.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use serde::{Deserialize, Serialize};
use store::order::{NewOrder, OrderRow, OrderRun, OrderState};
use store::unreadable::RecordKind;
use store::{ClientKey, OrderId, PickupSetId, RevisionId, RewindId, RunId, StoreError, WorkshopStore};
use time::Date;

/// Most lines of an order, and most of each.
pub const MOST_LINES: usize = 12;
/// See [`MOST_LINES`].
pub const MOST_OF_A_LINE: u32 = 200;
/// Longest name of a customer and longest notes, letters.
const LONGEST_NAME: usize = 80;
const LONGEST_WORDS: usize = 1000;

/// What a line of an order asks for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum OrderItem {
    /// A pickup of a revision.
    Revision(RevisionId),
    /// A set of pickups.
    Set(PickupSetId),
    /// An old pickup that is brought back.
    Rewind(RewindId),
}

/// A line of an order.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct OrderLine {
    /// What.
    pub item: OrderItem,
    /// How many.
    pub quantity: u32,
    /// Lead colours, potting, cover, in words.
    #[serde(default)]
    pub options: String,
}

/// An order as it is kept.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct OrderDraft {
    /// Who asked: a name, or only a mark.
    pub customer: String,
    /// How they are reached.
    pub contact: String,
    /// The day that it is promised for.
    #[serde(skip)]
    pub promised_on: Option<Date>,
    /// How far it is.
    #[serde(skip)]
    pub state: OrderState,
    /// What it costs them, in the workshop's money.
    pub price: Option<f64>,
    /// What is asked for.
    pub lines: Vec<OrderLine>,
    /// Anything else.
    pub notes: String,
}

/// An order to save.
#[derive(Clone, Debug)]
pub struct SaveOrder {
    /// Key of the submission.
    pub key: ClientKey,
    /// The order and the version that was shown; `None` adds a new one.
    pub of: Option<(OrderId, u32)>,
    /// What it becomes.
    pub draft: OrderDraft,
}

impl OrderDraft {
    /// What is wrong with it, by its place.
    #[must_use]
    pub fn problems(&self) -> Vec<(&'static str, usize)> {
        let mut all = Vec::new();
        let letters = |text: &str| text.chars().count();
        if self.customer.trim().is_empty() || letters(&self.customer) > LONGEST_NAME {
            all.push(("customer", 0));
        }
        if letters(&self.contact) > LONGEST_WORDS || letters(&self.notes) > LONGEST_WORDS {
            all.push(("notes", 0));
        }
        if self.price.is_some_and(|p| !(0.0..=1e7).contains(&p)) {
            all.push(("price", 0));
        }
        if self.lines.is_empty() || self.lines.len() > MOST_LINES {
            all.push(("lines", 0));
        }
        for (i, line) in self.lines.iter().enumerate() {
            if !(1..=MOST_OF_A_LINE).contains(&line.quantity) || letters(&line.options) > LONGEST_WORDS {
                all.push(("quantity", i));
            }
        }
        all
    }
}

pub(crate) fn draft_of(row: &OrderRow) -> Result<OrderDraft, StoreError> {
    let mut draft: OrderDraft = serde_json::from_str(&row.document)
        .map_err(|error| StoreError::Unreadable { what: "order", detail: error.to_string() })?;
    draft.promised_on = row.promised_on;
    draft.state = row.state.0;
    Ok(draft)
}

/// Orders with what they ask for, without those that cannot be read.
pub(crate) fn readable_orders(
    store: &WorkshopStore,
    rows: Vec<OrderRow>,
) -> Result<Vec<(OrderRow, OrderDraft)>, StoreError> {
    let mut all = Vec::with_capacity(rows.len());
    for row in rows {
        let name = format!("order {}", row.number);
        if let Some(draft) = store.readable(RecordKind::Order, row.id.0, &name, draft_of(&row))? {
            all.push((row, draft));
        }
    }
    Ok(all)
}

impl Workshop {
    /// The orders that have not left, or those that have, newest first.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn orders(
        &self,
        actor: &Actor,
        are_gone: bool,
    ) -> Result<Vec<(OrderRow, OrderDraft)>, Refusal> {
        actor.require(Action::ReadOrders)?;
        let store = self.store_of(actor);
        Ok(readable_orders(&store, store.orders(are_gone).await?)?)
    }

    /// One order.
    ///
    /// # Errors
    /// When there is none of that number.
    pub async fn order(&self, actor: &Actor, id: OrderId) -> Result<(OrderRow, OrderDraft), Refusal> {
        actor.require(Action::ReadOrders)?;
        let row = self.store_of(actor).order(id).await?;
        let draft = draft_of(&row)?;
        Ok((row, draft))
    }

    /// Saves an order; the same key again adds nothing more.
    ///
    /// # Errors
    /// [`Refusal::UnusableOrder`] with what is wrong, by its place; [`Refusal::ChangedMeanwhile`]; when a revision or set is not there.
    pub async fn save_order(&self, actor: &Actor, command: &SaveOrder) -> Result<OrderId, Refusal> {
        actor.require(Action::ChangeOrders)?;
        let draft = &command.draft;
        let problems = draft.problems();
        if !problems.is_empty() {
            return Err(Refusal::UnusableOrder(problems));
        }
        let store = self.store_of(actor);
        for pickup in self.ordered_pickups(actor, draft, &[]).await? {
            if let Some(revision) = pickup.revision {
                store.revision(revision).await?;
            }
        }
        let document = serde_json::to_string(draft)?;
        let new = NewOrder {
            customer: draft.customer.trim(),
            promised_on: draft.promised_on,
            state: draft.state,
            document: &document,
        };
        match command.of {
            None => Ok(store.add_order(actor.person, &command.key, &new).await?),
            Some(of) => match store.change_order(actor.person, of, &new).await {
                Ok(()) => Ok(of.0),
                Err(StoreError::Changed(what)) => Err(Refusal::ChangedMeanwhile(what)),
                Err(error) => Err(error.into()),
            },
        }
    }

    /// The runs of all orders that have not left.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn runs_of_orders(&self, actor: &Actor) -> Result<Vec<OrderRun>, Refusal> {
        actor.require(Action::ReadRuns)?;
        Ok(self.store_of(actor).order_runs().await?)
    }

    /// Notes that a run is made for a line of an order; the order is in work from then on.
    ///
    /// # Errors
    /// When there is no such run or order.
    pub async fn assign_run_to_order(
        &self,
        actor: &Actor,
        run: RunId,
        order: OrderId,
        line: u32,
    ) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        let store = self.store_of(actor);
        let row = store.order(order).await?;
        store.assign_run_to_order(run, order, line).await?;
        let mut own = store.order_runs().await?;
        own.retain(|r| r.order_id == order);
        let pickups = self.ordered_pickups(actor, &draft_of(&row)?, &own).await?;
        if let Some(pickup) = pickups.iter().position(|p| p.run.is_some_and(|r| r.run_id == run)) {
            store.move_pins(order, pickup, run).await?;
        }
        if row.state.0 < OrderState::InWork {
            let new = NewOrder {
                customer: &row.customer,
                promised_on: row.promised_on,
                state: OrderState::InWork,
                document: &row.document,
            };
            // Somebody else may have changed it just now; what they wrote stays.
            let _ = store.change_order(actor.person, (order, row.version), &new).await;
        }
        Ok(())
    }
}
