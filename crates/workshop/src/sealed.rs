//! Secrets that the database keeps and must be read again, sealed with a key that stands outside of it: whoever holds the
//! database or a backup alone reads none of them.

use rand::RngExt as _;
use ring::aead::{Aad, CHACHA20_POLY1305, LessSafeKey, NONCE_LEN, Nonce, UnboundKey};
use std::fs::OpenOptions;
use std::io::{self, Read as _, Write as _};
use std::os::unix::fs::OpenOptionsExt as _;
use std::path::Path;
use std::sync::Arc;

const KEY_BYTES: usize = 32;
/// What a sealed text begins with; one without it was kept before there was a key.
const MARK: &str = "sealed:1:";

/// The key: 256 bits, for ChaCha20-Poly1305 (RFC 8439).
#[derive(Clone)]
pub struct SecretKey(Arc<LessSafeKey>);

impl std::fmt::Debug for SecretKey {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("SecretKey")
    }
}

impl SecretKey {
    /// A key of those bytes.
    ///
    /// # Errors
    /// When they are not as many as a key has.
    fn parse(bytes: &[u8]) -> io::Result<Self> {
        let key = UnboundKey::new(&CHACHA20_POLY1305, bytes);
        let key = key
            .map_err(|_unspecified| io::Error::new(io::ErrorKind::InvalidData, "it is no key of 32 bytes"))?;
        Ok(Self(Arc::new(LessSafeKey::new(key))))
    }

    /// The key in a file, which is made, readable by its owner alone, where there is none.
    ///
    /// # Errors
    /// When the file cannot be read or made, or is no key.
    pub fn at(path: &Path) -> io::Result<Self> {
        match OpenOptions::new().write(true).create_new(true).mode(0o600).open(path) {
            Ok(mut file) => {
                let bytes: [u8; KEY_BYTES] = rand::rng().random();
                file.write_all(&bytes)?;
                file.sync_all()?;
                Self::parse(&bytes)
            }
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
                let mut bytes = Vec::new();
                std::fs::File::open(path)?.take(KEY_BYTES as u64 + 1).read_to_end(&mut bytes)?;
                Self::parse(&bytes)
            }
            Err(error) => Err(error),
        }
    }

    /// Seals a text for the place that it is kept at: moved to another one it is not opened.
    pub(crate) fn seal(&self, place: &str, text: &str) -> String {
        let nonce: [u8; NONCE_LEN] = rand::rng().random();
        let mut bytes = text.as_bytes().to_vec();
        let sealing = Nonce::assume_unique_for_key(nonce);
        // Only texts of more than 256 GB cannot be sealed.
        if self.0.seal_in_place_append_tag(sealing, Aad::from(place), &mut bytes).is_err() {
            return String::new();
        }
        let hexadecimal = nonce.iter().chain(&bytes).map(|byte| format!("{byte:02x}"));
        format!("{MARK}{}", hexadecimal.collect::<String>())
    }

    /// Opens a text; `None` where another key sealed it, or it was changed.
    pub(crate) fn open(&self, place: &str, kept: &str) -> Option<String> {
        let digits = kept.strip_prefix(MARK)?.as_bytes();
        let byte = |pair: &[u8]| u8::from_str_radix(std::str::from_utf8(pair).ok()?, 16).ok();
        let bytes: Vec<u8> = digits.chunks(2).map(byte).collect::<Option<_>>()?;
        let (nonce, sealed) = bytes.split_at_checked(NONCE_LEN)?;
        let mut sealed = sealed.to_vec();
        let nonce = Nonce::try_assume_unique_for_key(nonce).ok()?;
        let opened = self.0.open_in_place(nonce, Aad::from(place), &mut sealed).ok()?;
        String::from_utf8(opened.to_vec()).ok()
    }
}

/// Whether a text is sealed.
pub(crate) fn is_sealed(kept: &str) -> bool {
    kept.starts_with(MARK)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::os::unix::fs::PermissionsExt as _;

    #[test]
    fn only_the_same_key_opens_at_the_same_place() {
        let (one, other) = (SecretKey::parse(&[1; 32]).unwrap(), SecretKey::parse(&[2; 32]).unwrap());
        let kept = one.seal("person 1", "GEZDGNBV");
        assert!(is_sealed(&kept) && !kept.contains("GEZDGNBV") && kept.len() < 200);
        assert_ne!(kept, one.seal("person 1", "GEZDGNBV"), "sealed anew it looks different");
        assert_eq!(one.open("person 1", &kept).as_deref(), Some("GEZDGNBV"));
        assert_eq!(one.open("person 2", &kept), None);
        assert_eq!(other.open("person 1", &kept), None);
        let mut changed = kept.clone();
        let last = changed.pop().unwrap();
        changed.push(if last == '0' { '1' } else { '0' });
        for bad in [changed.as_str(), "sealed:1:", "sealed:1:zz", "sealed:1:é", "GEZDGNBV"] {
            assert_eq!(one.open("person 1", bad), None, "{bad}");
        }
    }

    #[test]
    fn a_key_is_made_once_for_its_owner_alone() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("secret.key");
        let made = SecretKey::at(&path).unwrap();
        assert_eq!(std::fs::metadata(&path).unwrap().permissions().mode() & 0o777, 0o600);
        let kept = made.seal("", "x");
        assert_eq!(SecretKey::at(&path).unwrap().open("", &kept).as_deref(), Some("x"));
        for bad in [&b""[..], &[7; 31], &[7; 33]] {
            std::fs::write(&path, bad).unwrap();
            assert!(SecretKey::at(&path).is_err(), "{} bytes", bad.len());
        }
        assert!(SecretKey::at(&folder.path().join("none/secret.key")).is_err());
    }
}
