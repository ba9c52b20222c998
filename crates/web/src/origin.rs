//! Where a request comes from and where the application is reached: what a proxy or a browser claims is believed only as
//! far as the configuration says so.

use crate::certificate::Certificate;
use actix_web::HttpRequest;
use actix_web::http::header::{self, HeaderMap};
use std::net::{IpAddr, Ipv4Addr};
use std::time::Duration;
use thiserror::Error;

/// Why an address of the application cannot be used.
#[derive(Clone, Copy, Debug, Error, PartialEq, Eq)]
pub enum BaseUrlError {
    /// It does not begin with `http://` or `https://`.
    #[error("it begins with http:// or https://")]
    Scheme,
    /// There is no host in it, or something after it.
    #[error("it is a scheme and a host, with a port at most: https://pickups.example")]
    Host,
}

/// The address that people reach the application at.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct BaseUrl {
    is_https: bool,
    /// Host with its port, in lower case.
    host: String,
}

impl std::str::FromStr for BaseUrl {
    type Err = BaseUrlError;

    fn from_str(text: &str) -> Result<Self, BaseUrlError> {
        let (is_https, rest) = match (text.strip_prefix("https://"), text.strip_prefix("http://")) {
            (Some(rest), _) => (true, rest),
            (_, Some(rest)) => (false, rest),
            _ => return Err(BaseUrlError::Scheme),
        };
        let host = rest.trim_end_matches('/').to_ascii_lowercase();
        let is_host =
            !host.is_empty() && host.bytes().all(|b| b.is_ascii_alphanumeric() || b".-:[]".contains(&b));
        if is_host { Ok(Self { is_https, host }) } else { Err(BaseUrlError::Host) }
    }
}

impl BaseUrl {
    /// Whether it is one of TLS.
    #[must_use]
    pub const fn is_https(&self) -> bool {
        self.is_https
    }

    /// As text, without a slash at its end.
    #[must_use]
    pub fn text(&self) -> String {
        format!("{}://{}", if self.is_https { "https" } else { "http" }, self.host)
    }
}

/// How long requests may take to come in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Timeouts {
    /// The head of a request.
    pub head: Duration,
    /// The body of a form, beside the time that its size takes.
    pub body: Duration,
    /// How long a connection may rest between two requests.
    pub rest: Duration,
}

impl Default for Timeouts {
    fn default() -> Self {
        let seconds = Duration::from_secs;
        Self { head: seconds(10), body: seconds(10), rest: seconds(30) }
    }
}

/// How the application is reached.
#[derive(Clone, Debug, Default)]
pub struct ServeOptions {
    /// The address that people reach it at; without it, that of loopback.
    pub base_url: Option<BaseUrl>,
    /// Proxies in front of it, by address: what they say of where a request comes from is believed.
    pub trusted_proxies: Vec<IpAddr>,
    /// What TLS is served with; without it, plain HTTP.
    pub certificate: Option<Certificate>,
    /// How long requests may take to come in.
    pub timeouts: Timeouts,
}

/// How the application is reached, as every request needs it.
#[derive(Clone, Debug)]
pub(crate) struct Origin {
    base: BaseUrl,
    port: u16,
    is_loopback: bool,
    trusted_proxies: Vec<IpAddr>,
}

impl Origin {
    /// From the configuration, and the address that is listened on.
    pub(crate) fn new(options: &ServeOptions, listening: std::net::SocketAddr) -> Self {
        let base = options.base_url.clone().unwrap_or_else(|| BaseUrl {
            is_https: options.certificate.is_some(),
            host: listening.to_string(),
        });
        Self {
            base,
            port: listening.port(),
            is_loopback: listening.ip().is_loopback(),
            trusted_proxies: options.trusted_proxies.clone(),
        }
    }

    /// Whether people reach it over TLS: then cookies are only sent over it.
    pub(crate) fn is_https(&self) -> bool {
        self.base.is_https
    }

    /// The whole address of a path that begins with a slash.
    pub(crate) fn address_of(&self, path: &str) -> String {
        format!("{}{path}", self.base.text())
    }

    /// The address that passkeys are made for: browsers make none for a number, so this machine is called by its name.
    pub(crate) fn passkey_address(&self) -> String {
        let text = self.base.text();
        let is_number = ["127.0.0.1:", "[::1]:"].iter().any(|number| self.base.host.starts_with(number));
        if self.is_loopback && is_number {
            let scheme = if self.base.is_https { "https" } else { "http" };
            return format!("{scheme}://localhost:{}", self.port);
        }
        text
    }

