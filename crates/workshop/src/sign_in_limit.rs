//! How often somebody may try to sign in. Who guesses has to wait longer and longer; nobody is locked out: the right name
//! and password from a place where nobody guesses is never held up.

use lru::LruCache;
use sha2::{Digest as _, Sha256};
use std::net::IpAddr;
use std::num::NonZeroUsize;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};
use store::{PersonId, StationId};

/// Tries of one name from one address before there is a wait.
const FREE_OF_NAME: u32 = 5;
/// Tries from one address, whatever the names, before there is a wait.
const FREE_OF_ADDRESS: u32 = 20;
/// Tries at a short secret of one person, and at one station, from wherever, before there is a wait.
const FREE_OF_PERSON: u32 = 10;
const FREE_OF_STATION: u32 = 30;
/// Reports of one address before each takes up to a minute.
const FREE_REPORTS: u32 = 50;
/// Passwords weighed for one address before each takes two seconds.
const FREE_WEIGHINGS: u32 = 200;
/// Sign-ins by passkey or provider that one address begins before each takes two seconds.
const FREE_BEGINNINGS: u32 = 60;
/// Longest wait where another address is not held up.
const LONGEST: Duration = Duration::from_mins(1);
/// Longest wait for a short secret: whoever guesses four digits from many addresses needs months.
const LONGEST_OF_SECRET: Duration = Duration::from_mins(15);
/// Tries are forgotten after so long without one.
const FORGOTTEN: Duration = Duration::from_hours(1);
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
    fn wait(self, (free, longest): Allowance) -> Duration {
        if self.count < free {
            return Duration::ZERO;
        }
        Duration::from_secs(1_u64 << (self.count - free).min(16)).min(longest)
    }
}

/// Tries without a wait, and the longest wait after them.
type Allowance = (u32, Duration);

/// A PIN or a code of an authenticator: short, so its tries are counted whatever address they come from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct ShortSecret {
    /// Whose it is.
    pub(crate) person: PersonId,
    /// At which station it is typed.
    pub(crate) station: Option<StationId>,
}

