//! Orders of a believable week: one agreed and close, one asked for, one that has left.

use super::past_runs::DemoWorkshop;
use store::order::OrderState;
use store::person::Role;
use store::{ClientKey, PickupSetId, RevisionId};
use time::{Duration, OffsetDateTime};
use workshop::{Actor, OrderDraft, OrderItem, OrderLine, SaveOrder, Workshop};

impl DemoWorkshop<'_> {
    /// Takes them.
    pub(super) async fn orders(&mut self, lap: RevisionId, mandola: RevisionId) -> anyhow::Result<()> {
        let workshop = Workshop::new(self.store.clone());
        let actor =
            Actor { person: self.owner, workshop: self.workshop, role: Role::Owner, is_at_station: false };
        let sets = workshop.pickup_sets(&actor, false).await?;
        let pair =
            sets.iter().find(|(row, _)| row.name.contains("pair")).map_or(PickupSetId(1), |(row, _)| row.id);
        let day = |days: i64| Some((OffsetDateTime::now_utc() + Duration::days(days)).date());
        let line = |item, quantity, options: &str| OrderLine { item, quantity, options: options.into() };
        let order = |customer: &str, state, days, price, lines| OrderDraft {
            customer: customer.into(),
            state,
            promised_on: day(days),
            price: Some(price),
            lines,
            ..OrderDraft::default()
        };
        for draft in [
            order(
                "Heron & daughter",
                OrderState::Gone,
                -9,
                118.0,
                vec![line(OrderItem::Revision(lap), 1, "")],
            ),
            order(
                "A. of the harbour",
                OrderState::Agreed,
                4,
                236.0,
                vec![line(OrderItem::Set(pair), 2, "red and white leads, waxed")],
            ),
            order(
                "Marsh quartet",
                OrderState::Agreed,
                2,
                95.0,
                vec![line(OrderItem::Revision(mandola), 1, "old cover kept")],
            ),
            order("Q. T.", OrderState::Asked, 21, 354.0, vec![line(OrderItem::Revision(lap), 3, "no wax")]),
        ] {
            workshop.save_order(&actor, &SaveOrder { key: ClientKey::random(), of: None, draft }).await?;
        }
        Ok(())
    }
}
