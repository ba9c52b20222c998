//! Random secrets that are given away once and kept as their hash.

use rand::RngExt as _;
use sha2::{Digest as _, Sha256};
use std::fmt;

/// 256 random bits. Neither printed by accident nor kept: the database holds the hash alone.
#[derive(Clone, PartialEq, Eq)]
pub struct Secret([u8; 32]);

impl fmt::Debug for Secret {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Secret")
    }
}

impl Secret {
    /// A new one.
    pub(crate) fn random() -> Self {
        Self(rand::rng().random())
    }

    /// As [`Self::text`] writes it.
    pub(crate) fn parse(text: &str) -> Option<Self> {
        if text.len() != 64 || !text.is_ascii() {
            return None;
        }
        let mut bits = [0; 32];
        for (k, byte) in bits.iter_mut().enumerate() {
            *byte = u8::from_str_radix(text.get(2 * k..2 * k + 2)?, 16).ok()?;
        }
        // One way to write each: no signs, no capitals.
        let found = Self(bits);
        (found.text() == text).then_some(found)
    }

    /// As it is given away: 64 hexadecimal digits.
    #[must_use]
    pub fn text(&self) -> String {
        self.0.iter().map(|byte| format!("{byte:02x}")).collect()
    }

    /// What is kept of it.
    pub(crate) fn hash(&self) -> [u8; 32] {
        Sha256::digest(self.0).into()
    }
}

#[cfg(test)]
mod tests {
    use super::Secret;
    use rstest::rstest;

    #[test]
    fn a_secret_reads_back_and_is_not_printed() {
        let one = Secret::random();
        assert_eq!(Secret::parse(&one.text()), Some(one.clone()));
        assert_ne!(one.hash(), Secret::random().hash());
        assert!(!format!("{one:?}").contains(&one.text()));
    }

    #[rstest]
    #[case("")]
    #[case("zz")]
    #[case(&"+1".repeat(32))]
    #[case(&"AA".repeat(32))]
    #[case(&"é".repeat(32))]
    fn nothing_else_is_taken_for_one(#[case] text: &str) {
        assert_eq!(Secret::parse(text), None);
    }
}
