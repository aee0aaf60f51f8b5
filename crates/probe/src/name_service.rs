//! Asking one resolver one question, and reading what it says (RFC 1035; RFC 2782 for the
//! places of services; RFC 3596 for IPv6 addresses).
//!
//! Over UDP first, again after a second of silence, and over TCP where the answer was cut
//! off (RFC 7766, section 5). Only a message with our number and our question is an answer;
//! whatever else comes is remembered and waited past, as a resolver of the system does.

use std::collections::BTreeSet;
use std::io;
use std::net::{IpAddr, SocketAddr};
use std::time::Duration;

use chronaxis_model::fact::{AnswerTrouble, Fact, Icmp, RecordKind, ResolverAnswer, ServicePlace};
use chronaxis_model::layer::Micros;
use chronaxis_model::redact::Redactor;
use hickory_proto::op::{Message, MessageType, OpCode, Query, ResponseCode};
use hickory_proto::rr::{Name, RData, Record, RecordType};
use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::net::{TcpStream, UdpSocket};
use tokio::time::timeout;

use crate::clock::Clock;
use crate::error_queue;
use crate::errors::name as error_name;

/// After how long a question is sent once more: it may have been lost.
const AGAIN: Duration = Duration::from_secs(1);

/// Most records of an answer that are looked at.
const MOST_RECORDS: usize = 64;

/// Most aliases that are followed. What leads over more is taken for a circle.
const MOST_ALIASES: usize = 16;

/// Longest message over UDP: none can be longer.
const LONGEST: usize = 65_535;

/// Longest text record that is kept, in bytes.
const LONGEST_TEXT: usize = 512;

/// One question.
#[derive(Clone, Debug)]
pub struct Asked {
    /// The whole name, as it is shown.
    pub name: String,
    /// Which records.
    pub kind: RecordKind,
    /// The number of the message.
    pub number: u16,
}

/// What a message is worth as the answer to a question.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Reading {
    /// It is the answer.
    Answer(Box<ResolverAnswer>),
    /// It is the answer, cut off.
    CutOff,
    /// It is none.
    Trouble(AnswerTrouble),
}

fn record_type(kind: RecordKind) -> RecordType {
    match kind {
        RecordKind::A => RecordType::A,
        RecordKind::Aaaa => RecordType::AAAA,
        RecordKind::Srv => RecordType::SRV,
        RecordKind::Txt => RecordType::TXT,
    }
}

/// The question as it goes over the wire; none where the name cannot be asked for at all.
pub fn question(asked: &Asked) -> Option<Vec<u8>> {
    let mut name = Name::from_str_relaxed(&asked.name).ok()?;
    name.set_fqdn(true);
    let mut message = Message::new(asked.number, MessageType::Query, OpCode::Query);
    message.metadata.recursion_desired = true;
    message.add_query(Query::query(name, record_type(asked.kind)));
    message.to_vec().ok()
}

/// Reads a message as the answer to a question. Whatever the bytes are, it ends in a
/// reading.
pub fn read(bytes: &[u8], asked: &Asked, redactor: &Redactor, elapsed_us: Micros) -> Reading {
    let Ok(message) = Message::from_vec(bytes) else {
        // A message with our number that breaks off behind its header may be one that was
        // cut without regard to records.
        let ours = bytes.first_chunk::<2>() == Some(&asked.number.to_be_bytes());
        let cut = bytes.get(2).is_some_and(|flags| flags & 0x82 == 0x82);
        return match ours && cut {
            true => Reading::CutOff,
            false => Reading::Trouble(AnswerTrouble::Malformed),
        };
    };
    if message.metadata.id != asked.number {
        return Reading::Trouble(AnswerTrouble::OtherNumber);
    }
    if message.metadata.message_type != MessageType::Response {
        return Reading::Trouble(AnswerTrouble::NoAnswer);
    }
    let Ok(mut name) = Name::from_str_relaxed(&asked.name) else {
        return Reading::Trouble(AnswerTrouble::OtherQuestion);
    };
    name.set_fqdn(true);
    let mut questions = message.queries.iter();
    // Some refuse without repeating the question.
    let repeats = match (questions.next(), questions.next()) {
        (Some(q), None) => {
            q.name().eq_ignore_root(&name) && q.query_type() == record_type(asked.kind)
        }
        (None, None) => message.metadata.response_code != ResponseCode::NoError,
        _ => false,
    };
    if !repeats {
        return Reading::Trouble(AnswerTrouble::OtherQuestion);
    }
    if message.metadata.truncation {
        return Reading::CutOff;
    }
    Reading::Answer(Box::new(answer(
        &message, &name, asked, redactor, elapsed_us,
    )))
}

