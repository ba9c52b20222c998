//! Proofs of who somebody is that are made elsewhere: a passkey, which the person's own device makes, and a sign-in at a provider of
//! OpenID Connect. Who that is in a workshop, and what they may do, is the use cases' to say.
#![deny(missing_docs)]

mod open_id;
mod passkey;
pub mod stand_in;

pub use open_id::{ExternalIdentity, OpenIdError, OpenIdProvider, ProviderSettings, StartedSignIn};
pub use passkey::{HANDLE_BYTES, NewPasskey, PasskeyError, PasskeySite, UserHandle};
