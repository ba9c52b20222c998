//! TLS by the program itself, and what is different where people reach it over TLS.

use crate::with_workshop;
use rustls::pki_types::ServerName;
use rustls::{ClientConfig, RootCertStore};
use std::net::{SocketAddr, TcpListener};
use std::sync::Arc;
use store::Store;
use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::net::TcpStream;
use tokio_rustls::TlsConnector;
use web::{Certificate, ServeOptions};
use workshop::Workshop;

const NAME: &str = "pickups.example";

/// A workshop that is served over TLS, and what trusts its certificate.
async fn served() -> (SocketAddr, TlsConnector, Store) {
    let store = dev_database::fresh_store().await;
    with_workshop(&store, "ode").await;
    let made = rcgen::generate_simple_self_signed(vec![NAME.to_owned()]).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let (chain, key) = (folder.path().join("chain.pem"), folder.path().join("key.pem"));
    std::fs::write(&chain, made.cert.pem()).unwrap();
    std::fs::write(&key, made.signing_key.serialize_pem()).unwrap();
    assert!(Certificate::read(&key, &chain).is_err(), "the two are not taken for one another");
    let certificate = Certificate::read(&chain, &key).unwrap();
    let options = ServeOptions {
        base_url: Some(format!("https://{NAME}").parse().unwrap()),
        certificate: Some(certificate),
        ..ServeOptions::default()
    };
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = listener.local_addr().unwrap();
    tokio::spawn(web::serve(Workshop::new(store.clone()), listener, &options).unwrap());
    let mut roots = RootCertStore::empty();
    roots.add(made.cert.der().clone()).unwrap();
    let config = ClientConfig::builder_with_provider(Arc::new(rustls::crypto::ring::default_provider()))
        .with_safe_default_protocol_versions()
        .unwrap()
        .with_root_certificates(roots)
        .with_no_client_auth();
    (address, TlsConnector::from(Arc::new(config)), store)
}

async fn ask(address: SocketAddr, connector: &TlsConnector, request: &str) -> String {
    let stream = TcpStream::connect(address).await.unwrap();
    let name = ServerName::try_from(NAME).unwrap();
    let mut stream = connector.connect(name, stream).await.unwrap();
    stream.write_all(request.as_bytes()).await.unwrap();
    let mut answer = Vec::new();
    let _ = stream.read_to_end(&mut answer).await;
    String::from_utf8_lossy(&answer).into_owned()
}

#[tokio::test(flavor = "multi_thread")]
async fn over_tls_cookies_and_browsers_stay_there() {
    let (address, connector, _) = served().await;
    let head = format!("Host: {NAME}\r\nConnection: close\r\n");
    let page = ask(address, &connector, &format!("GET /sign-in HTTP/1.1\r\n{head}\r\n")).await;
    assert!(page.starts_with("HTTP/1.1 200"), "{page}");
    let lower = page.to_lowercase();
    assert!(lower.contains("strict-transport-security: max-age=31536000"), "{page}");
    let cookie = page.lines().find_map(|l| l.split_once("set-cookie: ")).unwrap().1;
    let token = cookie.split(['=', ';']).nth(1).unwrap();
    assert!(
        cookie.contains("HttpOnly") && cookie.contains("SameSite=Strict") && cookie.contains("Secure"),
        "{cookie}"
    );
    let body = format!("csrf={token}&sign_in=ode&password=seven+thousand+turns&next=/");
    let request = format!(
        "POST /sign-in HTTP/1.1\r\n{head}Cookie: {}\r\nContent-Type: application/x-www-form-urlencoded\r\n\
         Content-Length: {}\r\n\r\n{body}",
        cookie.split(';').next().unwrap(),
        body.len()
    );
    let signed_in = ask(address, &connector, &request).await;
    assert!(signed_in.starts_with("HTTP/1.1 303"), "{signed_in}");
    let session = signed_in.lines().find(|l| l.contains("__Host-filamentum=")).unwrap();
    for mark in ["Secure", "HttpOnly", "SameSite=Lax", "Path=/"] {
        assert!(session.contains(mark), "{mark}: {session}");
    }
    assert!(!session.contains("Domain"), "{session}");
    // Another name is not served here, over TLS neither.
    let other =
        ask(address, &connector, "GET / HTTP/1.1\r\nHost: other.example\r\nConnection: close\r\n\r\n").await;
    assert!(other.starts_with("HTTP/1.1 421"), "{other}");
}

#[tokio::test(flavor = "multi_thread")]
async fn without_tls_there_is_no_answer_on_the_port() {
    let (address, ..) = served().await;
    let mut stream = TcpStream::connect(address).await.unwrap();
    let _ = stream.write_all(format!("GET / HTTP/1.1\r\nHost: {NAME}\r\n\r\n").as_bytes()).await;
    let mut answer = Vec::new();
    let _ = tokio::time::timeout(std::time::Duration::from_secs(3), stream.read_to_end(&mut answer)).await;
    assert!(!String::from_utf8_lossy(&answer).contains("HTTP/1.1 200"));
}
