//! Certificates: read from files, and read anew when these change, so that a renewed one needs no restart.

use std::path::{Path, PathBuf};
use std::sync::{Arc, PoisonError, RwLock};
use std::time::{Duration, SystemTime};

use rustls::ServerConfig;
use rustls::crypto::ring;
use rustls::pki_types::pem::PemObject;
use rustls::pki_types::{CertificateDer, PrivateKeyDer};
use rustls::server::{ClientHello, ResolvesServerCert};
use rustls::sign::CertifiedKey;

/// How often it is looked whether the files changed.
const LOOK_EVERY: Duration = Duration::from_secs(20);

/// What is wrong with a certificate or its key.
#[derive(Debug, thiserror::Error)]
#[error("{file}: {why}")]
pub struct TlsError {
    file: String,
    why: String,
}

fn wrong(file: &Path, why: &dyn std::fmt::Display) -> TlsError {
    TlsError { file: file.display().to_string(), why: why.to_string() }
}

/// A certificate with its chain and its key, as the files now hold them.
#[derive(Debug)]
struct Certificate {
    files: [PathBuf; 2],
    now: RwLock<Arc<CertifiedKey>>,
}

impl Certificate {
    fn read([chain, key]: &[PathBuf; 2]) -> Result<CertifiedKey, TlsError> {
        let of_file = |e: rustls::pki_types::pem::Error| wrong(chain, &e);
        let certificates: Result<Vec<_>, _> =
            CertificateDer::pem_file_iter(chain).map_err(of_file)?.collect();
        let certificates = certificates.map_err(of_file)?;
        if certificates.is_empty() {
            return Err(wrong(chain, &"holds no certificate"));
        }
        let secret = PrivateKeyDer::from_pem_file(key).map_err(|e| wrong(key, &e))?;
        CertifiedKey::from_der(certificates, secret, &ring::default_provider())
            .map_err(|e| wrong(key, &e))
    }

    /// When they were last written.
    fn written(&self) -> [Option<SystemTime>; 2] {
        [0, 1].map(|n| std::fs::metadata(&self.files[n]).and_then(|of| of.modified()).ok())
    }

    /// Reads them anew as they change, as long as somebody serves with them.
    fn watch(self: &Arc<Self>) -> std::io::Result<()> {
        let (of, mut seen) = (Arc::downgrade(self), self.written());
        std::thread::Builder::new().name("certificates".to_owned()).spawn(move || {
            loop {
                std::thread::sleep(LOOK_EVERY);
                let Some(of) = of.upgrade() else { return };
                let now = of.written();
                if now == seen {
                    continue;
                }
                match Self::read(&of.files) {
                    Ok(read) => {
                        *of.now.write().unwrap_or_else(PoisonError::into_inner) = Arc::new(read);
                        seen = now;
                        tracing::info!("the certificate was read anew");
                    }
                    // Half written: the one before goes on, and it is looked again.
                    Err(error) => {
                        tracing::warn!(%error, "the certificate that came is no good yet");
                    }
                }
            }
        })?;
        Ok(())
    }
}

impl ResolvesServerCert for Certificate {
    fn resolve(&self, _: ClientHello<'_>) -> Option<Arc<CertifiedKey>> {
        Some(Arc::clone(&self.now.read().unwrap_or_else(PoisonError::into_inner)))
    }
}

/// TLS 1.2 and 1.3 with a certificate and its chain in one file and the key in another, both PEM.
///
/// # Errors
/// A file cannot be read, or they do not belong together.
pub fn from_files(chain: &Path, key: &Path) -> Result<ServerConfig, TlsError> {
    let files = [chain.to_owned(), key.to_owned()];
    let now = RwLock::new(Arc::new(Certificate::read(&files)?));
    let certificate = Arc::new(Certificate { files, now });
    certificate.watch().map_err(|e| wrong(chain, &e))?;
    let config = ServerConfig::builder_with_provider(Arc::new(ring::default_provider()))
        .with_safe_default_protocol_versions()
        .map_err(|e| wrong(chain, &e))?;
    Ok(config.with_no_client_auth().with_cert_resolver(certificate))
}
