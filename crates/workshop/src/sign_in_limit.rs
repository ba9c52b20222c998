//! How often somebody may try to sign in. Who guesses has to wait longer and longer; nobody is locked out: the right name
//! and password from a place where nobody guesses is never held up.

use lru::LruCache;
use sha2::{Digest as _, Sha256};
use std::net::IpAddr;
use std::num::NonZeroUsize;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

/// Tries of one name from one address before there is a wait.
const FREE_OF_NAME: u32 = 5;
/// Tries from one address, whatever the names, before there is a wait.
const FREE_OF_ADDRESS: u32 = 20;
/// Longest wait.
const LONGEST: Duration = Duration::from_mins(1);
/// Tries are forgotten after so long without one.
const FORGOTTEN: Duration = Duration::from_mins(15);
/// Names with their addresses, and addresses, that are kept; the one that was longest without a try goes first.
const KEPT: NonZeroUsize = NonZeroUsize::new(8192).expect("not zero");

/// A key of fixed size, whatever was typed.
type Key = [u8; 16];

#[derive(Clone, Copy, Debug)]
struct Tries {
    count: u32,
    last: Instant,
}

impl Tries {
    /// How long after the last try the next one may come: 1 s, 2 s, 4 s …
    fn wait(self, free: u32) -> Duration {
        if self.count < free {
            return Duration::ZERO;
        }
        Duration::from_secs(1_u64 << (self.count - free).min(10)).min(LONGEST)
    }
}

/// Tries by name and address, and by address.
#[derive(Debug)]
pub(crate) struct SignInLimit {
    tries: Mutex<LruCache<Key, Tries>>,
}

impl Default for SignInLimit {
    fn default() -> Self {
        Self { tries: Mutex::new(LruCache::new(KEPT)) }
    }
}

/// The network of an address: an IPv6 customer has a /64 and as many addresses as they like.
#[must_use]
pub fn network_of(address: IpAddr) -> IpAddr {
    match address.to_canonical() {
        IpAddr::V6(v6) => IpAddr::V6((u128::from(v6) >> 64 << 64).into()),
        v4 @ IpAddr::V4(_) => v4,
    }
}

fn network(address: IpAddr) -> Vec<u8> {
    match network_of(address) {
        IpAddr::V4(v4) => v4.octets().to_vec(),
        IpAddr::V6(v6) => v6.octets().to_vec(),
    }
}

fn key(parts: &[&[u8]]) -> Key {
    let mut sum = Sha256::new();
    for part in parts {
        sum.update((part.len() as u64).to_le_bytes());
        sum.update(part);
    }
    let digest: [u8; 32] = sum.finalize().into();
    let mut key = Key::default();
    key.copy_from_slice(&digest[..16]);
    key
}

impl SignInLimit {
    /// Begins a try. It counts at once, so that many at the same moment are many.
    ///
    /// # Errors
    /// How long to wait when it comes too early; then it does not count.
    pub(crate) fn begin(&self, name: &str, address: IpAddr, now: Instant) -> Result<(), Duration> {
        let network = network(address);
        let keys = [(key(&[name.as_bytes(), &network]), FREE_OF_NAME), (key(&[&network]), FREE_OF_ADDRESS)];
        let mut all = self.tries.lock().unwrap_or_else(PoisonError::into_inner);
        let mut wait = Duration::ZERO;
        for (key, free) in keys {
            if let Some(tries) = all.peek(&key).filter(|t| now.duration_since(t.last) < FORGOTTEN) {
                wait = wait.max((tries.last + tries.wait(free)).saturating_duration_since(now));
            }
        }
        if wait > Duration::ZERO {
            return Err(wait);
        }
        for (key, _) in keys {
            let before =
                all.get(&key).filter(|t| now.duration_since(t.last) < FORGOTTEN).map_or(0, |t| t.count);
            all.put(key, Tries { count: before.saturating_add(1), last: now });
        }
        Ok(())
    }

