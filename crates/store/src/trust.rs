//! Which connections are taken to stand without being asked: to ask before each statement doubles what a small one costs. Whether one
//! stands is asked when it is given back, when it was at rest for a while, and when the database was away since.

use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

/// A connection that was in order so long ago is not asked again whether it is.
const TRUSTED_FOR: Duration = Duration::from_millis(500);

/// When a statement failed last because the database was away: every connection that was at rest then may be gone with it.
static LAST_AWAY: Mutex<Option<Instant>> = Mutex::new(None);

/// Notes that the database is away.
pub(crate) fn note_away() {
    *LAST_AWAY.lock().unwrap_or_else(PoisonError::into_inner) = Some(Instant::now());
}

/// Whether a connection that was at rest for so long is taken to stand.
pub(crate) fn is_trusted(idle_for: Duration) -> bool {
    stands(Instant::now(), idle_for, *LAST_AWAY.lock().unwrap_or_else(PoisonError::into_inner))
}

fn stands(now: Instant, idle_for: Duration, last_away: Option<Instant>) -> bool {
    idle_for < TRUSTED_FOR && last_away.is_none_or(|away| now.duration_since(away) > idle_for)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::in_use(10, None, true)]
    #[case::at_rest(600, None, false)]
    #[case::used_since_it_was_away(10, Some(50), true)]
    #[case::at_rest_when_it_was_away(50, Some(10), false)]
    #[case::away_this_moment(0, Some(0), false)]
    fn who_stood_since_is_not_asked(
        #[case] idle_ms: u64,
        #[case] away_ms_ago: Option<u64>,
        #[case] expected: bool,
    ) {
        let start = Instant::now();
        let now = start + Duration::from_secs(1);
        let away = away_ms_ago.map(|ms| now.checked_sub(Duration::from_millis(ms)).unwrap());
        assert_eq!(stands(now, Duration::from_millis(idle_ms), away), expected);
    }
}
