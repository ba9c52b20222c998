//! Where instruments may be: networks and ports that are allowed, and addresses that never are.

use std::fmt;
use std::net::{IpAddr, Ipv6Addr, SocketAddr};
use std::str::FromStr;
use thiserror::Error;

/// Why a network cannot be read.
#[derive(Clone, Copy, Debug, Error, PartialEq, Eq)]
pub enum NetworkError {
    /// It is no address with the length of its prefix.
    #[error("an address and the length of its prefix: 192.168.1.0/24")]
    Address,
    /// The ports are no range.
    #[error("a port, or two with a dash between: 5025-5030")]
    Ports,
    /// It lies where no instrument may be: the machine itself, link-local, multicast, or everywhere.
    #[error("this machine itself, link-local addresses and whole continents of addresses cannot be allowed")]
    Forbidden,
}

/// A network and the ports on it that instruments listen on.
///
/// ```
/// use instruments::network::Network;
/// let bench: Network = "192.168.1.0/24 5025-5030".parse().unwrap();
/// assert!(bench.permits("192.168.1.40:5025".parse().unwrap()));
/// assert!(!bench.permits("192.168.1.40:3306".parse().unwrap()));
/// assert!(!bench.permits("192.168.2.40:5025".parse().unwrap()));
/// assert!("127.0.0.0/8 1-65535".parse::<Network>().is_err());
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Network {
    address: IpAddr,
    prefix: u8,
    ports: (u16, u16),
}

/// Shortest prefixes that can be allowed: a private network as large as they come.
const SHORTEST_V4: u8 = 8;
const SHORTEST_V6: u8 = 32;

/// The leading bits of an address, as one number of 128 bits.
fn bits(address: IpAddr) -> u128 {
    match address {
        IpAddr::V4(v4) => u128::from(u32::from(v4)) << 96,
        IpAddr::V6(v6) => u128::from(v6),
    }
}

/// Whether an address of version 6 stands for one of version 4, which would not be checked: translated by NAT64 (RFC 6052 and
/// RFC 8215), carried by 6to4 (RFC 3056) or Teredo (RFC 4380), or of the forms that RFC 4291 has left.
fn is_translated(address: Ipv6Addr) -> bool {
    let words = address.segments();
    matches!(words, [0x64, 0xff9b, 0, 0, 0, 0, ..] | [0x64, 0xff9b, 1, ..] | [0x2002, ..] | [0x2001, 0, ..])
        || words[..6] == [0; 6]
}

/// Whether no instrument may be at an address, whatever is allowed.
#[must_use]
pub fn is_forbidden(address: IpAddr) -> bool {
    match address.to_canonical() {
        IpAddr::V4(v4) => {
            v4.is_loopback()
                || v4.is_link_local()
                || v4.is_unspecified()
                || v4.is_broadcast()
                || v4.is_multicast()
        }
        IpAddr::V6(v6) => {
            v6.is_loopback()
                || v6.is_unicast_link_local()
                || v6.is_unspecified()
                || v6.is_multicast()
                || is_translated(v6)
        }
    }
}

impl Network {
    /// Whether an instrument may be there.
    #[must_use]
    pub fn permits(&self, target: SocketAddr) -> bool {
        let address = target.ip().to_canonical();
        let (from, to) = self.ports;
        let is_inside = address.is_ipv4() == self.address.is_ipv4()
            && bits(address) >> (128 - self.prefix) == bits(self.address) >> (128 - self.prefix);
        is_inside && (from..=to).contains(&target.port()) && !is_forbidden(address)
    }
}

impl FromStr for Network {
    type Err = NetworkError;

