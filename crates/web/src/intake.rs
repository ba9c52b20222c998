//! Bodies of requests, read whole before anything is done with them: a slow one holds no turn, and little besides.

use crate::origin::Timeouts;
use actix_web::dev::Payload;
use actix_web::web::{Bytes, BytesMut};
use futures_util::StreamExt as _;
use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use thiserror::Error;
use tokio::sync::{OwnedSemaphorePermit, Semaphore};
use tokio::time::{Instant, timeout_at};
use workshop::network_of;

/// Bytes of all bodies in memory.
const MOST_BYTES: usize = 256 << 20;
/// Every sender has at least this rate, bytes a second, beside the time that any body has.
const SLOWEST_RATE: usize = 64 << 10;
/// A body that came in as quickly is never counted among the unfinished ones.
const QUICK: Duration = Duration::from_millis(250);
/// Unfinished bodies of one address, and of all.
const UNFINISHED_OF_ADDRESS: usize = 6;
const UNFINISHED: usize = 256;
/// How bytes in memory are counted.
const UNIT: usize = 1 << 10;

/// Why a body was not taken in.
#[derive(Clone, Debug, Error, PartialEq, Eq)]
pub(crate) enum IntakeError {
    /// It is larger than its route takes, bytes.
    #[error("the body is larger than {0} bytes")]
    TooLarge(usize),
    /// Too many bodies of its address are unfinished.
    #[error("too many unfinished bodies")]
    TooMany,
    /// All bodies together take as much memory as they may.
    #[error("the bodies take too much memory")]
    Full,
    /// It did not come in completely in its time.
    #[error("the body took too long")]
    Slow,
    /// It was broken off.
    #[error("{0}")]
    Broken(String),
}

/// What bodies hold at the moment.
pub(crate) struct Intake {
    bytes: Arc<Semaphore>,
    unfinished: Arc<Mutex<HashMap<IpAddr, usize>>>,
}

impl Default for Intake {
    fn default() -> Self {
        Self { bytes: Arc::new(Semaphore::new(MOST_BYTES / UNIT)), unfinished: Arc::default() }
    }
}

/// A body among the unfinished ones.
struct Unfinished {
    address: IpAddr,
    all: Arc<Mutex<HashMap<IpAddr, usize>>>,
}

impl Drop for Unfinished {
    fn drop(&mut self) {
        let mut all = self.all.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(count) = all.get_mut(&self.address) {
            *count -= 1;
            if *count == 0 {
                all.remove(&self.address);
            }
        }
    }
}

impl Intake {
    /// One more unfinished body of an address.
    fn unfinished(&self, address: IpAddr) -> Result<Unfinished, IntakeError> {
        let mut all = self.unfinished.lock().unwrap_or_else(PoisonError::into_inner);
        let count: usize = all.values().sum();
        let own = all.entry(address).or_default();
        if *own >= UNFINISHED_OF_ADDRESS || count >= UNFINISHED {
            tracing::warn!(event = "slow-bodies", %address, count, "too many unfinished bodies");
            return Err(IntakeError::TooMany);
        }
        *own += 1;
        Ok(Unfinished { address, all: Arc::clone(&self.unfinished) })
    }

