//! A stand-in for a provider of OpenID Connect, for a machine's own use: it asks who somebody is and believes them. It is there to try
//! single sign-on with, in the demo and in tests, and can be told to lie.
//!
//! Its statements are written and signed here byte by byte (RFC 7515, RFC 7518), without the library that checks them.

use http_body_util::{BodyExt as _, Full, Limited};
use hyper::body::{Bytes, Incoming};
use hyper::header::{AUTHORIZATION, CONTENT_TYPE, HeaderValue, LOCATION};
use hyper::server::conn::http1;
use hyper::service::service_fn;
use hyper::{Method, Request, Response, StatusCode};
use hyper_util::rt::TokioIo;
use rand::RngExt as _;
use ring::rand::SystemRandom;
use ring::signature::{ECDSA_P256_SHA256_FIXED_SIGNING, EcdsaKeyPair, KeyPair as _};
use serde_json::{Value, json};
use sha2::{Digest as _, Sha256};
use std::collections::{BTreeMap, HashMap};
use std::convert::Infallible;
use std::fmt::Write as _;
use std::net::SocketAddr;
use std::sync::{Arc, Mutex, PoisonError};
use time::OffsetDateTime;
use tokio::net::TcpListener;
use url::Url;
use url::form_urlencoded;

/// Longest body taken, bytes.
const LONGEST: usize = 16_384;
/// How long a statement holds, seconds.
const HOLDS_S: i64 = 300;
/// Most codes that wait to be exchanged.
const MOST_CODES: usize = 256;

/// Somebody who can sign in here.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StandInPerson {
    /// What the provider calls them.
    pub subject: String,
    /// Their name.
    pub name: String,
    /// What they are called at signing in.
    pub user_name: String,
    /// What the claim `groups` says.
    pub groups: Vec<String>,
    /// Whether they show a second factor.
    pub has_second_factor: bool,
}

/// How the stand-in lies.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Lie {
    /// The statement is of another sign-in.
    OtherNonce,
    /// It is for another program.
    OtherAudience,
    /// It is of another provider.
    OtherIssuer,
    /// It ran out an hour ago.
    Expired,
    /// Somebody else signed it.
    OtherKey,
    /// Nobody signed it (`none`, RFC 7518, section 3.6).
    Unsigned,
    /// It is signed with the program's own secret (`HS256`).
    OurOwnSecret,
    /// It is changed after it was signed.
    Changed,
    /// It is of another access token.
    OtherToken,
    /// There is none.
    Missing,
    /// The answer has no end.
    Endless,
}

struct Code {
    person: StandInPerson,
    nonce: String,
    challenge: String,
    back: String,
}

struct Inner {
    issuer: String,
    client_id: String,
    client_secret: String,
    people: Vec<StandInPerson>,
    key: EcdsaKeyPair,
    codes: Mutex<HashMap<String, Code>>,
    lie: Mutex<Option<Lie>>,
}

/// The stand-in.
#[derive(Clone)]
pub struct StandInProvider {
    inner: Arc<Inner>,
}

impl std::fmt::Debug for StandInProvider {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("StandInProvider").field("issuer", &self.inner.issuer).finish_non_exhaustive()
    }
}

type Answer = Response<Full<Bytes>>;

/// Without padding (RFC 7515, appendix C).
fn base64url(bytes: &[u8]) -> String {
    const DIGITS: &[u8; 64] = b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_";
    let mut text = String::new();
    for group in bytes.chunks(3) {
        let bits =
            group.iter().fold(0_u32, |bits, byte| bits << 8 | u32::from(*byte)) << (8 * (3 - group.len()));
        for k in 0..=group.len() {
            text.push(char::from(DIGITS[(bits >> (18 - 6 * k) & 63) as usize]));
        }
    }
    text
}

fn random() -> String {
    let bytes: [u8; 24] = rand::rng().random();
    base64url(&bytes)
}

fn new_key() -> EcdsaKeyPair {
    let random = SystemRandom::new();
    let made = EcdsaKeyPair::generate_pkcs8(&ECDSA_P256_SHA256_FIXED_SIGNING, &random);
    made.ok()
        .and_then(|key| {
            EcdsaKeyPair::from_pkcs8(&ECDSA_P256_SHA256_FIXED_SIGNING, key.as_ref(), &random).ok()
        })
        .expect("a machine that has random numbers")
}