    /// Whether a request's host is ours. Pages of another name that leads here get no answer, so that they cannot act in
    /// the name of whoever looks at them.
    pub(crate) fn is_our_host(&self, headers: &HeaderMap, authority: Option<&str>) -> bool {
        let sent = headers.get(header::HOST).and_then(|v| v.to_str().ok()).or(authority);
        let Some(host) = sent.map(str::to_ascii_lowercase) else { return false };
        if host == self.base.host {
            return true;
        }
        let (name, port) = match host.rsplit_once(':') {
            Some((name, port)) if port.bytes().all(|b| b.is_ascii_digit()) && !port.is_empty() => {
                (name, port.parse().ok())
            }
            _ => (host.as_str(), Some(80)),
        };
        self.is_loopback && port == Some(self.port) && matches!(name, "localhost" | "127.0.0.1" | "[::1]")
    }

    /// The address that a request comes from: what the nearest trusted proxy says, else the connection's own.
    pub(crate) fn address(&self, request: &HttpRequest) -> IpAddr {
        let peer = request.peer_addr().map_or(IpAddr::V4(Ipv4Addr::UNSPECIFIED), |a| a.ip()).to_canonical();
        let mut address = peer;
        // From the nearest to the farthest: the first that is no proxy of ours is the client; what it says itself counts for
        // nothing.
        let forwarded = request.headers().get_all("X-Forwarded-For").filter_map(|v| v.to_str().ok());
        let hops: Vec<&str> = forwarded.flat_map(|line| line.split(',')).map(str::trim).collect();
        for hop in hops.iter().rev() {
            if !self.trusted_proxies.contains(&address) {
                break;
            }
            match hop.parse::<IpAddr>() {
                Ok(next) => address = next.to_canonical(),
                Err(_) => break,
            }
        }
        address
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use actix_web::test::TestRequest;
    use rstest::rstest;

    fn origin(base: Option<&str>, listening: &str, proxies: &[&str]) -> Origin {
        let options = ServeOptions {
            base_url: base.map(|b| b.parse().unwrap()),
            trusted_proxies: proxies.iter().map(|p| p.parse().unwrap()).collect(),
            ..ServeOptions::default()
        };
        Origin::new(&options, listening.parse().unwrap())
    }

    #[rstest]
    #[case("https://pickups.example", true)]
    #[case("http://192.168.1.5:8090/", true)]
    #[case("javascript://alert(1)", false)]
    #[case("ftp://pickups.example", false)]
    #[case("https://", false)]
    #[case("https://a/b", false)]
    #[case("https://a b", false)]
    #[case("https://a\"onload", false)]
    fn a_base_url_is_a_scheme_and_a_host(#[case] text: &str, #[case] is_good: bool) {
        assert_eq!(text.parse::<BaseUrl>().is_ok(), is_good);
    }

    #[rstest]
    #[case("127.0.0.1:8090", true)]
    #[case("localhost:8090", true)]
    #[case("LOCALHOST:8090", true)]
    #[case("[::1]:8090", true)]
    #[case("127.0.0.1:8091", false)]
    #[case("127.0.0.1", false)]
    #[case("rebound.example:8090", false)]
    #[case("127.0.0.1.rebound.example:8090", false)]
    #[case("pickups.example", true)]
    #[case("pickups.example:8090", false)]
    #[case("", false)]
    fn only_our_own_names_are_answered(#[case] host: &str, #[case] is_ours: bool) {
        let origin = origin(Some("https://pickups.example"), "127.0.0.1:8090", &[]);
        let request = TestRequest::default().insert_header((header::HOST, host)).to_http_request();
        assert_eq!(origin.is_our_host(request.headers(), None), is_ours);
    }

    #[rstest]
    #[case::nobody_in_front("10.0.0.9:1", &[], "1.2.3.4", "10.0.0.9")]
    #[case::proxy("10.0.0.9:1", &["10.0.0.9"], "1.2.3.4", "1.2.3.4")]
    #[case::the_nearest_counts("10.0.0.9:1", &["10.0.0.9"], "6.6.6.6, 1.2.3.4", "1.2.3.4")]
    #[case::two_proxies("10.0.0.9:1", &["10.0.0.9", "10.0.0.8"], "1.2.3.4, 10.0.0.8", "1.2.3.4")]
    #[case::nonsense("10.0.0.9:1", &["10.0.0.9"], "1.2.3.4, <b>", "10.0.0.9")]
    fn a_proxy_is_believed_when_it_is_trusted(
        #[case] peer: &str,
        #[case] proxies: &[&str],
        #[case] forwarded: &str,
        #[case] address: &str,
    ) {
        let origin = origin(None, "127.0.0.1:8090", proxies);
        let request = TestRequest::default()
            .peer_addr(peer.parse().unwrap())
            .insert_header(("X-Forwarded-For", forwarded))
            .to_http_request();
        assert_eq!(origin.address(&request).to_string(), address);
    }

    #[test]
    fn links_are_made_of_the_configuration_and_of_no_header() {
        assert_eq!(origin(None, "127.0.0.1:8090", &[]).address_of("/runs/1"), "http://127.0.0.1:8090/runs/1");
        let proxied = origin(Some("https://pickups.example"), "127.0.0.1:8090", &[]);
        assert!(proxied.is_https());
        assert_eq!(proxied.address_of("/runs/1"), "https://pickups.example/runs/1");
    }
}