fn answer(
    message: &Message,
    name: &Name,
    asked: &Asked,
    redactor: &Redactor,
    elapsed_us: Micros,
) -> ResolverAnswer {
    let all = &message.answers;
    let looked_at: Vec<&Record> = all.iter().take(MOST_RECORDS).collect();
    let shown = |name: &Name| redactor.text(name.to_ascii().trim_end_matches('.'));
    let mut owner = name.clone();
    let mut aliases = Vec::new();
    let mut seen: BTreeSet<Name> = BTreeSet::new();
    let mut used = 0usize;
    let mut circle = false;
    while let Some(next) = alias_of(&looked_at, &owner) {
        used += 1;
        aliases.push(shown(next));
        if !seen.insert(owner.clone()) || seen.len() > MOST_ALIASES || seen.contains(next) {
            circle = true;
            break;
        }
        owner = next.clone();
    }
    let mut addresses: Vec<IpAddr> = Vec::new();
    let mut services = Vec::new();
    let mut texts = Vec::new();
    let of_owner = looked_at.iter().filter(|r| r.name.eq_ignore_root(&owner));
    for record in of_owner {
        match &record.data {
            RData::A(a) if asked.kind == RecordKind::A => addresses.push(IpAddr::V4(a.0)),
            RData::AAAA(a) if asked.kind == RecordKind::Aaaa => addresses.push(IpAddr::V6(a.0)),
            RData::SRV(place) if asked.kind == RecordKind::Srv => services.push(ServicePlace {
                priority: place.priority,
                host: shown(&place.target),
                port: place.port,
            }),
            RData::TXT(text) if asked.kind == RecordKind::Txt => {
                let whole: Vec<u8> = text.txt_data.concat();
                texts.push(redactor.bytes(whole.get(..LONGEST_TEXT).unwrap_or(&whole)));
            }
            _ => continue,
        }
        used += 1;
    }
    services.sort();
    let zone = message.authorities.iter().take(MOST_RECORDS).find_map(|r| {
        let is_soa = matches!(r.data, RData::SOA(_));
        is_soa.then(|| shown(&r.name))
    });
    let keep_s = looked_at
        .iter()
        .filter(|r| r.name.eq_ignore_root(name) || r.name.eq_ignore_root(&owner))
        .map(|r| r.ttl)
        .min();
    ResolverAnswer {
        asked: asked.name.clone(),
        kind: asked.kind,
        code: code_name(message.metadata.response_code),
        addresses,
        aliases,
        services,
        texts,
        zone,
        keep_s,
        circle,
        over_tcp: false,
        passed_over: u32::try_from(all.len().saturating_sub(used)).unwrap_or(u32::MAX),
        elapsed_us,
    }
}

fn alias_of<'a>(records: &[&'a Record], owner: &Name) -> Option<&'a Name> {
    records.iter().find_map(|record| match &record.data {
        RData::CNAME(next) if record.name.eq_ignore_root(owner) => Some(&next.0),
        _ => None,
    })
}

/// The name of an answer code (RFC 1035, section 4.1.1; RFC 6895, section 2.3).
fn code_name(code: ResponseCode) -> String {
    match code {
        ResponseCode::NoError => "NOERROR".to_owned(),
        ResponseCode::FormErr => "FORMERR".to_owned(),
        ResponseCode::ServFail => "SERVFAIL".to_owned(),
        ResponseCode::NXDomain => "NXDOMAIN".to_owned(),
        ResponseCode::NotImp => "NOTIMP".to_owned(),
        ResponseCode::Refused => "REFUSED".to_owned(),
        other => format!("code {}", u16::from(other)),
    }
}

