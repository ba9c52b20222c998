//! Passkeys: key pairs that a person's device makes for this address alone, and uses after it has checked the person itself (W3C, Web
//! Authentication, level 3). The public half is kept here.

use serde_json::{Value, json};
use thiserror::Error;
use url::Url;
use uuid::Uuid;
use webauthn_rs::prelude::{
    DiscoverableAuthentication, DiscoverableKey, Passkey, PasskeyRegistration, PublicKeyCredential,
    RegisterPublicKeyCredential,
};
use webauthn_rs::{Webauthn, WebauthnBuilder};

/// Bytes of a [`UserHandle`].
pub const HANDLE_BYTES: usize = 16;

/// What a device knows a person by: random, and nothing about them.
pub type UserHandle = [u8; HANDLE_BYTES];

/// What is called in the dialogs of browsers.
const SITE_NAME: &str = "Filamentum";
/// Longest answer of a browser, bytes.
const LONGEST_ANSWER: usize = 16_384;

/// Why a passkey is not taken.
#[derive(Clone, Debug, Error, PartialEq, Eq)]
pub enum PasskeyError {
    /// The answer of the browser is none.
    #[error("the browser's answer cannot be read")]
    Unreadable,
    /// Nothing was begun that it would be an answer to.
    #[error("nothing was begun, or too long ago")]
    NotBegun,
    /// It is of another key, address, challenge or person, or the device did not check the person.
    #[error("the passkey does not prove it: {0}")]
    NotProven(String),
}

/// A key that a device made.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NewPasskey {
    /// Its identifier, unique among all devices.
    pub credential_id: Vec<u8>,
    /// What is kept of it: the public key and the state of its counter, JSON.
    pub credential: String,
}

/// The address that passkeys are made for.
#[derive(Clone)]
pub struct PasskeySite {
    webauthn: Webauthn,
    address: String,
}

impl std::fmt::Debug for PasskeySite {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("PasskeySite").field("address", &self.address).finish_non_exhaustive()
    }
}

fn refused(error: impl std::fmt::Display) -> PasskeyError {
    PasskeyError::NotProven(error.to_string())
}

fn answer<T: serde::de::DeserializeOwned>(text: &str) -> Result<T, PasskeyError> {
    if text.len() > LONGEST_ANSWER {
        return Err(PasskeyError::Unreadable);
    }
    serde_json::from_str(text).map_err(|_error| PasskeyError::Unreadable)
}

fn state<T: serde::de::DeserializeOwned>(text: &str) -> Result<T, PasskeyError> {
    serde_json::from_str(text).map_err(|_error| PasskeyError::NotBegun)
}

impl PasskeySite {
    /// For an address such as `https://pickups.example`; `None` where browsers make no passkeys: for a number in place of a name, and
    /// without TLS anywhere but on `localhost`.
    #[must_use]
    pub fn new(address: &str) -> Option<Self> {
        let url = Url::parse(address).ok()?;
        let name = url.domain()?.to_owned();
        if url.scheme() != "https" && name != "localhost" {
            return None;
        }
        let webauthn = WebauthnBuilder::new(&name, &url).ok()?.rp_name(SITE_NAME).build().ok()?;
        Some(Self { webauthn, address: address.to_owned() })
    }

    /// The address.
    #[must_use]
    pub fn address(&self) -> &str {
        &self.address
    }

    /// Begins to make a passkey for a person: what the browser is given, and what is kept here until it answers. A device that has one
    /// of the keys in `known` makes no second.
    ///
    /// # Errors
    /// [`PasskeyError::NotProven`] where the person's names cannot be used.
    pub fn begin_registration(
        &self,
        handle: UserHandle,
        sign_in: &str,
        name: &str,
        known: Vec<Vec<u8>>,
    ) -> Result<(Value, String), PasskeyError> {
        let begun =
            self.webauthn.start_passkey_registration(Uuid::from_bytes(handle), sign_in, name, Some(known));
        let (options, state) = begun.map_err(refused)?;
        let mut options = serde_json::to_value(options).map_err(refused)?;
        // The device is to find it by the address alone: nobody types a name first.
        let selection = &mut options["publicKey"]["authenticatorSelection"];
        selection["residentKey"] = json!("required");
        selection["requireResidentKey"] = json!(true);
        Ok((options, serde_json::to_string(&state).map_err(refused)?))
    }

    /// Takes the key that the browser answers with.
    ///
    /// # Errors
    /// Any [`PasskeyError`].
    pub fn finish_registration(&self, text: &str, kept: &str) -> Result<NewPasskey, PasskeyError> {
        let answer: RegisterPublicKeyCredential = answer(text)?;
        let state: PasskeyRegistration = state(kept)?;
        let made = self.webauthn.finish_passkey_registration(&answer, &state).map_err(refused)?;
        let credential = serde_json::to_string(&made).map_err(refused)?;
        Ok(NewPasskey { credential_id: made.cred_id().clone(), credential })
    }

