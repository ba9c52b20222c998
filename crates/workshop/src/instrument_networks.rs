//! Where a workshop's instruments may be. Whoever names an instrument's address makes the server connect to it, so the
//! owner says which networks and ports those are; the machine itself is never among them, but for the simulated bench
//! that the program starts.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use instruments::network::{Network, is_forbidden};
use std::net::SocketAddr;
use std::time::Duration;
use store::instrument::Instrument;

/// How long a name may take to be found.
const LOOKUP: Duration = Duration::from_secs(3);

impl Workshop {
    /// The networks that instruments may be in: number and network.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn instrument_networks(&self, actor: &Actor) -> Result<Vec<(u64, String)>, Refusal> {
        actor.require(Action::ReadInstruments)?;
        Ok(self.store_of(actor).instrument_networks().await?)
    }

    /// Allows a network, such as `192.168.1.0/24 5025-5030`.
    ///
    /// # Errors
    /// [`Refusal::UnusableNetwork`] when it cannot be read or may not be allowed.
    pub async fn allow_instrument_network(&self, actor: &Actor, text: &str) -> Result<(), Refusal> {
        actor.require(Action::ManageSettings)?;
        let network: Network = text.parse().map_err(Refusal::UnusableNetwork)?;
        Ok(self.store_of(actor).allow_instrument_network(actor.person, &network.to_string()).await?)
    }

    /// Allows a network no longer.
    ///
    /// # Errors
    /// When there is no such network.
    pub async fn forbid_instrument_network(&self, actor: &Actor, id: u64) -> Result<(), Refusal> {
        actor.require(Action::ManageSettings)?;
        let was_allowed = self.store_of(actor).forbid_instrument_network(actor.person, id).await?;
        if was_allowed { Ok(()) } else { Err(Refusal::NotFound("network")) }
    }

    /// An instrument with the address that it has right now as a number, checked: what is connected to is what was checked,
    /// whatever its name leads to a moment later.
    ///
    /// # Errors
    /// [`Refusal::AddressNotAllowed`] when it lies in no network that is allowed.
    pub(crate) async fn reachable(&self, actor: &Actor, of: Instrument) -> Result<Instrument, Refusal> {
        if of.simulated {
            return Ok(of);
        }
        let target = self.allowed_target(actor, &of.address).await?;
        Ok(Instrument { address: target.to_string(), ..of })
    }

    /// The first address behind a host and port that is allowed.
    ///
    /// # Errors
    /// [`Refusal::AddressNotAllowed`] when there is none.
    pub(crate) async fn allowed_target(&self, actor: &Actor, address: &str) -> Result<SocketAddr, Refusal> {
        let networks: Vec<Network> = self
            .store_of(actor)
            .instrument_networks()
            .await?
            .iter()
            .filter_map(|(_, text)| text.parse().ok())
            .collect();
        let refused = || Refusal::AddressNotAllowed(address.chars().take(80).collect());
        if networks.is_empty() {
            return Err(refused());
        }
        let found = tokio::time::timeout(LOOKUP, tokio::net::lookup_host(address)).await;
        let mut targets = found.ok().and_then(Result::ok).ok_or_else(refused)?;
        targets
            .find(|target| !is_forbidden(target.ip()) && networks.iter().any(|n| n.permits(*target)))
            .ok_or_else(refused)
    }
}
