//! Encryption, with `rustls`.

use std::path::Path;
use std::sync::Arc;

use rustls::client::WebPkiServerVerifier;
use rustls::client::danger::{HandshakeSignatureValid, ServerCertVerified, ServerCertVerifier};
use rustls::crypto::{CryptoProvider, verify_tls12_signature, verify_tls13_signature};
use rustls::pki_types::pem::PemObject;
use rustls::pki_types::{CertificateDer, PrivateKeyDer, ServerName, UnixTime};
use rustls::{ClientConfig, DigitallySignedStruct, RootCertStore, SignatureScheme};
use tokio_postgres_rustls::MakeRustlsConnect;

use super::settings::{Settings, SslMode};
use crate::error::LiveError;

/// The connector for a mode.
pub fn connector(settings: &Settings) -> Result<MakeRustlsConnect, LiveError> {
    let provider = Arc::new(rustls::crypto::ring::default_provider());
    let builder = ClientConfig::builder_with_provider(provider.clone())
        .with_safe_default_protocol_versions()
        .map_err(|error| LiveError::Engine(error.to_string()))?;
    let verified = matches!(settings.ssl_mode, SslMode::VerifyCa | SslMode::VerifyFull);
    let builder = if settings.ssl_mode == SslMode::VerifyFull {
        builder.with_root_certificates(roots(settings)?)
    } else {
        let authority = match verified || settings.root_certificate.is_some() {
            true => Some(
                WebPkiServerVerifier::builder_with_provider(Arc::new(roots(settings)?), provider.clone())
                    .build()
                    .map_err(|error| LiveError::Engine(error.to_string()))?,
            ),
            false => None,
        };
        builder.dangerous().with_custom_certificate_verifier(Arc::new(AnyHost { authority, provider }))
    };
    let config = match &settings.client_certificate {
        None => builder.with_no_client_auth(),
        Some((certificate, key)) => {
            let chain = certificates("sslcert", certificate)?;
            let key = PrivateKeyDer::from_pem_file(key).map_err(|error| unreadable("sslkey", key, &error))?;
            builder.with_client_auth_cert(chain, key).map_err(|error| unreadable("sslcert", certificate, &error))?
        }
    };
    Ok(MakeRustlsConnect::new(config))
}

fn unreadable(parameter: &str, path: &Path, error: &dyn std::fmt::Display) -> LiveError {
    LiveError::BadUrl(format!("its {parameter} {} can't be read: {error}", path.display()))
}

fn certificates(parameter: &str, path: &Path) -> Result<Vec<CertificateDer<'static>>, LiveError> {
    let found = CertificateDer::pem_file_iter(path).map_err(|error| unreadable(parameter, path, &error))?;
    found.collect::<Result<_, _>>().map_err(|error| unreadable(parameter, path, &error))
}

fn roots(settings: &Settings) -> Result<RootCertStore, LiveError> {
    let mut roots = RootCertStore::empty();
    match settings.root_certificate.as_ref().filter(|path| path.as_os_str() != "system") {
        Some(path) => {
            for certificate in certificates("sslrootcert", path)? {
                roots.add(certificate).map_err(|error| unreadable("sslrootcert", path, &error))?;
            }
        }
        None => {
            let system = rustls_native_certs::load_native_certs();
            roots.add_parsable_certificates(system.certs);
            if let Some(error) = system.errors.first().filter(|_| roots.is_empty()) {
                return Err(LiveError::BadUrl(format!(
                    "the certificates of the operating system can't be read: {error}; name a file with sslrootcert"
                )));
            }
        }
    }
    Ok(roots)
}

/// `require` and `verify-ca`: encrypted, whatever host it is; signed by a known authority, if there is one to be known.
#[derive(Debug)]
struct AnyHost {
    authority: Option<Arc<WebPkiServerVerifier>>,
    provider: Arc<CryptoProvider>,
}

impl ServerCertVerifier for AnyHost {
    fn verify_server_cert(
        &self,
        certificate: &CertificateDer<'_>,
        intermediates: &[CertificateDer<'_>],
        name: &ServerName<'_>,
        ocsp: &[u8],
        now: UnixTime,
    ) -> Result<ServerCertVerified, rustls::Error> {
        let Some(authority) = &self.authority else { return Ok(ServerCertVerified::assertion()) };
        match authority.verify_server_cert(certificate, intermediates, name, ocsp, now) {
            Err(rustls::Error::InvalidCertificate(
                rustls::CertificateError::NotValidForName | rustls::CertificateError::NotValidForNameContext { .. },
            )) => Ok(ServerCertVerified::assertion()),
            outcome => outcome,
        }
    }

    fn verify_tls12_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signature: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        verify_tls12_signature(message, certificate, signature, &self.provider.signature_verification_algorithms)
    }

    fn verify_tls13_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signature: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        verify_tls13_signature(message, certificate, signature, &self.provider.signature_verification_algorithms)
    }

    fn supported_verify_schemes(&self) -> Vec<SignatureScheme> {
        self.provider.signature_verification_algorithms.supported_schemes()
    }
}
