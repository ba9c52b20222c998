//! Travellers: the operations of a run in order, who signed them, and the workshop's own travellers.

use crate::actor::Actor;
use crate::judging::readings_of;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::winder_link::is_closed;
use coil::Word as _;
use coil::design::{Design, Format, Medium, Potting, starting_point};
use store::{RunId, WorkshopStore};
use trade::reading::Reading;
use trade::traveller::{Operation, OperationStatus, Signature, SigningRefusal, Traveller};
use trade::verdict::Level;

/// How far a run has come on its traveller.
#[derive(Clone, Debug, Default)]
pub struct TravellerProgress {
    /// The operations with where each stands.
    pub operations: Vec<(Operation, OperationStatus)>,
    /// Whether all are signed: then readings are corrected, and none are added.
    pub closed: bool,
}

impl TravellerProgress {
    /// How far a run has come; nothing for runs without a traveller.
    pub(crate) fn new(traveller: Option<&Traveller>, signed: &[Signature], readings: &[Reading]) -> Self {
        traveller.map_or_else(Self::default, |traveller| Self {
            closed: traveller.is_done(signed),
            operations: traveller.progress(signed, readings),
        })
    }
}

impl Workshop {
    /// Refuses when every operation of a run is signed: asked by everything that adds to a run.
    pub(crate) async fn refuse_closed(&self, store: &WorkshopStore, run: RunId) -> Result<(), Refusal> {
        if store.run(run).await?.row.voided_at.is_some() {
            return Err(Refusal::RunVoid);
        }
        if is_closed(store, run).await? { Err(Refusal::RunClosed) } else { Ok(()) }
    }

    /// The traveller that a new run of a design follows: the workshop's own, or the usual one.
    pub(crate) async fn traveller_for(&self, actor: &Actor, design: &Design) -> Result<Traveller, Refusal> {
        let own = self.store_of(actor).traveller(design.kind.word()).await?;
        Ok(own.unwrap_or_else(|| Traveller::usual(design)))
    }

    /// Signs an operation of a run; signed twice, it is signed once. `waived` is the reason for signing without what the
    /// operation holds for, empty for none.
    ///
    /// # Errors
    /// [`Refusal::NotSigned`] when it is not its turn or readings are missing; [`Refusal::VerdictHoldsSigning`] when it
    /// holds for readings, those lie outside their tolerance and no reason is given.
    pub async fn sign_operation(
        &self,
        actor: &Actor,
        run: RunId,
        operation: &str,
        waived: &str,
    ) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        let store = self.store_of(actor);
        let traveller = store.traveller_of_run(run).await?.ok_or(Refusal::NotFound("traveller"))?;
        let signed = store.signatures(run).await?;
        let readings = readings_of(&store, run).await?;
        let holds = traveller.0.iter().any(|one| one.key == operation && !one.hold.is_empty());
        let level = store.run(run).await?.row.verdict_level();
        if let (true, true, Some(level @ (Level::Look | Level::Stop))) = (holds, waived.is_empty(), level) {
            return Err(Refusal::VerdictHoldsSigning(level));
        }
        match traveller.may_sign(operation, &signed, &readings, waived) {
            Ok(()) | Err(SigningRefusal::Signed) => {
                store.sign(run, actor.person, operation, waived).await?;
                // A link that follows the run learns whether it is closed now.
                self.winders.notify(run);
                Ok(())
            }
            Err(why) => Err(Refusal::NotSigned(why)),
        }
    }

    /// The traveller of a format, and whether it is the workshop's own.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn format_traveller(&self, actor: &Actor, kind: Format) -> Result<(Traveller, bool), Refusal> {
        actor.require(Action::ReadRuns)?;
        let own = self.store_of(actor).traveller(kind.word()).await?;
        let is_own = own.is_some();
        // With all that a pickup of the format may need: what a workshop does not do it strikes out.
        let usual = || {
            let mut design = starting_point(kind, "usual", 6, 10.0);
            design.potting = Some(Potting { medium: Medium::Wax, fill: 1.0 });
            Traveller::usual(&design)
        };
        Ok((own.unwrap_or_else(usual), is_own))
    }

    /// Saves the workshop's own traveller of a format, checked before; `None` restores the usual one.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn save_format_traveller(
        &self,
        actor: &Actor,
        kind: Format,
        traveller: Option<&Traveller>,
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeTravellers)?;
        Ok(self.store_of(actor).keep_traveller(actor.person, kind.word(), traveller).await?)
    }
}
