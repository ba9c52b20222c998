//! Codes that people read in one place and type in another: to set a workshop up, to enrol a station.

use rand::RngExt as _;
use sha2::{Digest as _, Sha256};
use std::fmt;

/// Letters and digits that are not taken for one another.
const LETTERS: &[u8; 32] = b"ABCDEFGHJKLMNPQRSTUVWXYZ23456789";
/// How many: 60 bits.
const LENGTH: usize = 12;
/// Most bytes of what is typed that are looked at.
const MOST_TYPED: usize = 60;

/// Letters and digits alone, in capitals.
fn plain(text: &str) -> String {
    text.chars().filter(char::is_ascii_alphanumeric).map(|c| c.to_ascii_uppercase()).collect()
}

/// A code, new with every start of the program.
#[derive(Clone)]
pub(crate) struct SpokenCode(String);

impl fmt::Debug for SpokenCode {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("SpokenCode")
    }
}

impl SpokenCode {
    /// A new code.
    pub(crate) fn random() -> Self {
        let mut bits: u64 = rand::rng().random();
        let mut code = String::with_capacity(LENGTH + 2);
        for k in 0..LENGTH {
            if k > 0 && k % 4 == 0 {
                code.push('-');
            }
            code.push(char::from(LETTERS[usize::try_from(bits % 32).unwrap_or(0)]));
            bits /= 32;
        }
        Self(code)
    }

    /// As it is printed: three groups of four.
    pub(crate) fn text(&self) -> &str {
        &self.0
    }

    /// Whether it is the one that was typed, with or without its dashes, in any case.
    pub(crate) fn is(&self, typed: &str) -> bool {
        typed.len() <= MOST_TYPED && plain(typed) == plain(&self.0)
    }

    /// What is kept of it.
    pub(crate) fn hash(&self) -> [u8; 32] {
        Self::hash_typed(&self.0)
    }

    /// The hash of a code as it was typed.
    pub(crate) fn hash_typed(typed: &str) -> [u8; 32] {
        let typed = if typed.len() > MOST_TYPED { "" } else { typed };
        Sha256::digest(plain(typed)).into()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_code_is_taken_as_people_type_it() {
        let code = SpokenCode::random();
        let text = code.text().to_owned();
        assert_eq!(text.len(), 14);
        assert!(code.is(&text) && code.is(&text.to_lowercase()) && code.is(&text.replace('-', " ")));
        assert!(!code.is("") && !code.is(&text[1..]) && !code.is(SpokenCode::random().text()));
        assert_eq!(SpokenCode::hash_typed(&text.to_lowercase().replace('-', " ")), code.hash());
        assert!(!format!("{code:?}").contains(&text));
    }
}
