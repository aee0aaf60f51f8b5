//! Tests of rules: which value of a packet is looked at, and what it is to be.

use super::packet::{Device, Packet, state};
use crate::block::bits;

/// What is looked at.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Key {
    /// The address from which it comes, of IPv6 or of IPv4.
    Source {
        /// Of which.
        v6: bool,
    },
    /// The address to which it goes.
    Destination {
        /// Of which.
        v6: bool,
    },
    /// The port from which it comes.
    SourcePort,
    /// The port to which it goes.
    DestinationPort,
    /// The number of its protocol (RFC 5237); for one family alone where that is told.
    Protocol {
        /// Of IPv6 or of IPv4 alone.
        v6: Option<bool>,
    },
    /// 2 for IPv4, 10 for IPv6, as the system numbers them.
    SystemFamily,
    /// The number of what a frame carries (RFC 9542, appendix B).
    Frame,
    /// The device by which it comes.
    ComesBy,
    /// The device by which it leaves.
    LeavesBy,
    /// The state of its connection, as bits.
    State,
    /// 0 for packets of the one who began, 1 for answers.
    Direction,
    /// The mark of the packet, or of its connection.
    Mark {
        /// Of the connection.
        connection: bool,
    },
    /// The control bits of TCP.
    Flags,
    /// The kind of an address, as routing tables have it: 2 is the machine's own.
    AddressKind {
        /// Of the address from which it comes, else of the other.
        source: bool,
    },
    /// An end of the connection as its first packet had it.
    Original {
        /// The client's end, else the server's.
        source: bool,
        /// The port, else the address.
        port: bool,
        /// Of IPv6 or of IPv4 alone.
        v6: Option<bool>,
    },
    /// Something that packets of TCP do not have: nothing fits it, nor its contrary.
    Absent,
    /// Something that cannot be known from outside, in words.
    Unknown(String),
}

/// What is done to a value before it is compared.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Bits {
    /// The bits that are kept.
    pub keep: u128,
    /// The bits that are turned then.
    pub turn: u128,
}

/// A value of the packet, perhaps changed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Operand {
    /// What is looked at.
    pub key: Key,
    /// What is done to it.
    pub bits: Option<Bits>,
}

impl Operand {
    /// The value as it is.
    pub fn of(key: Key) -> Operand {
        Operand { key, bits: None }
    }
}

/// A value that is wanted.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Item {
    /// One from here to there.
    Range(u128, u128),
    /// The name of a device; a star at its end stands for anything.
    Name(String),
    /// Something that is not understood here.
    Unknown,
}

/// The values that are wanted.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Values {
    /// Any of these ranges, in order and apart from each other.
    Ranges(Vec<(u128, u128)>),
    /// Any of these names.
    Names(Vec<String>),
    /// Any of these rows, each with a value for each key.
    Rows(Vec<Vec<Item>>),
    /// A value that has one of these bits.
    AnyBit(u128),
    /// Something that is not known here, in words.
    Unknown(String),
}

impl Values {
    /// Any of these ranges.
    pub fn ranges(mut all: Vec<(u128, u128)>) -> Values {
        all.sort_unstable();
        let mut merged: Vec<(u128, u128)> = Vec::with_capacity(all.len());
        for (from, to) in all {
            match merged.last_mut() {
                Some(last) if from <= last.1.saturating_add(1) => last.1 = last.1.max(to),
                _ => merged.push((from, to)),
            }
        }
        Values::Ranges(merged)
    }
}

/// Whether the values are wanted, or any other.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Wanted {
    /// They are.
    These,
    /// Any but them.
    Others,
}

/// A test.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Test {
    /// What is looked at; several values at one time.
    pub key: Vec<Operand>,
    /// What it is to be.
    pub values: Values,
    /// Whether that is wanted.
    pub wanted: Wanted,
    /// Whether the values come and go while the machine runs.
    pub filled: bool,
}

impl Test {
    /// One value of the packet against some.
    pub fn new(key: Key, values: Values, wanted: Wanted) -> Test {
        Test {
            key: vec![Operand::of(key)],
            values,
            wanted,
            filled: false,
        }
    }

    /// One of which nobody knows the outcome.
    pub fn unknown(what: impl Into<String>) -> Test {
        let what = what.into();
        Test::new(
            Key::Unknown(what.clone()),
            Values::Unknown(what),
            Wanted::These,
        )
    }
}

/// What comes of a test.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Fits {
    Yes,
    No,
    /// It depends, on what.
    Maybe(String),
}

