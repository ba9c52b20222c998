//! Names and passwords that people sign in with.

use argon2::{Algorithm, Argon2, Block, Params, Version};
use password_hash::{Output, PasswordHash};
use std::cell::RefCell;
use std::sync::LazyLock;
use unicode_normalization::UnicodeNormalization as _;

/// Longest name to sign in with, characters.
pub const LONGEST_SIGN_IN: usize = 120;
/// Fewest characters of a password.
pub const SHORTEST_PASSWORD: usize = 12;
/// Most bytes of a password that are looked at: more cannot be anybody's, and hashing takes time.
pub(crate) const LONGEST_PASSWORD_BYTES: usize = 512;
/// Least strength of a password, of 4 (zxcvbn: guesses above 10^8).
const LEAST_STRENGTH: u8 = 3;

/// Letters and digits of a password beside the person's own names.
const OWN_CHARACTERS: usize = 6;

/// Why a password is not taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WeakPassword {
    /// It has fewer characters than [`SHORTEST_PASSWORD`].
    Short,
    /// It is longer than 512 bytes.
    Long,
    /// It is among those that are tried first, or close to one, or made of the person's own names.
    Guessable,
}

/// A name to sign in with as it is compared: in compatibility form (NFKC), so that letters that only look otherwise are
/// the same, and in lower case. `None` when nothing is left of it, when it is too long, and when it holds control
/// characters.
///
/// ```
/// use workshop::sign_in_name;
/// assert_eq!(sign_in_name(" Ode ").as_deref(), Some("ode"));
/// assert_eq!(sign_in_name("ｏｄｅ").as_deref(), Some("ode"));
/// assert_ne!(sign_in_name("öde"), sign_in_name("ode"));
/// assert_eq!(sign_in_name(""), None);
/// ```
#[must_use]
pub fn sign_in_name(typed: &str) -> Option<String> {
    // Before anything is computed of it: a character has up to four bytes.
    if typed.len() > 4 * LONGEST_SIGN_IN {
        return None;
    }
    let name: String = typed.nfkc().flat_map(char::to_lowercase).collect();
    let name = name.trim();
    let is_sound = name.contains(char::is_alphanumeric)
        && name.chars().count() <= LONGEST_SIGN_IN
        && !name.contains(|c: char| c.is_control() || is_invisible(c));
    is_sound.then(|| name.to_owned())
}

/// Characters that are not seen, and that turn the direction of what is.
const fn is_invisible(c: char) -> bool {
    matches!(c, '\u{ad}' | '\u{34f}' | '\u{61c}' | '\u{180e}' | '\u{200b}'..='\u{200f}' | '\u{202a}'..='\u{202e}'
        | '\u{2060}'..='\u{206f}' | '\u{fe00}'..='\u{fe0f}' | '\u{feff}' | '\u{e0000}'..='\u{e0fff}')
}

/// How strong a password is, 0 to 4, beside names that an attacker knows: whole, word by word and without blanks. One with
/// hardly a letter besides is worth nothing.
#[must_use]
pub fn password_strength(password: &str, names: &[&str]) -> u8 {
    let start: String = password.chars().take(100).collect();
    let mut known: Vec<String> = Vec::new();
    for name in names {
        known.extend([name.to_lowercase(), name.to_lowercase().replace(' ', "")]);
        known.extend(name.to_lowercase().split_whitespace().map(str::to_owned));
    }
    known.retain(|name| !name.is_empty());
    known.sort_by_key(|name| std::cmp::Reverse(name.len()));
    let rest = known.iter().fold(start.to_lowercase(), |rest, name| rest.replace(name.as_str(), ""));
    if !names.is_empty() && rest.chars().filter(|c| c.is_alphanumeric()).count() < OWN_CHARACTERS {
        return 0;
    }
    let known: Vec<&str> = known.iter().map(String::as_str).collect();
    zxcvbn::zxcvbn(&start, &known).score().into()
}

/// Whether a password can be taken.
///
/// # Errors
/// Why not.
pub fn check_password(password: &str, names: &[&str]) -> Result<(), WeakPassword> {
    if password.len() > LONGEST_PASSWORD_BYTES {
        return Err(WeakPassword::Long);
    }
    if password.chars().count() < SHORTEST_PASSWORD {
        return Err(WeakPassword::Short);
    }
    if password_strength(password, names) < LEAST_STRENGTH {
        return Err(WeakPassword::Guessable);
    }
    Ok(())
}

/// Hashes a password with Argon2id.
#[must_use]
pub fn hash_password(password: &str) -> String {
    password_auth::generate_hash(password)
}

/// What is verified where there is no such person, so that it takes as long.
static NOBODY: LazyLock<String> = LazyLock::new(|| hash_password("nobody has this password"));

/// Whether a password belongs to a hash; without one it takes as long, and never does.
pub(crate) fn verify_password(password: &str, hash: Option<&str>) -> bool {
    let is_known = hash.is_some() && password.len() <= LONGEST_PASSWORD_BYTES;
    let password = if password.len() <= LONGEST_PASSWORD_BYTES { password } else { "" };
    fits(password, hash.unwrap_or(&NOBODY)).unwrap_or(false) && is_known
}

