//! Signing in at a provider of OpenID Connect (Core 1.0, authorization code flow with PKCE, RFC 7636): the browser goes to the provider and
//! comes back with a code, which is exchanged here for a signed statement of who that was.

use http_body_util::{BodyExt as _, Full, LengthLimitError, Limited};
use hyper_rustls::{ConfigBuilderExt as _, HttpsConnector, HttpsConnectorBuilder};
use hyper_util::client::legacy::Client;
use hyper_util::client::legacy::connect::HttpConnector;
use hyper_util::rt::TokioExecutor;
use openidconnect::core::{
    CoreAuthDisplay, CoreAuthPrompt, CoreAuthenticationFlow, CoreClientAuthMethod, CoreErrorResponseType,
    CoreGenderClaim, CoreJsonWebKey, CoreJweContentEncryptionAlgorithm, CoreJwsSigningAlgorithm,
    CoreProviderMetadata, CoreRevocableToken, CoreRevocationErrorResponse, CoreTokenIntrospectionResponse,
    CoreTokenType,
};
use openidconnect::{
    AccessTokenHash, AdditionalClaims, AuthType, AuthorizationCode, ClientId, ClientSecret, CsrfToken,
    EmptyExtraTokenFields, EndpointMaybeSet, EndpointNotSet, EndpointSet, HttpRequest, HttpResponse,
    IdTokenFields, IssuerUrl, Nonce, OAuth2TokenResponse as _, PkceCodeChallenge, PkceCodeVerifier,
    RedirectUrl, Scope, StandardErrorResponse, StandardTokenResponse, TokenResponse as _,
};
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};
use std::sync::Arc;
use std::time::{Duration, Instant};
use thiserror::Error;
use tokio::sync::RwLock;
use url::{Host, Url};

/// Longest answer of a provider, bytes.
const LONGEST_ANSWER: usize = 256 << 10;
/// How long a provider may take to answer.
const PATIENCE: Duration = Duration::from_secs(10);
/// How long its description and its keys are kept.
const KEPT_FOR: Duration = Duration::from_mins(10);
/// Keys that are younger are not fetched again for a signature that they do not fit.
const YOUNGEST_KEPT: Duration = Duration::from_secs(20);
/// Longest subject, in letters (Core 1.0, section 2).
const LONGEST_SUBJECT: usize = 255;
/// Signatures that are believed: those that take the provider's own private key.
const SIGNATURES: [CoreJwsSigningAlgorithm; 9] = [
    CoreJwsSigningAlgorithm::RsaSsaPkcs1V15Sha256,
    CoreJwsSigningAlgorithm::RsaSsaPkcs1V15Sha384,
    CoreJwsSigningAlgorithm::RsaSsaPkcs1V15Sha512,
    CoreJwsSigningAlgorithm::RsaSsaPssSha256,
    CoreJwsSigningAlgorithm::RsaSsaPssSha384,
    CoreJwsSigningAlgorithm::RsaSsaPssSha512,
    CoreJwsSigningAlgorithm::EcdsaP256Sha256,
    CoreJwsSigningAlgorithm::EcdsaP384Sha384,
    CoreJwsSigningAlgorithm::EdDsa,
];

/// A provider, as the configuration names it.
#[derive(Clone, PartialEq, Eq)]
pub struct ProviderSettings {
    /// What people call it, on the button.
    pub name: String,
    /// Its address, as it names itself.
    pub issuer: String,
    /// What it knows this program by.
    pub client_id: String,
    /// What this program proves that with.
    pub client_secret: String,
}

impl std::fmt::Debug for ProviderSettings {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("ProviderSettings").field("issuer", &self.issuer).finish_non_exhaustive()
    }
}