impl ShortSecret {
    fn keys(self) -> Vec<(Key, Allowance)> {
        let number = |number: u64| number.to_le_bytes();
        let person = (key(&[b"person", &number(self.person.0)]), (FREE_OF_PERSON, LONGEST_OF_SECRET));
        let station = self
            .station
            .map(|station| (key(&[b"station", &number(station.0)]), (FREE_OF_STATION, LONGEST_OF_SECRET)));
        std::iter::once(person).chain(station).collect()
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

fn keys_of(name: &str, address: IpAddr) -> [(Key, Allowance); 2] {
    let network = network(address);
    [
        (key(&[name.as_bytes(), &network]), (FREE_OF_NAME, LONGEST)),
        (key(&[&network]), (FREE_OF_ADDRESS, LONGEST)),
    ]
}

impl SignInLimit {
    /// Begins a try. It counts at once, so that many at the same moment are many.
    ///
    /// # Errors
    /// How long to wait when it comes too early; then it does not count.
    pub(crate) fn begin(&self, name: &str, address: IpAddr, now: Instant) -> Result<(), Duration> {
        self.begin_keys(&keys_of(name, address), now).map(drop)
    }

    /// As [`Self::begin`], for a short secret; returns how many tries at it there were from anywhere since the last right one.
    ///
    /// # Errors
    /// How long to wait.
    pub(crate) fn begin_secret(
        &self,
        of: ShortSecret,
        name: &str,
        address: IpAddr,
        now: Instant,
    ) -> Result<u32, Duration> {
        let mut keys = of.keys();
        keys.extend(keys_of(name, address));
        self.begin_keys(&keys, now)
    }

    /// Counts that a password is weighed while it is typed: at every few keys, and no more.
    ///
    /// # Errors
    /// How long to wait.
    pub(crate) fn begin_weighing(&self, address: IpAddr, now: Instant) -> Result<(), Duration> {
        let key = key(&[b"weighing", &network(address)]);
        self.begin_keys(&[(key, (FREE_WEIGHINGS, Duration::from_secs(2)))], now).map(drop)
    }

    /// Counts that somebody begins to sign in in a way that is kept until the browser comes back.
    ///
    /// # Errors
    /// How long to wait.
    pub(crate) fn begin_anonymous(&self, address: IpAddr, now: Instant) -> Result<(), Duration> {
        let key = key(&[b"beginning", &network(address)]);
        self.begin_keys(&[(key, (FREE_BEGINNINGS, Duration::from_secs(2)))], now).map(drop)
    }

    /// Counts that a browser reports something.
    ///
    /// # Errors
    /// How long it had to wait.
    pub(crate) fn begin_report(&self, address: IpAddr, now: Instant) -> Result<(), Duration> {
        let key = key(&[b"report", &network(address)]);
        self.begin_keys(&[(key, (FREE_REPORTS, LONGEST))], now).map(drop)
    }

    /// Counts a try for each key; returns the count of the first.
    fn begin_keys(&self, keys: &[(Key, Allowance)], now: Instant) -> Result<u32, Duration> {
        let mut all = self.tries.lock().unwrap_or_else(PoisonError::into_inner);
        let mut wait = Duration::ZERO;
        for (key, allowance) in keys {
            if let Some(tries) = all.peek(key).filter(|t| now.duration_since(t.last) < FORGOTTEN) {
                wait = wait.max((tries.last + tries.wait(*allowance)).saturating_duration_since(now));
            }
        }
        if wait > Duration::ZERO {
            return Err(wait);
        }
        let mut first = None;
        for (key, _) in keys {
            let before =
                all.get(key).filter(|t| now.duration_since(t.last) < FORGOTTEN).map_or(0, |t| t.count);
            let count = before.saturating_add(1);
            all.put(*key, Tries { count, last: now });
            first.get_or_insert(count);
        }
        Ok(first.unwrap_or(0))
    }

    /// The short secret was right: its tries are forgotten, also those at the name from there.
    pub(crate) fn secret_succeeded(&self, of: ShortSecret, name: &str, address: IpAddr) {
        self.succeeded(name, address);
        let mut all = self.tries.lock().unwrap_or_else(PoisonError::into_inner);
        for (key, _) in of.keys() {
            all.pop(&key);
        }
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

    /// A PIN is guessed from one address after another: in a day that is a few hundred tries of ten thousand.
    #[test]
    fn a_short_secret_is_counted_whatever_the_address() {
        let limit = SignInLimit::default();
        let of = ShortSecret { person: PersonId(3), station: None };
        let from = |k: u32| IpAddr::from((0x0a00_0000 + k).to_be_bytes());
        let begin = Instant::now();
        let (mut now, mut tries) = (begin, 0);
        while now < begin + Duration::from_hours(24) {
            match limit.begin_secret(of, "pin 3", from(tries), now) {
                Ok(count) => {
                    tries += 1;
                    assert_eq!(count, tries);
                }
                Err(wait) => now += wait,
            }
        }
        assert!((90..130).contains(&tries), "{tries} in a day");
        // Another person is not held up, and the right one ends it.
        let other = ShortSecret { person: PersonId(4), station: None };
        assert!(limit.begin_secret(other, "pin 4", HERE, now).is_ok());
        limit.secret_succeeded(of, "pin 3", HERE);
        assert_eq!(limit.begin_secret(of, "pin 3", HERE, now), Ok(1));
    }

    /// At one station the PINs of many people are guessed.
    #[test]
    fn a_station_is_counted_whoever_stands_at_it() {
        let limit = SignInLimit::default();
        let now = Instant::now();
        let at = |k: u64| ShortSecret { person: PersonId(k), station: Some(StationId(1)) };
        let from = |k: u64| IpAddr::from((0x0a00_0000 + u32::try_from(k).unwrap()).to_be_bytes());
        let passed = (0..100).filter(|k| limit.begin_secret(at(*k), "pin", from(*k), now).is_ok()).count();
        assert_eq!(passed, 30);
    }

    #[test]
    fn passwords_are_weighed_so_often() {
        let limit = SignInLimit::default();
        let now = Instant::now();
        assert_eq!((0..1000).filter(|_| limit.begin_weighing(HERE, now).is_ok()).count(), 200);
        assert!(limit.begin_weighing(THERE, now).is_ok());
        assert!(limit.begin_weighing(HERE, now + Duration::from_secs(2)).is_ok());
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
