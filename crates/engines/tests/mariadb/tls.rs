//! Connections with TLS.

use wevrun_engines::{Access, LiveError, open};
use wevrun_testkit::certificates::GuardedMaria;
use wevrun_testkit::mariadb::Server;

fn connects(url: &str) -> Result<(), LiveError> {
    let url = url.parse().expect("a URL");
    open(&url, Access::Read).and_then(|mut database| database.read()).map(drop)
}

#[test]
fn a_certificate_is_checked_as_far_as_the_mode_says() {
    let guarded = GuardedMaria::start();
    let file = |name: &str| guarded.file(name).display().to_string();
    let (root, other) = (file("root.crt"), file("other.crt"));
    let ida = guarded.url("ida", "127.0.0.1");
    for (rest, may) in [
        ("&ssl-mode=disabled".to_owned(), false),
        ("&ssl-mode=preferred".to_owned(), true),
        ("&ssl-mode=required".to_owned(), true),
        (format!("&ssl-mode=verify-ca&ssl-ca={root}"), true),
        (format!("&ssl-mode=verify-ca&ssl-ca={other}"), false),
        ("&ssl-mode=verify-ca".to_owned(), false),
        // The certificate is for localhost.
        (format!("&ssl-mode=verify-identity&ssl-ca={root}"), false),
    ] {
        let found = connects(&format!("{ida}{rest}"));
        assert_eq!(found.is_ok(), may, "{rest}: {found:?}");
    }
    let named = format!("{}&ssl-mode=verify-identity&ssl-ca=", guarded.url("ida", "localhost"));
    connects(&format!("{named}{root}")).expect("it is the right host");
    assert!(connects(&format!("{named}{other}")).is_err());
    // A user who must have a certificate.
    let bo = format!("{}&ssl-mode=verify-ca&ssl-ca={root}", guarded.url("bo", "127.0.0.1"));
    assert!(matches!(connects(&bo), Err(LiveError::Refused(..))));
    connects(&format!("{bo}&ssl-cert={}&ssl-key={}", file("bo.crt"), file("bo.key"))).expect("it has one");
}

/// What a server does not know is not asked for, or refused.
#[test]
fn a_server_without_tls_is_taken_only_if_that_is_allowed() {
    let (server, port) = Server::without_tls();
    server.client("mysql", "CREATE DATABASE honey; CREATE USER ida; GRANT ALL ON *.* TO ida").expect("a database");
    let url = |mode: &str| format!("mariadb://ida@127.0.0.1:{port}/honey?no-defaults=1&ssl-mode={mode}");
    connects(&url("preferred")).expect("it need not know TLS");
    connects(&url("disabled")).expect("it need not know TLS");
    let refused = connects(&url("required"));
    assert!(matches!(refused, Err(LiveError::Unreachable(..))), "{refused:?}");
}