/// Why nobody is signed in by a provider.
#[derive(Clone, Debug, Error, PartialEq, Eq)]
pub enum OpenIdError {
    /// The configuration cannot be used.
    #[error("{0}")]
    Settings(String),
    /// It does not answer, or not as a provider does.
    #[error("the provider does not answer: {0}")]
    Away(String),
    /// It does not sign anybody in.
    #[error("the provider refuses: {0}")]
    Refused(String),
    /// What it says is not of this provider, this program, this sign-in or this moment.
    #[error("the provider's statement does not prove it: {0}")]
    NotProven(String),
}

/// A sign-in that was begun: kept by the server until the browser comes back.
#[derive(Clone, Serialize, Deserialize)]
pub struct StartedSignIn {
    state: String,
    nonce: String,
    verifier: String,
}

impl std::fmt::Debug for StartedSignIn {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("StartedSignIn")
    }
}

/// Who somebody is, as a provider says.
#[derive(Clone, Debug, PartialEq)]
pub struct ExternalIdentity {
    /// The provider.
    pub issuer: String,
    /// What it calls them: unique there, and never given to another.
    pub subject: String,
    /// Their name, as people read it; empty where it says none.
    pub name: String,
    /// What they are called at signing in there; empty where it says none.
    pub user_name: String,
    /// Whether it asked for more than one factor (`mfa`, RFC 8176).
    pub has_second_factor: bool,
    claims: Map<String, Value>,
}

impl ExternalIdentity {
    /// The words of a claim: of a text the text, of a list its texts; of a claim within others by `outer.inner`.
    #[must_use]
    pub fn words(&self, claim: &str) -> Vec<String> {
        let whole = self.claims.get(claim);
        let value = whole.or_else(|| {
            let mut parts = claim.split('.');
            let first = self.claims.get(parts.next()?)?;
            parts.try_fold(first, |value, part| value.get(part))
        });
        match value {
            Some(Value::String(word)) => vec![word.clone()],
            Some(Value::Array(all)) => all.iter().filter_map(Value::as_str).map(str::to_owned).collect(),
            _ => Vec::new(),
        }
    }
}

/// What a statement says beside what the standard names.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
struct OtherClaims {
    #[serde(flatten)]
    all: Map<String, Value>,
}

impl AdditionalClaims for OtherClaims {}

type Tokens = StandardTokenResponse<
    IdTokenFields<
        OtherClaims,
        EmptyExtraTokenFields,
        CoreGenderClaim,
        CoreJweContentEncryptionAlgorithm,
        CoreJwsSigningAlgorithm,
    >,
    CoreTokenType,
>;

type ProviderClient = openidconnect::Client<
    OtherClaims,
    CoreAuthDisplay,
    CoreGenderClaim,
    CoreJweContentEncryptionAlgorithm,
    CoreJsonWebKey,
    CoreAuthPrompt,
    StandardErrorResponse<CoreErrorResponseType>,
    Tokens,
    CoreTokenIntrospectionResponse,
    CoreRevocableToken,
    CoreRevocationErrorResponse,
    EndpointSet,
    EndpointNotSet,
    EndpointNotSet,
    EndpointNotSet,
    EndpointMaybeSet,
    EndpointMaybeSet,
>;

/// Why a request came to nothing.
#[derive(Debug, Error)]
enum TransportError {
    #[error("{0}")]
    Request(#[from] hyper_util::client::legacy::Error),
    #[error("no answer within {} s", PATIENCE.as_secs())]
    Slow,
    #[error("its answer ends early or is too long")]
    Body,
    #[error("it names an address without TLS")]
    Clear,
}

type Transport = Client<HttpsConnector<HttpConnector>, Full<hyper::body::Bytes>>;

/// A provider of OpenID Connect.
#[derive(Clone)]
pub struct OpenIdProvider {
    settings: Arc<ProviderSettings>,
    transport: Transport,
    /// Its description with its keys, and since when it is kept.
    known: Arc<RwLock<Option<(CoreProviderMetadata, Instant)>>>,
}

impl std::fmt::Debug for OpenIdProvider {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("OpenIdProvider").field("settings", &self.settings).finish_non_exhaustive()
    }
}