    /// Begins to ask for a passkey of anybody: what the browser is given, and what is kept here until it answers.
    ///
    /// # Errors
    /// [`PasskeyError::NotProven`] where no challenge could be made.
    pub fn begin_sign_in(&self) -> Result<(Value, String), PasskeyError> {
        let (options, state) = self.webauthn.start_discoverable_authentication().map_err(refused)?;
        let mut options = serde_json::to_value(options).map_err(refused)?;
        // The person presses a button; nothing is offered in a field.
        if let Some(object) = options.as_object_mut() {
            object.remove("mediation");
        }
        Ok((options, serde_json::to_string(&state).map_err(refused)?))
    }

    /// Which key an answer claims to be of, and whose: not proven yet.
    ///
    /// # Errors
    /// [`PasskeyError::Unreadable`].
    pub fn claimed(&self, text: &str) -> Result<(UserHandle, Vec<u8>), PasskeyError> {
        let answer: PublicKeyCredential = answer(text)?;
        let (handle, id) = self
            .webauthn
            .identify_discoverable_authentication(&answer)
            .map_err(|_error| PasskeyError::Unreadable)?;
        Ok((*handle.as_bytes(), id.to_vec()))
    }

    /// Whether an answer is of the key that is kept as `credential`, to what was begun; returns what is to be kept of the key from now
    /// on, where it changed.
    ///
    /// # Errors
    /// Any [`PasskeyError`].
    pub fn finish_sign_in(
        &self,
        text: &str,
        kept: &str,
        credential: &str,
    ) -> Result<Option<String>, PasskeyError> {
        let answer: PublicKeyCredential = answer(text)?;
        let state: DiscoverableAuthentication = state(kept)?;
        let mut passkey: Passkey = serde_json::from_str(credential).map_err(refused)?;
        let key = DiscoverableKey::from(&passkey);
        let found =
            self.webauthn.finish_discoverable_authentication_v2(&answer, state, &key).map_err(refused)?;
        // The device checks the person itself, by a finger or a PIN: the key alone is one factor only.
        if !found.user_verified() {
            return Err(refused("the device did not check who holds it"));
        }
        match passkey.update_credential(&found) {
            Some(true) => Ok(Some(serde_json::to_string(&passkey).map_err(refused)?)),
            Some(false) => Ok(None),
            None => Err(refused("it is another key")),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// Web Authentication, level 3, 5.1.3: an effective domain, in a secure context; W3C, Secure Contexts, 3.1: `localhost` is one.
    #[rstest]
    #[case("https://pickups.example", true)]
    #[case("https://pickups.example:8443", true)]
    #[case("http://localhost:8090", true)]
    #[case("http://pickups.example", false)]
    #[case("http://127.0.0.1:8090", false)]
    #[case("https://192.168.1.5", false)]
    #[case("https://[::1]:8090", false)]
    #[case("pickups.example", false)]
    fn browsers_make_passkeys_for_names_over_tls(#[case] address: &str, #[case] is_made: bool) {
        assert_eq!(PasskeySite::new(address).is_some(), is_made);
    }

    /// Web Authentication, level 3, 5.4 and 5.5: what a browser reads.
    #[test]
    fn a_browser_is_asked_to_check_the_person_and_to_keep_the_key() {
        let site = PasskeySite::new("https://pickups.example").unwrap();
        let (options, _) =
            site.begin_registration([7; 16], "ode", "Ode Farrow", vec![vec![1, 2, 3]]).unwrap();
        let options = &options["publicKey"];
        assert_eq!(options["rp"]["id"], "pickups.example");
        assert_eq!(options["authenticatorSelection"]["residentKey"], "required");
        assert_eq!(options["authenticatorSelection"]["userVerification"], "required");
        assert_eq!(options["excludeCredentials"][0]["id"], "AQID");
        // 16 bytes of a challenge at least (13.4.3).
        assert!(options["challenge"].as_str().unwrap().len() >= 22);
        let (asked, _) = site.begin_sign_in().unwrap();
        assert_eq!(asked["publicKey"]["userVerification"], "required");
        assert_eq!(asked["publicKey"]["rpId"], "pickups.example");
        assert_eq!(asked.get("mediation"), None);
    }

    #[test]
    fn nonsense_proves_nothing() {
        let site = PasskeySite::new("https://pickups.example").unwrap();
        let (_, kept) = site.begin_sign_in().unwrap();
        for text in ["", "{}", "null", &"[".repeat(20_000)] {
            assert_eq!(site.claimed(text), Err(PasskeyError::Unreadable));
            assert_eq!(site.finish_sign_in(text, &kept, "{}"), Err(PasskeyError::Unreadable));
            assert_eq!(site.finish_registration(text, "{}"), Err(PasskeyError::Unreadable));
        }
    }
}
