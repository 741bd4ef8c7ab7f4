//! Certificates for a server and a client, made for one test and signed by an authority of its own.

use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::PathBuf;

use rcgen::{BasicConstraints, CertificateParams, DnType, IsCa, Issuer, KeyPair};

use crate::mariadb;
use crate::postgres::{Age, Server, free_port};

/// A server that refuses connections without encryption, and the role `ida` only with a certificate.
pub struct Guarded {
    /// The server. Its certificate is for `localhost`.
    pub server: Server,
    files: tempfile::TempDir,
}

impl Guarded {
    /// Starts one.
    pub fn start(age: Age) -> Guarded {
        let authority = authority("the cooperative");
        let (certificate, key) = signed("localhost", &authority.1);
        let (client, client_key) = signed("ida", &authority.1);
        let files = tempfile::tempdir().expect("a temporary folder");
        let other = self::authority("somebody else").0;
        let texts = [("root.crt", &authority.0), ("other.crt", &other), ("ida.crt", &client), ("ida.key", &client_key)];
        for (name, text) in texts {
            fs::write(files.path().join(name), text).expect("the folder is there");
        }
        let rules = "local all all trust\nhostssl all ida 127.0.0.1/32 cert\nhostssl all postgres 127.0.0.1/32 trust\n";
        let settings = "ssl = on\nssl_ca_file = 'root.crt'\n";
        let programs = Server::of(age).programs.clone();
        let server = Server::with(
            &programs,
            &format!("guarded-{}", age as u8),
            &[
                ("pg_hba.conf", rules),
                ("postgresql.conf", settings),
                ("root.crt", &authority.0),
                ("server.crt", &certificate),
                ("server.key", &key),
            ],
        );
        server.psql("postgres", "CREATE ROLE ida LOGIN").expect("a role");
        Guarded { server, files }
    }

    /// The path of `root.crt`, `other.crt` (an authority that signed nothing here), `ida.crt` or `ida.key`.
    pub fn file(&self, name: &str) -> PathBuf {
        self.files.path().join(name)
    }
}

/// A MariaDB server that user `ida` must come to with TLS, and user `bo` with a certificate.
pub struct GuardedMaria {
    /// The server. Its certificate is for `localhost`.
    pub server: mariadb::Server,
    port: u16,
    files: tempfile::TempDir,
}

impl GuardedMaria {
    /// Starts one, with a database `honey`.
    pub fn start() -> GuardedMaria {
        let authority = authority("the cooperative");
        let (certificate, key) = signed("localhost", &authority.1);
        let (client, client_key) = signed("bo", &authority.1);
        let other = self::authority("somebody else").0;
        let files = tempfile::Builder::new().permissions(fs::Permissions::from_mode(0o755)).tempdir();
        let files = files.expect("a temporary folder");
        let texts = [
            ("root.crt", &authority.0),
            ("other.crt", &other),
            ("server.crt", &certificate),
            ("server.key", &key),
            ("bo.crt", &client),
            ("bo.key", &client_key),
        ];
        for (name, text) in texts {
            fs::write(files.path().join(name), text).expect("the folder is there");
        }
        let port = free_port();
        let path = |name: &str| files.path().join(name).display().to_string();
        let server = mariadb::Server::start(
            "guarded",
            &[
                &format!("--ssl-ca={}", path("root.crt")),
                &format!("--ssl-cert={}", path("server.crt")),
                &format!("--ssl-key={}", path("server.key")),
                &format!("--port={port}"),
                "--skip-networking=0",
                "--bind-address=127.0.0.1",
            ],
        );
        let users =
            "CREATE DATABASE honey; CREATE USER ida REQUIRE SSL; CREATE USER bo REQUIRE X509; CREATE USER keeper;
            GRANT ALL ON *.* TO ida; GRANT ALL ON *.* TO bo; GRANT ALL ON *.* TO keeper;";
        server.client("mysql", users).expect("new users");
        GuardedMaria { server, port, files }
    }

    /// The path of `root.crt`, `other.crt` (an authority that signed nothing here), `bo.crt` or `bo.key`.
    pub fn file(&self, name: &str) -> PathBuf {
        self.files.path().join(name)
    }

    /// The URL for a user, by a name of this machine.
    pub fn url(&self, user: &str, host: &str) -> String {
        format!("mariadb://{user}@{host}:{}/honey?no-defaults=1", self.port)
    }
}

type Authority = Issuer<'static, KeyPair>;

fn authority(name: &str) -> (String, Authority) {
    let key = KeyPair::generate().expect("a key");
    let mut parameters = CertificateParams::default();
    parameters.is_ca = IsCa::Ca(BasicConstraints::Unconstrained);
    parameters.distinguished_name.push(DnType::CommonName, name);
    let certificate = parameters.self_signed(&key).expect("a certificate");
    (certificate.pem(), Issuer::new(parameters, key))
}

fn signed(name: &str, authority: &Authority) -> (String, String) {
    let key = KeyPair::generate().expect("a key");
    let mut parameters = CertificateParams::new(vec![name.to_owned()]).expect("a name");
    parameters.distinguished_name.push(DnType::CommonName, name);
    let certificate = parameters.signed_by(&key, authority).expect("a certificate");
    (certificate.pem(), key.serialize_pem())
}