/// Whether what is sent to an address cannot be read on the way.
fn is_protected(url: &Url) -> bool {
    let is_loopback = match url.host() {
        Some(Host::Domain(name)) => name == "localhost",
        Some(Host::Ipv4(address)) => address.is_loopback(),
        Some(Host::Ipv6(address)) => address.is_loopback(),
        None => false,
    };
    url.scheme() == "https" || (url.scheme() == "http" && is_loopback)
}

fn settings_error(error: impl std::fmt::Display) -> OpenIdError {
    OpenIdError::Settings(error.to_string())
}

fn not_proven(error: impl std::fmt::Display) -> OpenIdError {
    OpenIdError::NotProven(error.to_string())
}

async fn send(transport: Transport, request: HttpRequest) -> Result<HttpResponse, TransportError> {
    // A provider's own description names further addresses: the code and the secret go to none that can be read on the way.
    let is_safe = Url::parse(&request.uri().to_string()).is_ok_and(|url| is_protected(&url));
    if !is_safe {
        return Err(TransportError::Clear);
    }
    let whole = async {
        let answer = transport.request(request.map(Full::from)).await?;
        let (head, body) = answer.into_parts();
        let read = Limited::new(body, LONGEST_ANSWER).collect().await;
        let body = read.map_err(|error| {
            if error.downcast_ref::<LengthLimitError>().is_none() {
                tracing::warn!(%error, "a provider's answer ended early");
            }
            TransportError::Body
        })?;
        Ok(HttpResponse::from_parts(head, body.to_bytes().to_vec()))
    };
    tokio::time::timeout(PATIENCE, whole).await.map_err(|_elapsed| TransportError::Slow)?
}

impl OpenIdProvider {
    /// A provider by its settings; it is not asked yet.
    ///
    /// # Errors
    /// [`OpenIdError::Settings`] for an address without TLS that is not on this machine, and where the system has no certificates to
    /// check the provider's by.
    pub fn new(settings: ProviderSettings) -> Result<Self, OpenIdError> {
        let issuer = Url::parse(&settings.issuer).map_err(settings_error)?;
        if !is_protected(&issuer) {
            return Err(settings_error("the address of a provider begins with https://"));
        }
        let tls =
            rustls::ClientConfig::builder_with_provider(Arc::new(rustls::crypto::ring::default_provider()))
                .with_safe_default_protocol_versions()
                .map_err(settings_error)?;
        // On a machine without certificates a provider on the machine itself can still be used.
        let tls = match tls.clone().with_native_roots() {
            Ok(tls) => tls.with_no_client_auth(),
            Err(error) if issuer.scheme() == "https" => return Err(settings_error(error)),
            Err(_) => tls.with_root_certificates(rustls::RootCertStore::empty()).with_no_client_auth(),
        };
        let connector =
            HttpsConnectorBuilder::new().with_tls_config(tls).https_or_http().enable_http1().build();
        let transport = Client::builder(TokioExecutor::new()).build(connector);
        Ok(Self { settings: Arc::new(settings), transport, known: Arc::default() })
    }

