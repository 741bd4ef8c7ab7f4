//! Encryption, with `rustls`.

use std::sync::Arc;

use rustls::client::WebPkiServerVerifier;
use rustls::client::danger::{HandshakeSignatureValid, ServerCertVerified, ServerCertVerifier};
use rustls::crypto::{CryptoProvider, verify_tls12_signature, verify_tls13_signature};
use rustls::pki_types::pem::PemObject;
use rustls::pki_types::{CertificateDer, ServerName, UnixTime};
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
    if !verified && settings.root_certificate.is_none() {
        let verifier = Arc::new(Unverified(provider));
        return Ok(MakeRustlsConnect::new(
            builder.dangerous().with_custom_certificate_verifier(verifier).with_no_client_auth(),
        ));
    }
    let roots = roots(settings)?;
    if settings.ssl_mode == SslMode::VerifyFull {
        return Ok(MakeRustlsConnect::new(builder.with_root_certificates(roots).with_no_client_auth()));
    }
    let inner = WebPkiServerVerifier::builder_with_provider(Arc::new(roots), provider)
        .build()
        .map_err(|error| LiveError::Engine(error.to_string()))?;
    let config = builder.dangerous().with_custom_certificate_verifier(Arc::new(AnyName(inner))).with_no_client_auth();
    Ok(MakeRustlsConnect::new(config))
}

fn roots(settings: &Settings) -> Result<RootCertStore, LiveError> {
    let mut roots = RootCertStore::empty();
    match settings.root_certificate.as_ref().filter(|path| path.as_os_str() != "system") {
        Some(path) => {
            let unreadable = |error: &dyn std::fmt::Display| {
                LiveError::BadUrl(format!("its sslrootcert {} can't be read: {error}", path.display()))
            };
            for certificate in CertificateDer::pem_file_iter(path).map_err(|error| unreadable(&error))? {
                roots.add(certificate.map_err(|error| unreadable(&error))?).map_err(|error| unreadable(&error))?;
            }
        }
        None => roots.extend(webpki_roots::TLS_SERVER_ROOTS.iter().cloned()),
    }
    Ok(roots)
}

/// `require`: encrypted, whoever it is.
#[derive(Debug)]
struct Unverified(Arc<CryptoProvider>);

impl ServerCertVerifier for Unverified {
    fn verify_server_cert(
        &self,
        _: &CertificateDer<'_>,
        _: &[CertificateDer<'_>],
        _: &ServerName<'_>,
        _: &[u8],
        _: UnixTime,
    ) -> Result<ServerCertVerified, rustls::Error> {
        Ok(ServerCertVerified::assertion())
    }

    fn verify_tls12_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signature: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        verify_tls12_signature(message, certificate, signature, &self.0.signature_verification_algorithms)
    }

    fn verify_tls13_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signature: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        verify_tls13_signature(message, certificate, signature, &self.0.signature_verification_algorithms)
    }

    fn supported_verify_schemes(&self) -> Vec<SignatureScheme> {
        self.0.signature_verification_algorithms.supported_schemes()
    }
}

/// `verify-ca`: signed by a known authority, for whatever host.
#[derive(Debug)]
struct AnyName(Arc<WebPkiServerVerifier>);

impl ServerCertVerifier for AnyName {
    fn verify_server_cert(
        &self,
        certificate: &CertificateDer<'_>,
        intermediates: &[CertificateDer<'_>],
        name: &ServerName<'_>,
        ocsp: &[u8],
        now: UnixTime,
    ) -> Result<ServerCertVerified, rustls::Error> {
        match self.0.verify_server_cert(certificate, intermediates, name, ocsp, now) {
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
        self.0.verify_tls12_signature(message, certificate, signature)
    }

    fn verify_tls13_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signature: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        self.0.verify_tls13_signature(message, certificate, signature)
    }

    fn supported_verify_schemes(&self) -> Vec<SignatureScheme> {
        self.0.supported_verify_schemes()
    }
}