fn page(status: StatusCode, kind: &'static str, body: impl Into<Bytes>) -> Answer {
    let mut answer = Response::new(Full::new(body.into()));
    *answer.status_mut() = status;
    answer.headers_mut().insert(CONTENT_TYPE, HeaderValue::from_static(kind));
    answer
}

fn as_json(status: StatusCode, value: &Value) -> Answer {
    page(status, "application/json", value.to_string())
}

fn wrong(why: &str) -> Answer {
    page(StatusCode::BAD_REQUEST, "text/plain; charset=utf-8", why.to_owned())
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

fn fields(text: &str) -> BTreeMap<String, String> {
    form_urlencoded::parse(text.as_bytes()).into_owned().collect()
}

impl StandInProvider {
    /// A stand-in that answers on an address, for one program and these people.
    #[must_use]
    pub fn new(
        address: SocketAddr,
        (client_id, client_secret): (&str, &str),
        people: Vec<StandInPerson>,
    ) -> Self {
        let inner = Inner {
            issuer: format!("http://{address}"),
            client_id: client_id.to_owned(),
            client_secret: client_secret.to_owned(),
            people,
            key: new_key(),
            codes: Mutex::default(),
            lie: Mutex::default(),
        };
        Self { inner: Arc::new(inner) }
    }

    /// What it calls itself.
    #[must_use]
    pub fn issuer(&self) -> &str {
        &self.inner.issuer
    }

    /// How it lies from now on; `None` for the truth.
    pub fn lie(&self, lie: Option<Lie>) {
        *self.inner.lie.lock().unwrap_or_else(PoisonError::into_inner) = lie;
    }

    /// What a browser comes back with, `state` and `code`, that was sent to `address` and says that it is somebody.
    #[must_use]
    pub fn sign_in(&self, address: &str, subject: &str) -> Option<(String, String)> {
        let mut query = fields(Url::parse(address).ok()?.query()?);
        query.insert("subject".to_owned(), subject.to_owned());
        let answer = self.send_back(&query);
        let back = Url::parse(answer.headers().get(LOCATION)?.to_str().ok()?).ok()?;
        let mut back = fields(back.query()?);
        Some((back.remove("state")?, back.remove("code")?))
    }

    fn is_lying(&self, lie: Lie) -> bool {
        *self.inner.lie.lock().unwrap_or_else(PoisonError::into_inner) == Some(lie)
    }

    /// Answers on a listener until the task is ended.
    pub async fn serve(self, listener: TcpListener) {
        while let Ok((stream, _)) = listener.accept().await {
            let provider = self.clone();
            tokio::spawn(async move {
                let answer = service_fn(move |request| {
                    let provider = provider.clone();
                    async move { Ok::<_, Infallible>(provider.answer(request).await) }
                });
                // A client that disconnects needs no answer.
                let _ = http1::Builder::new().serve_connection(TokioIo::new(stream), answer).await;
            });
        }
    }

    async fn answer(&self, request: Request<Incoming>) -> Answer {
        let query = fields(request.uri().query().unwrap_or_default());
        let path = request.uri().path().to_owned();
        match (request.method(), path.as_str()) {
            (&Method::GET, "/.well-known/openid-configuration") => self.description(),
            (&Method::GET, "/keys") => {
                as_json(StatusCode::OK, &json!({ "keys": [public_half(&self.inner.key)] }))
            }
            (&Method::GET, "/authorize") => self.who_are_you(&query),
            (&Method::GET, "/authorize/as") => self.send_back(&query),
            (&Method::POST, "/token") => {
                let sent =
                    request.headers().get(AUTHORIZATION).and_then(|v| v.to_str().ok()).map(str::to_owned);
                match Limited::new(request.into_body(), LONGEST).collect().await {
                    Ok(body) => {
                        let body = String::from_utf8_lossy(&body.to_bytes()).into_owned();
                        self.exchange(sent.as_deref(), &fields(&body))
                    }
                    Err(_) => wrong("too long"),
                }
            }
            (&Method::GET, "/favicon.ico") => page(StatusCode::NO_CONTENT, "image/x-icon", ""),
            _ => page(StatusCode::NOT_FOUND, "text/plain", "There is nothing here."),
        }
    }

    /// OpenID Connect Discovery 1.0, section 3.
    fn description(&self) -> Answer {
        let issuer = &self.inner.issuer;
        as_json(
            StatusCode::OK,
            &json!({
                "issuer": issuer,
                "authorization_endpoint": format!("{issuer}/authorize"),
                "token_endpoint": format!("{issuer}/token"),
                "jwks_uri": format!("{issuer}/keys"),
                "response_types_supported": ["code"],
                "subject_types_supported": ["public"],
                "id_token_signing_alg_values_supported": ["ES256"],
                "code_challenge_methods_supported": ["S256"],
            }),
        )
    }

    fn checked(&self, query: &BTreeMap<String, String>) -> Result<(), &'static str> {
        let is = |name: &str, value: &str| query.get(name).is_some_and(|found| found == value);
        if !is("client_id", &self.inner.client_id) {
            Err("This program is not known here.")
        } else if !is("response_type", "code") || !is("code_challenge_method", "S256") {
            Err("Only the flow with a code and S256 is known here.")
        } else if !query.get("scope").is_some_and(|all| all.split(' ').any(|one| one == "openid")) {
            Err("This is not OpenID Connect: its scope has no openid.")
        } else {
            Ok(())
        }
    }

    fn who_are_you(&self, query: &BTreeMap<String, String>) -> Answer {
        if let Err(why) = self.checked(query) {
            return wrong(why);
        }
        let mut list = String::new();
        for person in &self.inner.people {
            let mut sent = form_urlencoded::Serializer::new(String::new());
            sent.extend_pairs(query).append_pair("subject", &person.subject);
            let to = escaped(&sent.finish());
            let (name, groups) = (escaped(&person.name), escaped(&person.groups.join(", ")));
            let _ = write!(list, "<li><a href=\"/authorize/as?{to}\">{name}</a> ({groups})</li>");
        }
        let body = format!(
            "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width\">\
             <title>Stand-in provider</title><body style=\"font: 18px/1.8 sans-serif; max-width: 36em; margin: 3em auto; padding: 0 1em\">\
             <h1>Who are you?</h1><p>This stands in for a provider of single sign-on. It believes whatever you say.</p>\
             <ul>{list}</ul>"
        );
        page(StatusCode::OK, "text/html; charset=utf-8", body)
    }

    fn send_back(&self, query: &BTreeMap<String, String>) -> Answer {
        if let Err(why) = self.checked(query) {
            return wrong(why);
        }
        let text = |name: &str| query.get(name).cloned().unwrap_or_default();
        let subject = text("subject");
        let person = self.inner.people.iter().find(|person| person.subject == subject);
        let back = Url::parse(&text("redirect_uri"));
        let (Some(person), Ok(mut back)) = (person, back) else { return wrong("Nobody, or nowhere to go.") };
        let code = random();
        let kept = Code {
            person: person.clone(),
            nonce: text("nonce"),
            challenge: text("code_challenge"),
            back: text("redirect_uri"),
        };
        let mut codes = self.inner.codes.lock().unwrap_or_else(PoisonError::into_inner);
        if codes.len() >= MOST_CODES {
            codes.clear();
        }
        codes.insert(code.clone(), kept);
        back.query_pairs_mut().append_pair("code", &code).append_pair("state", &text("state"));
        let mut answer = page(StatusCode::SEE_OTHER, "text/plain", "");
        if let Ok(value) = HeaderValue::from_str(back.as_str()) {
            answer.headers_mut().insert(LOCATION, value);
        }
        answer
    }

    /// RFC 6749, section 4.1.3, with RFC 7636, section 4.6.
    fn exchange(&self, sent: Option<&str>, form: &BTreeMap<String, String>) -> Answer {
        let refuse = |code: &str| as_json(StatusCode::BAD_REQUEST, &json!({ "error": code }));
        let pair = format!(
            "{}:{}",
            form_urlencoded::byte_serialize(self.inner.client_id.as_bytes()).collect::<String>(),
            form_urlencoded::byte_serialize(self.inner.client_secret.as_bytes()).collect::<String>()
        );
        // Compared as they are written, so that nothing has to be decoded.
        let expected = base64url(pair.as_bytes()).replace('-', "+").replace('_', "/");
        let is_program = sent
            .and_then(|value| value.strip_prefix("Basic "))
            .is_some_and(|value| value.trim_end_matches('=') == expected);
        if !is_program {
            return refuse("invalid_client");
        }
        let text = |name: &str| form.get(name).map(String::as_str).unwrap_or_default();
        // A code holds once, whatever comes of it.
        let code = self.inner.codes.lock().unwrap_or_else(PoisonError::into_inner).remove(text("code"));
        let Some(code) = code else { return refuse("invalid_grant") };
        let is_same = base64url(&Sha256::digest(text("code_verifier"))) == code.challenge;
        if !is_same || text("redirect_uri") != code.back || text("grant_type") != "authorization_code" {
            return refuse("invalid_grant");
        }
        let token = random();
        let mut answer = json!({ "access_token": token, "token_type": "Bearer", "expires_in": HOLDS_S });
        if !self.is_lying(Lie::Missing) {
            answer["id_token"] = self.statement(&code, &token).into();
        }
        if self.is_lying(Lie::Endless) {
            answer["more"] = "x".repeat(4 << 20).into();
        }
        as_json(StatusCode::OK, &answer)
    }

    /// The ID token (Core 1.0, section 2).
    fn statement(&self, code: &Code, token: &str) -> String {
        let or = |lie: Lie, said: &str, truth: &str| if self.is_lying(lie) { said } else { truth }.to_owned();
        let now = OffsetDateTime::now_utc().unix_timestamp();
        let end = if self.is_lying(Lie::Expired) { now - 3600 } else { now + HOLDS_S };
        let of_token = or(Lie::OtherToken, "another", token);
        let methods: &[&str] = if code.person.has_second_factor { &["pwd", "otp", "mfa"] } else { &["pwd"] };
        let claims = json!({
            "iss": or(Lie::OtherIssuer, "https://elsewhere.example", &self.inner.issuer),
            "aud": or(Lie::OtherAudience, "another program", &self.inner.client_id),
            "sub": code.person.subject,
            "name": code.person.name,
            "preferred_username": code.person.user_name,
            "groups": code.person.groups,
            "amr": methods,
            "nonce": or(Lie::OtherNonce, "another", &code.nonce),
            "iat": end - HOLDS_S,
            "exp": end,
            // The left half of the digest (Core 1.0, section 3.1.3.6).
            "at_hash": base64url(&Sha256::digest(of_token)[..16]),
        });
        let claims = claims.to_string();
        if self.is_lying(Lie::Unsigned) {
            return format!("{}.{}.", base64url(br#"{"alg":"none"}"#), base64url(claims.as_bytes()));
        }
        if self.is_lying(Lie::OurOwnSecret) {
            let text = format!("{}.{}", base64url(br#"{"alg":"HS256"}"#), base64url(claims.as_bytes()));
            let key = ring::hmac::Key::new(ring::hmac::HMAC_SHA256, self.inner.client_secret.as_bytes());
            return format!("{text}.{}", base64url(ring::hmac::sign(&key, text.as_bytes()).as_ref()));
        }
        let text = format!("{}.{}", base64url(br#"{"alg":"ES256","kid":"1"}"#), base64url(claims.as_bytes()));
        let other = self.is_lying(Lie::OtherKey).then(new_key);
        let key = other.as_ref().unwrap_or(&self.inner.key);
        let signature = key.sign(&SystemRandom::new(), text.as_bytes());
        let signature = signature.map(|s| base64url(s.as_ref())).unwrap_or_default();
        if self.is_lying(Lie::Changed) {
            let claims = claims.replace("\"groups\":[", "\"groups\":[\"owners\",");
            return format!(
                "{}.{}.{signature}",
                base64url(br#"{"alg":"ES256","kid":"1"}"#),
                base64url(claims.as_bytes())
            );
        }
        format!("{text}.{signature}")
    }
}

/// RFC 7517 and RFC 7518, section 6.2.1: of an uncompressed point both halves after its first byte.
fn public_half(key: &EcdsaKeyPair) -> Value {
    let point = key.public_key().as_ref();
    let half = |from: usize| base64url(point.get(from..from + 32).unwrap_or_default());
    json!({ "kty": "EC", "crv": "P-256", "use": "sig", "alg": "ES256", "kid": "1", "x": half(1), "y": half(33) })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{OpenIdError, OpenIdProvider, ProviderSettings};
    use rstest::rstest;

    /// RFC 4648, section 10, without padding; RFC 7515, appendix A.1 has the last.
    #[rstest]
    #[case("", "")]
    #[case("f", "Zg")]
    #[case("fo", "Zm8")]
    #[case("foo", "Zm9v")]
    #[case("foobar", "Zm9vYmFy")]
    #[case("{\"typ\":\"JWT\",\r\n \"alg\":\"HS256\"}", "eyJ0eXAiOiJKV1QiLA0KICJhbGciOiJIUzI1NiJ9")]
    fn base64url_is_that_of_the_standard(#[case] text: &str, #[case] encoded: &str) {
        assert_eq!(base64url(text.as_bytes()), encoded);
    }

    const BACK: &str = "http://localhost:1/sign-in/provider/back";

    async fn both(secret: &str) -> (StandInProvider, OpenIdProvider) {
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let person = StandInPerson {
            subject: "s-17".into(),
            name: "Ode Farrow".into(),
            user_name: "ode".into(),
            groups: vec!["staff".into()],
            has_second_factor: true,
        };
        let address = listener.local_addr().unwrap();
        let stand_in = StandInProvider::new(address, ("filamentum", "a secret"), vec![person]);
        tokio::spawn(stand_in.clone().serve(listener));
        let settings = ProviderSettings {
            name: "Stand-in".into(),
            issuer: stand_in.issuer().to_owned(),
            client_id: "filamentum".into(),
            client_secret: secret.into(),
        };
        (stand_in, OpenIdProvider::new(settings).unwrap())
    }

    #[tokio::test]
    async fn who_signs_in_is_told_once() {
        let (stand_in, provider) = both("a secret").await;
        let (address, started) = provider.begin(BACK).await.unwrap();
        let (state, code) = stand_in.sign_in(&address, "s-17").unwrap();
        let found = provider.finish(BACK, started.clone(), &state, &code).await.unwrap();
        assert_eq!((found.subject.as_str(), found.name.as_str()), ("s-17", "Ode Farrow"));
        assert_eq!((found.user_name.as_str(), found.has_second_factor), ("ode", true));
        assert_eq!(found.words("groups"), ["staff"]);
        let again = provider.finish(BACK, started, &state, &code).await;
        assert!(matches!(again, Err(OpenIdError::Refused(_))), "{again:?}");
    }

    /// Core 1.0, section 3.1.3.7, and RFC 6749, section 10.12: what is to be checked.
    #[rstest]
    #[case(Lie::OtherNonce)]
    #[case(Lie::OtherAudience)]
    #[case(Lie::OtherIssuer)]
    #[case(Lie::Expired)]
    #[case(Lie::OtherKey)]
    #[case(Lie::Unsigned)]
    #[case(Lie::OurOwnSecret)]
    #[case(Lie::Changed)]
    #[case(Lie::OtherToken)]
    #[case(Lie::Missing)]
    #[tokio::test]
    async fn a_lie_is_not_believed(#[case] lie: Lie) {
        let (stand_in, provider) = both("a secret").await;
        let (address, started) = provider.begin(BACK).await.unwrap();
        let (state, code) = stand_in.sign_in(&address, "s-17").unwrap();
        stand_in.lie(Some(lie));
        let found = provider.finish(BACK, started, &state, &code).await;
        assert!(matches!(found, Err(OpenIdError::NotProven(_))), "{found:?}");
    }

    #[tokio::test]
    async fn another_sign_in_another_secret_and_endless_answers_come_to_nothing() {
        let (stand_in, provider) = both("a secret").await;
        let (address, started) = provider.begin(BACK).await.unwrap();
        let (_, other) = provider.begin(BACK).await.unwrap();
        let (state, first) = stand_in.sign_in(&address, "s-17").unwrap();
        let found = provider.finish(BACK, other, &state, &first).await;
        assert!(matches!(found, Err(OpenIdError::NotProven(_))), "{found:?}");
        stand_in.lie(Some(Lie::Endless));
        let found = provider.finish(BACK, started, &state, &first).await;
        assert!(matches!(found, Err(OpenIdError::Away(_))), "{found:?}");
        let (stand_in, provider) = both("another secret").await;
        let (address, started) = provider.begin(BACK).await.unwrap();
        let (state, code) = stand_in.sign_in(&address, "s-17").unwrap();
        let found = provider.finish(BACK, started, &state, &code).await;
        assert!(matches!(found, Err(OpenIdError::Refused(_))), "{found:?}");
        drop(stand_in);
        let nobody = ProviderSettings {
            name: "Nobody".into(),
            issuer: "http://127.0.0.1:9".into(),
            client_id: String::new(),
            client_secret: String::new(),
        };
        let found = OpenIdProvider::new(nobody).unwrap().begin(BACK).await.map(|_| ());
        assert!(matches!(found, Err(OpenIdError::Away(_))), "{found:?}");
    }
}