    /// What people call it.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.settings.name
    }

    /// Its address.
    #[must_use]
    pub fn issuer(&self) -> &str {
        &self.settings.issuer
    }

    /// Its description, kept or fetched; fetched anew where what is kept is older than `oldest`.
    async fn metadata(&self, oldest: Duration) -> Result<CoreProviderMetadata, OpenIdError> {
        if let Some((known, since)) = &*self.known.read().await
            && since.elapsed() < oldest
        {
            return Ok(known.clone());
        }
        let mut known = self.known.write().await;
        // Others may have waited for the same.
        if let Some((found, since)) = &*known
            && since.elapsed() < oldest
        {
            return Ok(found.clone());
        }
        let issuer = IssuerUrl::new(self.settings.issuer.clone()).map_err(settings_error)?;
        let client = |request| send(self.transport.clone(), request);
        let found = CoreProviderMetadata::discover_async(issuer, &client).await;
        let found = found.map_err(|error| OpenIdError::Away(reasons(&error)))?;
        *known = Some((found.clone(), Instant::now()));
        Ok(found)
    }

    fn client(&self, metadata: CoreProviderMetadata, back: &str) -> Result<ProviderClient, OpenIdError> {
        let methods = metadata.token_endpoint_auth_methods_supported().cloned().unwrap_or_default();
        let in_body = !methods.is_empty() && !methods.contains(&CoreClientAuthMethod::ClientSecretBasic);
        let client = ProviderClient::from_provider_metadata(
            metadata,
            ClientId::new(self.settings.client_id.clone()),
            Some(ClientSecret::new(self.settings.client_secret.clone())),
        );
        let back = RedirectUrl::new(back.to_owned()).map_err(settings_error)?;
        let auth = if in_body { AuthType::RequestBody } else { AuthType::BasicAuth };
        Ok(client.set_redirect_uri(back).set_auth_type(auth))
    }

    /// Begins a sign-in: where the browser is sent, and what is kept here until it comes back to `back`.
    ///
    /// # Errors
    /// [`OpenIdError::Away`].
    pub async fn begin(&self, back: &str) -> Result<(String, StartedSignIn), OpenIdError> {
        let client = self.client(self.metadata(KEPT_FOR).await?, back)?;
        let (challenge, verifier) = PkceCodeChallenge::new_random_sha256();
        let (address, state, nonce) = client
            .authorize_url(
                CoreAuthenticationFlow::AuthorizationCode,
                CsrfToken::new_random,
                Nonce::new_random,
            )
            .add_scope(Scope::new("profile".to_owned()))
            .set_pkce_challenge(challenge)
            .url();
        if !is_protected(&address) {
            return Err(OpenIdError::Away("it names an address without TLS".to_owned()));
        }
        let started = StartedSignIn {
            state: state.into_secret(),
            nonce: nonce.secret().clone(),
            verifier: verifier.into_secret(),
        };
        Ok((address.into(), started))
    }

    /// Ends a sign-in with what the browser came back with.
    ///
    /// # Errors
    /// Any but [`OpenIdError::Settings`].
    pub async fn finish(
        &self,
        back: &str,
        started: StartedSignIn,
        state: &str,
        code: &str,
    ) -> Result<ExternalIdentity, OpenIdError> {
        let is_ours = ring::digest::digest(&ring::digest::SHA256, started.state.as_bytes()).as_ref()
            == ring::digest::digest(&ring::digest::SHA256, state.as_bytes()).as_ref();
        if !is_ours {
            return Err(not_proven("it answers another sign-in"));
        }
        let client = self.client(self.metadata(KEPT_FOR).await?, back)?;
        let transport = |request| send(self.transport.clone(), request);
        let exchange = client
            .exchange_code(AuthorizationCode::new(code.to_owned()))
            .map_err(|error| OpenIdError::Away(error.to_string()))?;
        let exchange = exchange.set_pkce_verifier(PkceCodeVerifier::new(started.verifier));
        let tokens: Tokens = exchange.request_async(&transport).await.map_err(|error| match error {
            openidconnect::RequestTokenError::ServerResponse(answer) => {
                OpenIdError::Refused(answer.to_string())
            }
            other => OpenIdError::Away(reasons(&other)),
        })?;
        let nonce = Nonce::new(started.nonce);
        match self.identity(&client, &tokens, &nonce) {
            // A provider may have changed its keys since they were fetched.
            Err(OpenIdError::NotProven(_)) => {
                let client = self.client(self.metadata(YOUNGEST_KEPT).await?, back)?;
                self.identity(&client, &tokens, &nonce)
            }
            known => known,
        }
    }

    fn identity(
        &self,
        client: &ProviderClient,
        tokens: &Tokens,
        nonce: &Nonce,
    ) -> Result<ExternalIdentity, OpenIdError> {
        let statement = tokens.id_token().ok_or_else(|| not_proven("there is none"))?;
        let verifier = client.id_token_verifier().set_allowed_algs(SIGNATURES);
        let claims = statement.claims(&verifier, nonce).map_err(|error| not_proven(reasons(&error)))?;
        if let Some(expected) = claims.access_token_hash() {
            let algorithm = statement.signing_alg().map_err(not_proven)?;
            let key = statement.signing_key(&verifier).map_err(not_proven)?;
            let found =
                AccessTokenHash::from_token(tokens.access_token(), algorithm, key).map_err(not_proven)?;
            if found != *expected {
                return Err(not_proven("it is of another token"));
            }
        }
        let subject = claims.subject().as_str();
        if subject.is_empty() || subject.chars().count() > LONGEST_SUBJECT {
            return Err(not_proven("its subject is none"));
        }
        let name = claims.name().and_then(|names| names.get(None)).map(|name| name.as_str().to_owned());
        let user_name = claims.preferred_username().map(|name| name.as_str().to_owned());
        let methods = claims.auth_method_refs().map(Vec::as_slice).unwrap_or_default();
        Ok(ExternalIdentity {
            issuer: self.settings.issuer.clone(),
            subject: subject.to_owned(),
            name: name.unwrap_or_default(),
            user_name: user_name.unwrap_or_default(),
            has_second_factor: methods.iter().any(|method| method.as_str() == "mfa"),
            claims: claims.additional_claims().all.clone(),
        })
    }
}