/// Asks one resolver. Ends with the answer, or with what came instead; waits for ever on
/// silence, so that the caller's patience counts.
pub(crate) async fn ask(
    resolver: SocketAddr,
    name: String,
    kind: RecordKind,
    redactor: Redactor,
    clock: Clock,
    trouble: &mut Option<AnswerTrouble>,
) -> Fact {
    let began = clock.now();
    let number = u16::from_ne_bytes(random_pair());
    let asked = Asked { name, kind, number };
    let Some(bytes) = question(&asked) else {
        return Fact::ResolverGarbled {
            asked: asked.name,
            kind,
            trouble: AnswerTrouble::OtherQuestion,
        };
    };
    let read = |bytes: &[u8]| read(bytes, &asked, &redactor, clock.now().since(began));
    match over_udp(resolver, &bytes, &read, trouble).await {
        Ok(Reading::Answer(answer)) => return Fact::ResolverAnswered(answer),
        Ok(_) => {}
        Err((error, icmp)) => {
            return Fact::ResolverUnreachable {
                asked: asked.name,
                kind,
                error: error_name(&error),
                icmp,
            };
        }
    }
    match over_tcp(resolver, &bytes, &read).await {
        Ok(Reading::Answer(answer)) => Fact::ResolverAnswered(Box::new(ResolverAnswer {
            over_tcp: true,
            ..*answer
        })),
        _ => Fact::ResolverGarbled {
            asked: asked.name,
            kind,
            trouble: AnswerTrouble::CutOff,
        },
    }
}

/// The addresses of a name by one resolver, of both families; empty where it denies the name,
/// nothing where it does not say.
pub async fn addresses(
    resolver: SocketAddr,
    name: &str,
    patience: Duration,
) -> Option<Vec<IpAddr>> {
    let mut out = Vec::new();
    for kind in [RecordKind::A, RecordKind::Aaaa] {
        let mut trouble = None;
        let (hidden, clock) = (Redactor::default(), Clock::start());
        let asked = ask(resolver, name.to_owned(), kind, hidden, clock, &mut trouble);
        match timeout(patience, asked).await {
            Ok(Fact::ResolverAnswered(answer)) if answer.denies() => return Some(Vec::new()),
            Ok(Fact::ResolverAnswered(answer)) => out.extend(answer.addresses),
            _ => {}
        }
    }
    (!out.is_empty()).then_some(out)
}

/// Two bytes that nobody can foresee: the keys of the standard library's hashes come from
/// the system's random source.
fn random_pair() -> [u8; 2] {
    use std::hash::{BuildHasher as _, Hasher as _};
    let bytes = std::collections::hash_map::RandomState::new()
        .build_hasher()
        .finish()
        .to_le_bytes();
    [bytes[0], bytes[1]]
}

/// The answer, or that it was cut off; else why nothing came, and who said so.
async fn over_udp(
    resolver: SocketAddr,
    bytes: &[u8],
    read: &impl Fn(&[u8]) -> Reading,
    trouble: &mut Option<AnswerTrouble>,
) -> Result<Reading, (io::Error, Option<Icmp>)> {
    let any: SocketAddr = match resolver {
        SocketAddr::V4(_) => ([0, 0, 0, 0], 0).into(),
        SocketAddr::V6(_) => ([0u16; 8], 0).into(),
    };
    let socket = UdpSocket::bind(any).await.map_err(|e| (e, None))?;
    // Without this, the system keeps to itself that a device says there is no way.
    error_queue::ask(&socket, resolver.is_ipv6());
    let came = exchange(&socket, resolver, bytes, read, trouble).await;
    came.map_err(|error| (error, error_queue::icmp(&socket)))
}

async fn exchange(
    socket: &UdpSocket,
    resolver: SocketAddr,
    bytes: &[u8],
    read: &impl Fn(&[u8]) -> Reading,
    trouble: &mut Option<AnswerTrouble>,
) -> io::Result<Reading> {
    socket.connect(resolver).await?;
    socket.send(bytes).await?;
    let mut again = true;
    let mut buffer = vec![0u8; LONGEST];
    loop {
        let received = match again {
            true => match timeout(AGAIN, socket.recv(&mut buffer)).await {
                Ok(received) => received?,
                Err(_) => {
                    again = false;
                    socket.send(bytes).await?;
                    continue;
                }
            },
            false => socket.recv(&mut buffer).await?,
        };
        match read(buffer.get(..received).unwrap_or_default()) {
            Reading::Trouble(what) => *trouble = Some(what),
            reading => return Ok(reading),
        }
    }
}

/// One message, with its length before it (RFC 1035, section 4.2.2).
async fn over_tcp(
    resolver: SocketAddr,
    bytes: &[u8],
    read: &impl Fn(&[u8]) -> Reading,
) -> io::Result<Reading> {
    let mut stream = TcpStream::connect(resolver).await?;
    let length = u16::try_from(bytes.len()).unwrap_or_default();
    stream.write_all(&length.to_be_bytes()).await?;
    stream.write_all(bytes).await?;
    let mut length = [0u8; 2];
    stream.read_exact(&mut length).await?;
    let mut whole = vec![0u8; usize::from(u16::from_be_bytes(length))];
    stream.read_exact(&mut whole).await?;
    Ok(read(&whole))
}