    fn from_str(text: &str) -> Result<Self, NetworkError> {
        let (network, ports) = text.trim().split_once(' ').ok_or(NetworkError::Ports)?;
        let (address, prefix) = network.split_once('/').unwrap_or((network, ""));
        let address: IpAddr = address.parse::<IpAddr>().ok().ok_or(NetworkError::Address)?.to_canonical();
        let (longest, shortest) = if address.is_ipv4() { (32, SHORTEST_V4) } else { (128, SHORTEST_V6) };
        let prefix =
            if prefix.is_empty() { longest } else { prefix.parse().ok().ok_or(NetworkError::Address)? };
        if prefix > longest {
            return Err(NetworkError::Address);
        }
        if prefix < shortest || is_forbidden(address) {
            return Err(NetworkError::Forbidden);
        }
        let (from, to) = ports.trim().split_once('-').unwrap_or((ports.trim(), ports.trim()));
        let port = |text: &str| text.trim().parse::<u16>().ok().filter(|p| *p > 0).ok_or(NetworkError::Ports);
        let ports = (port(from)?, port(to)?);
        if ports.0 > ports.1 { Err(NetworkError::Ports) } else { Ok(Self { address, prefix, ports }) }
    }
}

impl fmt::Display for Network {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (from, to) = self.ports;
        write!(f, "{}/{} {from}", self.address, self.prefix)?;
        if from == to { Ok(()) } else { write!(f, "-{to}") }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("192.168.1.0/24 5025", Ok(()))]
    #[case("192.168.1.40 5025-5030", Ok(()))]
    #[case("fd00:1::/64 5025", Ok(()))]
    #[case("127.0.0.1 5025", Err(NetworkError::Forbidden))]
    #[case("64:ff9b::7f00:1 5025", Err(NetworkError::Forbidden))]
    #[case("64:ff9b::/96 5025", Err(NetworkError::Forbidden))]
    #[case("64:ff9b:1::/48 5025", Err(NetworkError::Forbidden))]
    #[case("2002:7f00:1::/48 5025", Err(NetworkError::Forbidden))]
    #[case("2001:0:1::/64 5025", Err(NetworkError::Forbidden))]
    #[case("::127.0.0.1 5025", Err(NetworkError::Forbidden))]
    #[case("::1 5025", Err(NetworkError::Forbidden))]
    #[case("::ffff:127.0.0.1 5025", Err(NetworkError::Forbidden))]
    #[case("169.254.169.254 80", Err(NetworkError::Forbidden))]
    #[case("fe80::1 80", Err(NetworkError::Forbidden))]
    #[case("0.0.0.0/0 1-65535", Err(NetworkError::Forbidden))]
    #[case("192.168.1.0/33 5025", Err(NetworkError::Address))]
    #[case("bench 5025", Err(NetworkError::Address))]
    #[case("192.168.1.0/24", Err(NetworkError::Ports))]
    #[case("192.168.1.0/24 0", Err(NetworkError::Ports))]
    #[case("192.168.1.0/24 5030-5025", Err(NetworkError::Ports))]
    #[case("192.168.1.0/24 70000", Err(NetworkError::Ports))]
    fn networks_are_read(#[case] text: &str, #[case] read: Result<(), NetworkError>) {
        let found: Result<Network, _> = text.parse();
        assert_eq!(found.map(|_| ()), read);
        if let Ok(network) = found {
            assert_eq!(network.to_string().parse(), Ok(network));
        }
    }

    /// An allowed network that has loopback inside, by whatever spelling, does not allow it.
    #[rstest]
    #[case("126.0.0.0/8 1-65535", "127.0.0.1:80")]
    #[case("10.0.0.0/8 1-65535", "[::ffff:127.0.0.1]:80")]
    #[case("169.0.0.0/8 1-65535", "169.254.169.254:80")]
    fn what_is_forbidden_is_never_allowed(#[case] network: &str, #[case] target: &str) {
        let network: Network = network.parse().unwrap();
        assert!(!network.permits(target.parse().unwrap()));
    }

    #[test]
    fn an_address_in_the_form_of_the_other_protocol_is_the_same() {
        let network: Network = "192.168.1.0/24 5025".parse().unwrap();
        assert!(network.permits("[::ffff:192.168.1.7]:5025".parse().unwrap()));
    }
}