/// An error with what led to it.
fn reasons(error: &dyn std::error::Error) -> String {
    let mut text = error.to_string();
    let mut inner = error.source();
    while let Some(error) = inner {
        text = format!("{text}: {error}");
        inner = error.source();
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;
    use serde_json::json;

    fn settings(issuer: &str) -> ProviderSettings {
        ProviderSettings {
            name: "Sedge Lane".into(),
            issuer: issuer.into(),
            client_id: "filamentum".into(),
            client_secret: "seven thousand turns".into(),
        }
    }

    #[rstest]
    #[case("https://accounts.example", true)]
    #[case("http://127.0.0.1:8095", true)]
    #[case("http://[::1]:8095", true)]
    #[case("http://localhost:8095", true)]
    #[case("http://accounts.example", false)]
    #[case("http://127.0.0.1.rebound.example", false)]
    #[case("ftp://accounts.example", false)]
    #[case("accounts.example", false)]
    fn nothing_is_sent_in_clear_to_another_machine(#[case] issuer: &str, #[case] is_taken: bool) {
        let found = OpenIdProvider::new(settings(issuer));
        assert_eq!(found.is_ok(), is_taken, "{found:?}");
        assert!(!format!("{found:?}").contains("seven thousand"));
    }

    #[rstest]
    #[case("groups", &["owners", "staff"])]
    #[case("role", &["owners"])]
    #[case("realm_access.roles", &["wind"])]
    #[case("https://shop.example/roles", &["a.b"])]
    #[case("count", &[])]
    #[case("realm_access", &[])]
    #[case("", &[])]
    fn a_claim_has_words(#[case] claim: &str, #[case] words: &[&str]) {
        let claims = json!({
            "groups": ["owners", 7, "staff"], "role": "owners", "count": 7,
            "realm_access": {"roles": ["wind"]}, "https://shop.example/roles": ["a.b"],
        });
        let identity = ExternalIdentity {
            issuer: String::new(),
            subject: String::new(),
            name: String::new(),
            user_name: String::new(),
            has_second_factor: false,
            claims: claims.as_object().unwrap().clone(),
        };
        assert_eq!(identity.words(claim), words);
    }
}
