//! What TLS is served with.

use rustls::ServerConfig;
use rustls::crypto::ring;
use rustls::pki_types::pem::PemObject as _;
use rustls::pki_types::{CertificateDer, PrivateKeyDer, pem};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use thiserror::Error;

/// Why a certificate and a key cannot be used.
#[derive(Debug, Error)]
pub enum CertificateError {
    /// A file cannot be read, or is not PEM.
    #[error("{path}: {source}")]
    File {
        /// The file.
        path: PathBuf,
        /// Why.
        source: pem::Error,
    },
    /// There is no certificate in the file.
    #[error("{0} holds no certificate")]
    Empty(PathBuf),
    /// The two do not belong together, or are of a kind that is not taken.
    #[error("the certificate and the key cannot be used: {0}")]
    Pair(#[from] rustls::Error),
}

/// A certificate chain with its key, ready to serve TLS 1.2 and 1.3.
#[derive(Clone, Debug)]
pub struct Certificate(Arc<ServerConfig>);

impl Certificate {
    /// Reads a chain and its key from PEM files.
    ///
    /// # Errors
    /// When a file cannot be read, or the two do not belong together.
    pub fn read(chain: &Path, key: &Path) -> Result<Self, CertificateError> {
        let fault = |path: &Path| {
            let path = path.to_owned();
            |source| CertificateError::File { path, source }
        };
        let certificates: Vec<CertificateDer<'static>> =
            CertificateDer::pem_file_iter(chain).and_then(Iterator::collect).map_err(fault(chain))?;
        if certificates.is_empty() {
            return Err(CertificateError::Empty(chain.to_owned()));
        }
        let private = PrivateKeyDer::from_pem_file(key).map_err(fault(key))?;
        let config = ServerConfig::builder_with_provider(Arc::new(ring::default_provider()))
            .with_safe_default_protocol_versions()?
            .with_no_client_auth()
            .with_single_cert(certificates, private)?;
        Ok(Self(Arc::new(config)))
    }

    /// As the server takes it.
    pub(crate) fn config(&self) -> ServerConfig {
        (*self.0).clone()
    }
}