    /// The try was right: the name's tries from there are forgotten, and it does not count for the address.
    pub(crate) fn succeeded(&self, name: &str, address: IpAddr) {
        let network = network(address);
        let mut all = self.tries.lock().unwrap_or_else(PoisonError::into_inner);
        all.pop(&key(&[name.as_bytes(), &network]));
        if let Some(tries) = all.get_mut(&key(&[&network])) {
            tries.count = tries.count.saturating_sub(1);
        }
    }

    /// How many keys are kept.
    #[cfg(test)]
    fn len(&self) -> usize {
        self.tries.lock().unwrap().len()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const HERE: IpAddr = IpAddr::V4(std::net::Ipv4Addr::new(192, 168, 1, 20));
    const THERE: IpAddr = IpAddr::V4(std::net::Ipv4Addr::new(192, 168, 1, 21));

    /// Waits as it is told to, and says how often it could try in that time.
    fn guess(limit: &SignInLimit, name: impl Fn(u32) -> String, begin: Instant, seconds: u64) -> u32 {
        let (mut now, mut tries) = (begin, 0);
        while now < begin + Duration::from_secs(seconds) {
            match limit.begin(&name(tries), HERE, now) {
                Ok(()) => tries += 1,
                Err(wait) => now += wait,
            }
        }
        tries
    }

    #[test]
    fn guessing_one_name_is_slowed_down_to_one_try_a_minute() {
        let limit = SignInLimit::default();
        let tries = guess(&limit, |_| "ode".into(), Instant::now(), 3600);
        assert!((60..80).contains(&tries), "{tries} in an hour");
    }

    #[test]
    fn guessing_many_names_is_slowed_down_by_the_address() {
        let limit = SignInLimit::default();
        let tries = guess(&limit, |k| format!("name {k}"), Instant::now(), 3600);
        assert!((70..100).contains(&tries), "{tries} in an hour");
    }

    #[test]
    fn nobody_is_locked_out_by_somebody_elses_guesses() {
        let limit = SignInLimit::default();
        let now = Instant::now();
        guess(&limit, |_| "ode".into(), now, 60);
        assert!(limit.begin("ode", THERE, now).is_ok());
    }

    #[test]
    fn the_right_password_ends_the_wait() {
        let limit = SignInLimit::default();
        let now = Instant::now();
        for _ in 0..4 {
            limit.begin("ode", HERE, now).unwrap();
        }
        limit.begin("ode", HERE, now).unwrap();
        limit.succeeded("ode", HERE);
        for _ in 0..5 {
            assert!(limit.begin("ode", HERE, now).is_ok());
        }
        assert!(limit.begin("ode", HERE, now).is_err());
    }

    #[test]
    fn many_at_once_are_many() {
        let limit = SignInLimit::default();
        let now = Instant::now();
        let let_through = (0..100).filter(|_| limit.begin("ode", HERE, now).is_ok()).count();
        assert_eq!(let_through, 5);
    }

    #[test]
    fn tries_are_forgotten() {
        let limit = SignInLimit::default();
        let now = Instant::now();
        guess(&limit, |_| "ode".into(), now, 600);
        assert!(limit.begin("ode", HERE, now + Duration::from_mins(10) + FORGOTTEN).is_ok());
    }

    #[test]
    fn an_ipv6_customer_is_one_address() {
        let limit = SignInLimit::default();
        let now = Instant::now();
        let address = |last: u16| IpAddr::V6(std::net::Ipv6Addr::new(0x2001, 0xdb8, 1, 2, 0, 0, 0, last));
        let let_through = (0..100).filter(|k| limit.begin("ode", address(*k), now).is_ok()).count();
        assert_eq!(let_through, 5);
        assert!(limit.begin("ode", "2001:db8:1:3::1".parse().unwrap(), now).is_ok());
    }

    #[test]
    fn what_is_kept_has_an_end() {
        let limit = SignInLimit::default();
        let now = Instant::now();
        for k in 0..100_000_u32 {
            let _ = limit.begin(&format!("{k}"), IpAddr::from(k.to_be_bytes()), now);
        }
        assert_eq!(limit.len(), KEPT.get());
    }
}
