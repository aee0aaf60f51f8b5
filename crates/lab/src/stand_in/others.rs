//! What else may sit on a port, as far as its first words go (each protocol's own
//! documentation).

use super::encrypted::{Half, Side};
use super::{Reaction, Server};

/// One such service.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Other {
    /// SSH: greets.
    Ssh,
    /// SMTP: greets.
    Smtp,
    /// FTP: greets.
    Ftp,
    /// A web server: answers whole lines.
    Http,
    /// A proxy that speaks HTTP.
    HttpProxy,
    /// SOCKS: answers its own greeting, closes on anything else.
    Socks,
    /// TDS: answers its own first packet, closes on anything else.
    Tds,
    /// MongoDB: takes the first four bytes for a length.
    Mongodb,
    /// Redis: answers lines.
    Redis,
    /// TLS from the first byte.
    Tls,
    /// The same, and closes without an alert on whatever is no TLS.
    QuietTls,
    /// Wants to be told for whom a proxy speaks; then encrypts or not as PostgreSQL does.
    ProxyHeader,
}

impl Other {
    pub(super) fn serve(self) -> Box<dyn Server> {
        let half = matches!(self, Other::Tls | Other::QuietTls)
            .then(|| Side::with(crate::certificates::CertificateKind::Good).begin());
        Box::new(Line {
            other: self,
            inbox: Vec::new(),
            half,
        })
    }
}

struct Line {
    other: Other,
    inbox: Vec<u8>,
    half: Option<Half>,
}

fn says(text: &[u8]) -> Vec<Reaction> {
    vec![Reaction::Send(text.to_vec())]
}

fn says_and_closes(text: &[u8]) -> Vec<Reaction> {
    vec![Reaction::Send(text.to_vec()), Reaction::Close]
}

impl Server for Line {
    fn opened(&mut self) -> Vec<Reaction> {
        match self.other {
            Other::Ssh => says(b"SSH-2.0-harbour\r\n"),
            Other::Smtp => says(b"220 mail.osmary.example ESMTP\r\n"),
            Other::Ftp => says(b"220 quay FTP server ready\r\n"),
            _ => Vec::new(),
        }
    }

    fn received(&mut self, bytes: &[u8]) -> Vec<Reaction> {
        self.inbox.extend_from_slice(bytes);
        let whole_line = self.inbox.contains(&b'\n');
        match self.other {
            Other::Ssh | Other::Smtp | Other::Ftp => Vec::new(),
            Other::Http if whole_line => {
                says_and_closes(b"HTTP/1.1 400 Bad Request\r\nServer: north-quay\r\n\r\n")
            }
            Other::HttpProxy if whole_line => says_and_closes(
                b"HTTP/1.1 407 Proxy Authentication Required\r\nProxy-Authenticate: Basic\r\n\r\n",
            ),
            Other::Redis if whole_line => {
                says(b"-ERR wrong number of arguments for 'get' command\r\n")
            }
            Other::Http | Other::HttpProxy | Other::Redis => Vec::new(),
            Other::Socks if self.inbox.starts_with(&[5]) => says(&[5, 0xff]),
            Other::Tds if self.inbox.starts_with(&[0x12, 1]) => {
                says(b"\x04\x01\0\x1a\0\0\x01\0\0\0\x0b\0\x06\x01\0\x11\0\x01\xff\x10\0\x10\0\0\0\x02")
            }
            Other::Mongodb if self.inbox.starts_with(b"GET ") => says_and_closes(
                b"HTTP/1.0 200 OK\r\nConnection: close\r\n\r\nIt looks like you are trying to access MongoDB over HTTP on the native driver port.\r\n",
            ),
            Other::Socks | Other::Tds | Other::Mongodb => vec![Reaction::Close],
            Other::QuietTls if self.inbox.first() != Some(&22) => vec![Reaction::Close],
            Other::Tls | Other::QuietTls => match self.half.as_mut() {
                Some(half) => half.received(bytes, &mut |_, _| Vec::new()),
                None => vec![Reaction::Close],
            },
            Other::ProxyHeader => self.behind_a_proxy(),
        }
    }
}

impl Line {
    fn behind_a_proxy(&self) -> Vec<Reaction> {
        let header = b"PROXY ";
        let begun = self.inbox.get(..header.len()).unwrap_or(&self.inbox);
        if !header.starts_with(begun) {
            return vec![Reaction::Close];
        }
        let end = self.inbox.iter().position(|b| *b == b'\n');
        match end.and_then(|end| self.inbox.get(end + 1..)) {
            Some([0, 0, 0, 8, ..]) => says(b"N"),
            Some([]) => says(b"\x4a\0\0\0\x0a8.0.36\0\x08\0\0\0abcdefgh\0"),
            _ => Vec::new(),
        }
    }
}
