//! Work on two threads.

/// Two pieces of work that know nothing of each other, on two threads.
pub(crate) fn side_by_side<A, B: Send>(
    first: impl FnOnce() -> A,
    second: impl FnOnce() -> B + Send,
) -> (A, B) {
    std::thread::scope(|scope| {
        let second = scope.spawn(second);
        let first = first();
        (first, second.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)))
    })
}