    /// Reads a body of up to `most` bytes; what is returned beside it counts its memory until it is dropped.
    pub(crate) async fn read(
        &self,
        mut payload: Payload,
        most: usize,
        stated: Option<usize>,
        address: IpAddr,
        timeouts: Timeouts,
    ) -> Result<(Bytes, Option<OwnedSemaphorePermit>), IntakeError> {
        if stated.is_some_and(|length| length > most) {
            return Err(IntakeError::TooLarge(most));
        }
        let began = Instant::now();
        let rate_time = stated.unwrap_or(most) / SLOWEST_RATE;
        let last = began + timeouts.body + Duration::from_secs(rate_time as u64);
        let mut whole = BytesMut::new();
        let mut memory: Option<OwnedSemaphorePermit> = None;
        let mut slow = None;
        loop {
            let until = if slow.is_none() { last.min(began + QUICK) } else { last };
            let piece = match timeout_at(until, payload.next()).await {
                Ok(Some(piece)) => piece.map_err(|error| IntakeError::Broken(error.to_string()))?,
                Ok(None) => return Ok((whole.freeze(), memory)),
                Err(_) if slow.is_none() && until < last => {
                    slow = Some(self.unfinished(network_of(address))?);
                    continue;
                }
                Err(_) => return Err(IntakeError::Slow),
            };
            if whole.len() + piece.len() > most {
                return Err(IntakeError::TooLarge(most));
            }
            whole.extend_from_slice(&piece);
            let units = u32::try_from(whole.len().div_ceil(UNIT)).unwrap_or(u32::MAX);
            let held = memory.as_ref().map_or(0, |m| u32::try_from(m.num_permits()).unwrap_or(u32::MAX));
            if units > held {
                let more = Arc::clone(&self.bytes).try_acquire_many_owned(units - held);
                let more = more.ok().ok_or(IntakeError::Full)?;
                match &mut memory {
                    Some(memory) => memory.merge(more),
                    None => memory = Some(more),
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use futures_util::stream;
    use std::net::Ipv4Addr;

    const HERE: IpAddr = IpAddr::V4(Ipv4Addr::new(192, 0, 2, 1));
    const THERE: IpAddr = IpAddr::V4(Ipv4Addr::new(192, 0, 2, 2));

    fn body(pieces: Vec<&'static [u8]>, gap: Duration) -> Payload {
        let all = stream::iter(pieces).then(move |piece| async move {
            tokio::time::sleep(gap).await;
            Ok(Bytes::from_static(piece))
        });
        Payload::Stream { payload: Box::pin(all) }
    }

    fn endless() -> Payload {
        Payload::Stream { payload: Box::pin(stream::pending()) }
    }

    async fn read(
        intake: &Intake,
        payload: Payload,
        most: usize,
        from: IpAddr,
    ) -> Result<usize, IntakeError> {
        intake.read(payload, most, None, from, Timeouts::default()).await.map(|(body, _)| body.len())
    }

    #[actix_web::test]
    async fn a_body_is_whole_or_refused() {
        tokio::time::pause();
        let intake = Intake::default();
        let slow = Duration::from_secs(1);
        let pieces = || vec![b"one ".as_slice(), b"two ", b"three"];
        assert!(matches!(read(&intake, body(pieces(), Duration::ZERO), 13, HERE).await, Ok(13)));
        assert!(matches!(read(&intake, body(pieces(), slow), 13, HERE).await, Ok(13)));
        assert!(matches!(
            read(&intake, body(pieces(), slow), 12, HERE).await,
            Err(IntakeError::TooLarge(12))
        ));
        let stated = intake.read(endless(), 12, Some(13), HERE, Timeouts::default()).await;
        assert!(matches!(stated, Err(IntakeError::TooLarge(12))), "before a byte is read");
        assert!(matches!(read(&intake, endless(), 12, HERE).await, Err(IntakeError::Slow)));
        assert!(intake.unfinished.lock().unwrap().is_empty());
        assert_eq!(intake.bytes.available_permits(), MOST_BYTES / UNIT);
    }

    /// A few slow bodies of one address, and quick ones however many; others are not held up.
    #[actix_web::test]
    async fn an_address_has_few_unfinished_bodies() {
        tokio::time::pause();
        let intake = Arc::new(Intake::default());
        let dripping: Vec<_> = (0..24)
            .map(|_| {
                let intake = Arc::clone(&intake);
                actix_web::rt::spawn(async move { read(&intake, endless(), 12, HERE).await })
            })
            .collect();
        tokio::time::sleep(2 * QUICK).await;
        assert_eq!(dripping.iter().filter(|one| !one.is_finished()).count(), UNFINISHED_OF_ADDRESS);
        assert!(read(&intake, body(vec![b"quick"], Duration::ZERO), 12, HERE).await.is_ok());
        assert!(read(&intake, body(vec![b"slow"], 2 * QUICK), 12, THERE).await.is_ok());
        for one in dripping {
            assert!(matches!(one.await.unwrap(), Err(IntakeError::TooMany | IntakeError::Slow)));
        }
        assert!(intake.unfinished.lock().unwrap().is_empty());
    }

    #[tokio::test]
    async fn memory_of_all_bodies_has_an_end() {
        let intake = Intake { bytes: Arc::new(Semaphore::new(2)), ..Intake::default() };
        let large: &'static [u8] = &[0; 2 * UNIT];
        let held = intake.read(body(vec![large], Duration::ZERO), 8 * UNIT, None, HERE, Timeouts::default());
        let held = held.await.unwrap();
        assert!(matches!(
            read(&intake, body(vec![b"x"], Duration::ZERO), 8, THERE).await,
            Err(IntakeError::Full)
        ));
        drop(held);
        assert!(read(&intake, body(vec![b"x"], Duration::ZERO), 8, THERE).await.is_ok());
    }
}
