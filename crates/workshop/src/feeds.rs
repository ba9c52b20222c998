//! Calendar feeds of the plan, for general calendar programs.

use crate::actor::Actor;
use crate::permission::Action;
use crate::planning::ShopPlan;
use crate::refusal::Refusal;
use crate::secret::Secret;
use crate::service::Workshop;
use crate::settings::WorkshopSettings;
use crate::shop_hours::ShopHours;
use store::FeedId;
use store::feed::FeedRow;

/// Most feeds of a person.
const MOST_FEEDS: usize = 10;

/// What a feed shows.
#[derive(Clone, Debug)]
pub struct FeedPlan {
    /// The plan.
    pub plan: ShopPlan,
    /// The person whose work it has; nobody for that of the whole shop.
    pub person: Option<String>,
    /// The workshop's name.
    pub workshop: String,
    /// The workshop's clock.
    pub hours: ShopHours,
}

impl Workshop {
    /// Makes a feed of one's own work, or of the whole shop's; the secret is shown this once.
    ///
    /// # Errors
    /// [`Refusal::TooManyAtOnce`].
    pub async fn make_feed(&self, actor: &Actor, is_whole_shop: bool) -> Result<Secret, Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.store_of(actor);
        if store.feeds(actor.person).await?.len() >= MOST_FEEDS {
            return Err(Refusal::TooManyAtOnce("calendar feeds"));
        }
        let secret = Secret::random();
        store.add_feed(actor.person, is_whole_shop, &secret.hash()).await?;
        Ok(secret)
    }

    /// One's feeds that hold.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn feeds(&self, actor: &Actor) -> Result<Vec<FeedRow>, Refusal> {
        actor.require(Action::ReadRuns)?;
        Ok(self.store_of(actor).feeds(actor.person).await?)
    }

    /// Ends one of one's feeds.
    ///
    /// # Errors
    /// When there is none of that number.
    pub async fn revoke_feed(&self, actor: &Actor, id: FeedId) -> Result<(), Refusal> {
        actor.require(Action::ReadRuns)?;
        Ok(self.store_of(actor).revoke_feed(actor.person, id).await?)
    }

    /// What the feed with a secret shows.
    ///
    /// # Errors
    /// When there is no such feed, it was ended, or its person may not sign in any more; as [`Workshop::shop_plan`].
    pub async fn plan_of_feed(&self, secret: &str) -> Result<FeedPlan, Refusal> {
        let secret = Secret::parse(secret).ok_or(Refusal::NotFound("calendar feed"))?;
        let owner = self.store.feed_owner(&secret.hash()).await?.ok_or(Refusal::NotFound("calendar feed"))?;
        let person = self.store.person(owner.person_id).await?.ok_or(Refusal::NotFound("calendar feed"))?;
        let actor = Actor {
            person: owner.person_id,
            workshop: owner.workshop_id,
            role: person.role.0,
            is_at_station: false,
        };
        let settings = WorkshopSettings::from_person(&person);
        Ok(FeedPlan {
            plan: self.shop_plan(&actor).await?,
            workshop: person.workshop.clone(),
            person: (!owner.is_whole_shop).then_some(person.name),
            hours: settings.hours,
        })
    }
}
