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

/// A place of ours as the value of a parameter.
pub(super) fn encoded(next: &str) -> String {
    let is_plain = |b: u8| b.is_ascii_alphanumeric() || b"/-_.".contains(&b);
    next.bytes().map(|b| if is_plain(b) { char::from(b).to_string() } else { format!("%{b:02X}") }).collect()
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
