//! Asks a running server over a connection that is kept, as the tools that measure do.

use tokio::io::{AsyncBufReadExt as _, AsyncReadExt as _, AsyncWriteExt as _, BufReader};
use tokio::net::{TcpStream, ToSocketAddrs};

/// One who asks.
pub(crate) struct Asker {
    stream: BufReader<TcpStream>,
    /// The server's address, by which it is asked for.
    host: String,
    /// The cookies.
    pub cookie: String,
}

impl Asker {
    /// Connects, with a cookie or an empty one.
    pub(crate) async fn to(address: impl ToSocketAddrs, cookie: &str) -> Self {
        let stream = TcpStream::connect(address).await.unwrap();
        stream.set_nodelay(true).unwrap();
        let host = stream.peer_addr().unwrap().to_string();
        Self { stream: BufReader::new(stream), host, cookie: cookie.to_owned() }
    }

    /// Status and body of an answer.
    pub(crate) async fn ask(&mut self, method: &str, path: &str, body: &str) -> (u16, String) {
        let request = format!(
            "{method} {path} HTTP/1.1\r\nHost: {}\r\nCookie: {}\r\nContent-Type: application/x-www-form-urlencoded\r\n\
             Content-Length: {}\r\n\r\n{body}",
            self.host,
            self.cookie,
            body.len()
        );
        self.stream.get_mut().write_all(request.as_bytes()).await.unwrap();
        let (mut status, mut length) = (0, 0);
        loop {
            let mut line = String::new();
            self.stream.read_line(&mut line).await.unwrap();
            let line = line.trim_end();
            if line.is_empty() {
                break;
            }
            if let Some(code) = line.strip_prefix("HTTP/1.1 ") {
                status = code[..3].parse().unwrap();
            }
            let (name, value) = line.split_once(": ").unwrap_or((line, ""));
            match name.to_ascii_lowercase().as_str() {
                "content-length" => length = value.parse().unwrap(),
                "set-cookie" => {
                    let pair = value.split(';').next().unwrap();
                    let name = pair.split('=').next().unwrap().to_owned() + "=";
                    let others = self.cookie.split("; ").filter(|c| !c.is_empty() && !c.starts_with(&name));
                    self.cookie = others.chain([pair]).collect::<Vec<_>>().join("; ");
                }
                _ => {}
            }
        }
        let mut answer = vec![0; length];
        self.stream.read_exact(&mut answer).await.unwrap();
        (status, String::from_utf8_lossy(&answer).into_owned())
    }
}

/// A hidden field's value.
pub(crate) fn hidden(page: &str, name: &str) -> String {
    let from = page.split_once(&format!("name=\"{name}\" value=\"")).map_or("", |(_, rest)| rest);
    from.split('"').next().unwrap_or_default().to_owned()
}
