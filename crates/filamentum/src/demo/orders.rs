//! Orders of a believable week: agreed ones, a rewind, one asked for, some that have left; hours, an absence, something under way.

use super::past_runs::DemoWorkshop;
use store::order::OrderState;
use store::person::Role;
use store::rewind::Purpose;
use store::{ClientKey, PickupSetId, RevisionId};
use time::{Duration, OffsetDateTime};
use workshop::{Actor, OrderDraft, OrderItem, OrderLine, PersonHours, SaveOrder, Workshop};

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
        let rewinds = workshop.rewinds(&actor, false).await?;
        let dead = rewinds.iter().find(|r| r.purpose.0 == Purpose::Rewind);
        let rewind: Vec<OrderLine> =
            dead.map(|r| line(OrderItem::Rewind(r.id), 1, "as it was")).into_iter().collect();
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
                1,
                118.0,
                vec![line(OrderItem::Revision(lap), 1, "")],
            ),
            order("Tern & Co.", OrderState::Gone, -2, 236.0, vec![line(OrderItem::Revision(lap), 2, "")]),
            order(
                "B. at the ferry",
                OrderState::Gone,
                0,
                95.0,
                vec![line(OrderItem::Revision(mandola), 1, "")],
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
                [vec![line(OrderItem::Revision(mandola), 1, "old cover kept")], rewind].concat(),
            ),
            order("Q. T.", OrderState::Asked, 21, 354.0, vec![line(OrderItem::Revision(lap), 3, "no wax")]),
        ] {
            workshop.save_order(&actor, &SaveOrder { key: ClientKey::random(), of: None, draft }).await?;
        }
        self.floor(&workshop, &actor).await
    }

    /// Somebody works on three days only and is away for an afternoon, and the first open run is under way.
    async fn floor(&self, workshop: &Workshop, actor: &Actor) -> anyhow::Result<()> {
        let people = workshop.winding_people(actor).await?;
        let other = people.iter().find(|p| p.id != self.owner);
        if let Some(other) = other {
            let (name, mut settings) = workshop.settings(actor).await?;
            let own = PersonHours {
                days: ["Mon", "Tue", "Wed", "Thu"].map(str::to_owned).to_vec(),
                from: "09:00".into(),
                to: "15:00".into(),
                off: Vec::new(),
            };
            settings.hours.people.insert(other.id.0, own);
            workshop.change_settings(actor, &name, &settings).await?;
        }
        let plan = workshop.shop_plan(actor).await?;
        let begun = plan.jobs.iter().find(|job| job.run.is_some());
        if let Some((job, (run, _))) = begun.and_then(|job| Some((job, job.run?))) {
            let next = job.operations.first().map_or("", |o| o.key.as_str());
            workshop.begin_operation(actor, &ClientKey::random(), run, next).await?;
        }
        Ok(())
    }
}