thread_local! {
    /// The 19 MB that a hash is made in. Given back and taken again for every one, they would be left over many times.
    static WORKSPACE: RefCell<Vec<Block>> = const { RefCell::new(Vec::new()) };
}

/// Whether a hash, in the form of `password_hash`, is the password's.
fn fits(password: &str, hash: &str) -> Result<bool, password_hash::Error> {
    let hash = PasswordHash::new(hash)?;
    let (Some(salt), Some(expected)) = (hash.salt, hash.hash) else { return Ok(false) };
    let algorithm = Algorithm::try_from(hash.algorithm)?;
    let version = hash.version.map_or(Ok(Version::default()), Version::try_from)?;
    let params = Params::try_from(&hash)?;
    let blocks = params.block_count();
    let mut buffer = [0; 64];
    let salt = salt.decode_b64(&mut buffer)?;
    let mut made = vec![0; expected.len()];
    WORKSPACE.with_borrow_mut(|workspace| {
        workspace.resize(blocks, Block::default());
        let argon = Argon2::new(algorithm, version, params);
        argon.hash_password_into_with_memory(password.as_bytes(), salt, &mut made, workspace.as_mut_slice())
    })?;
    // Compared in constant time.
    Ok(Output::new(&made)? == expected)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("Ode", Some("ode"))]
    #[case("ODE\u{301}", Some("odé"))]
    #[case("ｏde", Some("ode"))]
    #[case("\u{2126}ega", Some("ωega"))]
    #[case("   ", None)]
    #[case("a\u{0}b", None)]
    #[case("a\nb", None)]
    #[case("\u{200b}", None)]
    #[case("ode\u{200b}", None)]
    #[case("\u{202e}edo", None)]
    #[case("...", None)]
    fn names_are_compared_in_one_form(#[case] typed: &str, #[case] name: Option<&str>) {
        assert_eq!(sign_in_name(typed).as_deref(), name);
    }

    #[test]
    fn a_name_of_five_megabytes_is_none() {
        assert_eq!(sign_in_name(&"o".repeat(5_000_000)), None);
        assert_eq!(sign_in_name(&"o".repeat(LONGEST_SIGN_IN + 1)), None);
        // Some letters become many in compatibility form.
        assert_eq!(sign_in_name(&"\u{fdfa}".repeat(LONGEST_SIGN_IN)), None);
    }

    #[rstest]
    #[case("seven thousand turns", Ok(()))]
    #[case("short", Err(WeakPassword::Short))]
    #[case("abcdefghijkl", Err(WeakPassword::Guessable))]
    #[case("password1234", Err(WeakPassword::Guessable))]
    #[case("aaaaaaaaaaaaaaaa", Err(WeakPassword::Guessable))]
    #[case("sedgelaneode", Err(WeakPassword::Guessable))]
    #[case("sedgelane1234", Err(WeakPassword::Guessable))]
    #[case("Ode Farrow 1990", Err(WeakPassword::Guessable))]
    fn passwords_that_are_tried_first_are_not_taken(
        #[case] password: &str,
        #[case] found: Result<(), WeakPassword>,
    ) {
        assert_eq!(check_password(password, &["Ode Farrow", "ode", "Sedge Lane"]), found);
    }

    #[test]
    fn a_password_of_megabytes_is_refused_before_it_is_hashed() {
        assert_eq!(check_password(&"x y z ".repeat(1_000_000), &[]), Err(WeakPassword::Long));
        let hash = hash_password("");
        assert!(!verify_password(&"x".repeat(1_000_000), Some(&hash)));
    }

    #[test]
    fn a_password_fits_its_own_hash() {
        let hash = hash_password("seven thousand turns");
        assert!(verify_password("seven thousand turns", Some(&hash)));
        assert!(!verify_password("seven thousand turn", Some(&hash)));
        assert!(!verify_password("nobody has this password", None));
        // As the crate that made it says, and only whole hashes of the one algorithm.
        assert!(password_auth::verify_password("seven thousand turns", &hash).is_ok());
        for broken in [
            "",
            "x",
            "$argon2id$v=19$m=19456,t=2,p=1$c2FsdHNhbHQ",
            &hash.replace("argon2id", "scrypt"),
            &hash[1..],
        ] {
            assert!(!verify_password("seven thousand turns", Some(broken)), "{broken}");
        }
    }

    /// RFC 9106, section 5.3 has a secret and associated data, which a stored hash has not; this is the reference
    /// implementation's own check (argon2, test.c: argon2id, version 19, two passes, 64 MB, one lane), from memory.
    #[test]
    fn a_hash_of_the_reference_implementation_fits() {
        let hash = "$argon2id$v=19$m=65536,t=2,p=1$c29tZXNhbHQ$CTFhFdXPJO1aFaMaO6Mm5c8y7cJHAph8ArZWb2GRPPc";
        assert!(verify_password("password", Some(hash)));
        assert!(!verify_password("Password", Some(hash)));
    }
}
