//! Where to go after signing in.

/// Only places of our own are gone to after signing in.
pub(super) fn inside(next: &str) -> &str {
    let ours = next.starts_with('/')
        && !next.starts_with("//")
        && !next.contains('\\')
        && !next.chars().any(char::is_control)
        && !next.starts_with("/sign");
    if ours { next } else { "/" }
}

#[cfg(test)]
mod tests {
    use super::inside;
    use rstest::rstest;

    #[rstest]
    #[case("/runs/7", "/runs/7")]
    #[case("//elsewhere.example", "/")]
    #[case("https://elsewhere.example", "/")]
    #[case("/\\elsewhere", "/")]
    #[case("/\t/elsewhere.example", "/")]
    #[case("/\n/elsewhere.example", "/")]
    #[case("", "/")]
    #[case("/sign-in", "/")]
    fn after_signing_in_only_our_own_places(#[case] next: &str, #[case] to: &str) {
        assert_eq!(inside(next), to);
    }
}
