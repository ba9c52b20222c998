//! The code that setting up takes: printed where the program was started, so that not the first visitor owns the shop.

use rand::RngExt as _;
use std::fmt;

/// Letters and digits that are not taken for one another.
const LETTERS: &[u8; 32] = b"ABCDEFGHJKLMNPQRSTUVWXYZ23456789";
/// How many: 60 bits.
const LENGTH: usize = 12;

/// A code, new with every start of the program.
#[derive(Clone)]
pub(crate) struct SetUpCode(String);

impl fmt::Debug for SetUpCode {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("SetUpCode")
    }
}

impl SetUpCode {
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
        if typed.len() > 60 {
            return false;
        }
        let plain = |text: &str| {
            text.chars()
                .filter(char::is_ascii_alphanumeric)
                .map(|c| c.to_ascii_uppercase())
                .collect::<String>()
        };
        plain(typed) == plain(&self.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_code_is_taken_as_people_type_it() {
        let code = SetUpCode::random();
        let text = code.text().to_owned();
        assert_eq!(text.len(), 14);
        assert!(code.is(&text) && code.is(&text.to_lowercase()) && code.is(&text.replace('-', " ")));
        assert!(!code.is("") && !code.is(&text[1..]) && !code.is(SetUpCode::random().text()));
        assert!(!format!("{code:?}").contains(&text));
    }
}
