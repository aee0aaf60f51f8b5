//! What a listener of this machine speaks: by its greeting, or by its answer to a few bytes
//! that hold nothing of anybody's settings. At most three lines to each.

use std::net::SocketAddr;
use std::time::Duration;

use chronaxis_engines::{ServiceProbe, by_id, who_speaks};
use chronaxis_model::fact::{Service, Spoke};
use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::net::TcpStream;
use tokio::time::timeout;

/// How long a greeting, or an answer, is waited for.
const WAIT: Duration = Duration::from_millis(300);

/// Who answers there, and how.
pub async fn who(to: SocketAddr) -> (Option<Service>, Spoke) {
    let mut last = Spoke::Silent;
    let port = to.port();
    let engine = by_id(chronaxis_engines::TCP);
    let first = match port {
        5432..=5439 | 6432 => ServiceProbe::Postgresql,
        _ => ServiceProbe::first_for(port, engine),
    };
    let kinds = [
        None,
        Some(first),
        Some(first.next_for(1, false)),
        Some(ServiceProbe::Tls),
    ];
    for kind in kinds {
        let bytes = kind.map(|kind| kind.bytes(engine)).unwrap_or_default();
        let (answer, spoke) = exchange(to, &bytes).await;
        if let Some(service) = who_speaks(&answer) {
            return (Some(service), Spoke::Answered);
        }
        last = match (last, spoke) {
            (Spoke::Answered, _) => Spoke::Answered,
            (_, spoke) => spoke,
        };
    }
    (None, last)
}

/// Connects, sends, and takes what comes.
async fn exchange(to: SocketAddr, bytes: &[u8]) -> (Vec<u8>, Spoke) {
    let Ok(Ok(mut stream)) = timeout(WAIT, TcpStream::connect(to)).await else {
        return (Vec::new(), Spoke::Silent);
    };
    if stream.write_all(bytes).await.is_err() {
        return (Vec::new(), Spoke::Closed);
    }
    let mut buffer = vec![0u8; 1024];
    match timeout(WAIT, stream.read(&mut buffer)).await {
        Err(_) => (Vec::new(), Spoke::Silent),
        Ok(Ok(n)) if n > 0 => {
            buffer.truncate(n);
            (buffer, Spoke::Answered)
        }
        Ok(_) => (Vec::new(), Spoke::Closed),
    }
}