/// A value of a packet.
enum Seen {
    /// One of these; mostly one alone.
    Within(u128, u128),
    /// Any one of these bits.
    OneBitOf(u32),
    Name(Device),
    /// The packet has no such thing.
    Absent,
    Unknown(String),
}

fn look(operand: &Operand, packet: &Packet) -> Seen {
    let one = |n: u128| Seen::Within(n, n);
    let of = |v6: bool, n: u128| match v6 == packet.is_v6() {
        true => Seen::Within(n, n),
        false => Seen::Absent,
    };
    let ports = |(from, to): (u16, u16)| Seen::Within(from.into(), to.into());
    let seen = match &operand.key {
        Key::Source { v6 } => of(*v6, packet.source_bits()),
        Key::Destination { v6 } => of(*v6, packet.destination_bits()),
        Key::SourcePort => ports(packet.from),
        Key::DestinationPort => ports(packet.to),
        Key::Protocol { v6 } => match v6 {
            Some(v6) => of(*v6, 6),
            None => one(6),
        },
        Key::SystemFamily => one(if packet.is_v6() { 10 } else { 2 }),
        Key::Frame => one(if packet.is_v6() { 0x86dd } else { 0x0800 }),
        Key::ComesBy => Seen::Name(packet.comes_by.clone()),
        Key::LeavesBy => Seen::Name(packet.leaves_by.clone()),
        Key::State if packet.untracked => one(state::INVALID.into()),
        Key::State => match packet.state.count_ones() {
            1 => one(packet.state.into()),
            _ => Seen::OneBitOf(packet.state),
        },
        Key::Direction if packet.untracked || packet.state == state::UNTRACKED => Seen::Absent,
        Key::Direction => one(packet.reply.into()),
        Key::Mark { connection } => {
            let mark = match connection {
                true => packet.connection_mark,
                false => packet.mark,
            };
            match mark {
                Some(mark) => one(mark.into()),
                None => Seen::Unknown(
                    "it depends on a mark that something else may have set".to_owned(),
                ),
            }
        }
        Key::Flags => one(packet.flags.into()),
        Key::AddressKind { source } => {
            // The client is elsewhere, unless both ends are this machine.
            let own = packet.local || (*source == packet.reply);
            match own {
                true => one(2),
                false => one(1),
            }
        }
        Key::Original { .. } if packet.untracked || packet.state == state::UNTRACKED => {
            Seen::Absent
        }
        Key::Original { source, port, v6 } => {
            let ((from, ports_from), (to, port_to)) = packet.original;
            match (v6.is_none_or(|v6| v6 == packet.is_v6()), source, port) {
                (false, _, _) => Seen::Absent,
                (_, true, true) => ports(ports_from),
                (_, false, true) => one(port_to.into()),
                (_, true, false) => one(bits(from).1),
                (_, false, false) => one(bits(to).1),
            }
        }
        Key::Absent => Seen::Absent,
        Key::Unknown(what) => Seen::Unknown(format!("it depends on {what}")),
    };
    match (operand.bits, seen) {
        (None, seen) => seen,
        (Some(bits), Seen::Within(from, to)) if from == to => {
            let value = (from & bits.keep) ^ bits.turn;
            Seen::Within(value, value)
        }
        (Some(_), Seen::Within(..) | Seen::OneBitOf(_)) => {
            Seen::Unknown("it depends on the port that the client happens to use".to_owned())
        }
        (Some(_), seen) => seen,
    }
}

fn some_ports() -> Fits {
    Fits::Maybe("it depends on the port that the client happens to use".to_owned())
}

fn in_ranges(ranges: &[(u128, u128)], from: u128, to: u128) -> Fits {
    let next = ranges.partition_point(|(_, end)| *end < from);
    match ranges.get(next) {
        Some((begin, end)) if *begin <= from && to <= *end => Fits::Yes,
        Some((begin, _)) if *begin <= to => some_ports(),
        _ => Fits::No,
    }
}

fn named(names: &[String], device: &Device) -> Fits {
    let fits = |name: &str| {
        names.iter().any(|wanted| match wanted.strip_suffix('*') {
            Some(lead) => name.starts_with(lead),
            None => name == wanted,
        })
    };
    match device {
        Device::Named(name) if fits(name) => Fits::Yes,
        Device::Loopback if fits("lo") => Fits::Yes,
        // What is no loopback device is called otherwise.
        Device::Other if names.iter().all(|n| n == "lo") => Fits::No,
        Device::Other if names.iter().any(|n| n == "*") => Fits::Yes,
        Device::Other => Fits::Maybe("it depends on the interface (--interface)".to_owned()),
        _ => Fits::No,
    }
}

