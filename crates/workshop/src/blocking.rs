//! Computation off the threads that serve requests.

use crate::refusal::Refusal;

/// Runs a computation on a thread that serves nobody, and waits for it.
pub(crate) async fn blocking<T: Send + 'static>(
    work: impl FnOnce() -> T + Send + 'static,
) -> Result<T, Refusal> {
    Ok(tokio::task::spawn_blocking(work).await?)
}
