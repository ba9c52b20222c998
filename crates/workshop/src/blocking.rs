//! Computation off the threads that serve requests.

use crate::refusal::Refusal;
use tokio::sync::Semaphore;

/// Runs a computation on a thread that serves nobody, and waits for it.
pub(crate) async fn blocking<T: Send + 'static>(
    work: impl FnOnce() -> T + Send + 'static,
) -> Result<T, Refusal> {
    Ok(tokio::task::spawn_blocking(work).await?)
}

/// Passwords that are hashed at the same time. Each takes 19 MB: many at once would take all there is.
static HASHING: Semaphore = Semaphore::const_new(3);

/// As [`blocking`], for the hashing of passwords: who comes while others are at it waits.
pub(crate) async fn hashing<T: Send + 'static>(
    work: impl FnOnce() -> T + Send + 'static,
) -> Result<T, Refusal> {
    // It is never closed; without a turn nothing would be hashed at all.
    let _turn = HASHING.acquire().await;
    blocking(work).await
}