fn item(item: &Item, seen: &Seen) -> Fits {
    match (item, seen) {
        (Item::Unknown, _) => Fits::Maybe("it depends on a value that is not understood".into()),
        (Item::Range(a, b), Seen::Within(from, to)) => in_ranges(&[(*a, *b)], *from, *to),
        (Item::Range(a, b), Seen::OneBitOf(bits)) => {
            one_of(*bits, |bit| (*a..=*b).contains(&u128::from(bit)))
        }
        (Item::Name(name), Seen::Name(device)) => named(std::slice::from_ref(name), device),
        _ => Fits::No,
    }
}

/// What holds of each of some bits, or of none, or of some.
fn one_of(bits: u32, fits: impl Fn(u32) -> bool) -> Fits {
    let each = (0..32).map(|n| 1u32 << n).filter(|bit| bits & bit != 0);
    let (mut yes, mut no) = (false, false);
    for bit in each {
        match fits(bit) {
            true => yes = true,
            false => no = true,
        }
    }
    match (yes, no) {
        (true, false) => Fits::Yes,
        (false, _) => Fits::No,
        (true, true) => {
            Fits::Maybe("it depends on what connection tracking makes of the packet".to_owned())
        }
    }
}

/// Whether a row of items fits a row of values.
pub(super) fn row(items: &[Item], key: &[Operand], packet: &Packet) -> Fits {
    if items.len() != key.len() {
        return Fits::Maybe("it depends on a value that is not understood".to_owned());
    }
    let mut open = None;
    for (wanted, operand) in items.iter().zip(key) {
        let seen = look(operand, packet);
        let fits = match seen {
            Seen::Absent => Fits::No,
            Seen::Unknown(why) => Fits::Maybe(why),
            ref seen => item(wanted, seen),
        };
        match fits {
            Fits::No => return Fits::No,
            Fits::Maybe(why) => open = open.or(Some(why)),
            Fits::Yes => {}
        }
    }
    open.map_or(Fits::Yes, Fits::Maybe)
}

fn compare(test: &Test, packet: &Packet) -> Fits {
    if let Values::Rows(rows) = &test.values {
        let mut open = None;
        for wanted in rows {
            match row(wanted, &test.key, packet) {
                Fits::Yes => return Fits::Yes,
                Fits::Maybe(why) => open = open.or(Some(why)),
                Fits::No => {}
            }
        }
        return open.map_or(Fits::No, Fits::Maybe);
    }
    let Some(operand) = test.key.first() else {
        return Fits::Maybe("it depends on something that is not understood".to_owned());
    };
    match (&test.values, look(operand, packet)) {
        (_, Seen::Unknown(why)) => Fits::Maybe(why),
        (Values::Unknown(what), _) => Fits::Maybe(format!("it depends on {what}")),
        (Values::Ranges(ranges), Seen::Within(from, to)) => in_ranges(ranges, from, to),
        (Values::Ranges(ranges), Seen::OneBitOf(bits)) => one_of(bits, |bit| {
            in_ranges(ranges, bit.into(), bit.into()) == Fits::Yes
        }),
        (Values::AnyBit(mask), Seen::Within(from, to)) if from == to => match from & mask {
            0 => Fits::No,
            _ => Fits::Yes,
        },
        (Values::AnyBit(mask), Seen::OneBitOf(bits)) => {
            one_of(bits, |bit| u128::from(bit) & mask != 0)
        }
        (Values::Names(names), Seen::Name(device)) => named(names, &device),
        (Values::AnyBit(_), Seen::Within(..)) => some_ports(),
        _ => Fits::No,
    }
}

/// Whether a packet passes a test.
pub(super) fn fits(test: &Test, packet: &Packet) -> Fits {
    // What a packet does not have is neither one thing nor another.
    let absent = test
        .key
        .iter()
        .any(|operand| matches!(look(operand, packet), Seen::Absent));
    if absent {
        return Fits::No;
    }
    if test.filled {
        return Fits::Maybe("it depends on a set that is filled while the machine runs".to_owned());
    }
    match (compare(test, packet), test.wanted) {
        (fits, Wanted::These) => fits,
        (Fits::Yes, Wanted::Others) => Fits::No,
        (Fits::No, Wanted::Others) => Fits::Yes,
        (maybe, Wanted::Others) => maybe,
    }
}
