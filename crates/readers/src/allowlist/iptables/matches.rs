//! The matches of iptables that are understood; what is not is unknown, never a guess.

use std::net::IpAddr;

use chronaxis_allowlist::block::{self, Block, bits};
use chronaxis_allowlist::packet_filter::{Bits, Key, Operand, Test, Values, Wanted};

use super::options::{Asked, Words};

/// Reads what an option asks; none where it is not understood.
pub(super) fn read(asked: &Asked<'_>, words: &mut Words) -> Result<Option<Vec<Test>>, String> {
    let wanted = match asked.not {
        true => Wanted::Others,
        false => Wanted::These,
    };
    let one = |key: Key, values: Values| Ok(Some(vec![Test::new(key, values, wanted)]));
    let option = asked.option;
    match option {
        "-s" | "--source" | "-d" | "--destination" => {
            let block = address(&words.value(option)?)?;
            one(
                end(option.ends_with('s') || option.ends_with("source"), &block),
                of(&block),
            )
        }
        "--src-range" | "--dst-range" if asked.by == Some("iprange") => {
            let block = address(&words.value(option)?)?;
            one(end(option == "--src-range", &block), of(&block))
        }
        "-p" | "--protocol" => {
            let name = words.value(option)?;
            match protocol(&name) {
                Some(0) => Ok(Some(Vec::new())),
                Some(number) => one(
                    Key::Protocol { v6: None },
                    Values::Ranges(vec![(number, number)]),
                ),
                None => Ok(None),
            }
        }
        "-i" | "--in-interface" | "-o" | "--out-interface" => {
            let key = match option {
                "-i" | "--in-interface" => Key::ComesBy,
                _ => Key::LeavesBy,
            };
            let name = words.value(option)?;
            let name = match name.strip_suffix('+') {
                Some(lead) => format!("{lead}*"),
                None => name,
            };
            one(key, Values::Names(vec![name]))
        }
        "--dport" | "--destination-port" | "--sport" | "--source-port"
            if asked.by == Some("tcp") =>
        {
            let range = port_range(&words.value(option)?)?;
            let key = match option {
                "--dport" | "--destination-port" => Key::DestinationPort,
                _ => Key::SourcePort,
            };
            one(key, Values::Ranges(vec![range]))
        }
        // Ports of another protocol.
        "--dport" | "--sport" if matches!(asked.by, Some("udp" | "sctp" | "dccp")) => {
            words.value(option)?;
            one(Key::Absent, Values::Ranges(Vec::new()))
        }
        "--icmp-type" | "--icmpv6-type" => {
            words.value(option)?;
            one(Key::Absent, Values::Ranges(Vec::new()))
        }
        "--tcp-flags" => {
            let mask = flags(&words.value(option)?)?;
            let set = flags(&words.value(option)?)?;
            let test = Test {
                key: vec![Operand {
                    key: Key::Flags,
                    bits: Some(Bits {
                        keep: mask,
                        turn: 0,
                    }),
                }],
                values: Values::Ranges(vec![(set, set)]),
                wanted,
                filled: false,
            };
            Ok(Some(vec![test]))
        }
        "--syn" => {
            let test = Test {
                key: vec![Operand {
                    key: Key::Flags,
                    bits: Some(Bits { keep: 23, turn: 0 }),
                }],
                values: Values::Ranges(vec![(2, 2)]),
                wanted,
                filled: false,
            };
            Ok(Some(vec![test]))
        }
        "--dports" | "--destination-ports" | "--sports" | "--source-ports"
            if asked.by == Some("multiport") =>
        {
            let list = words.value(option)?;
            let ranges: Vec<(u128, u128)> =
                list.split(',').map(port_range).collect::<Result<_, _>>()?;
            let key = match option {
                "--dports" | "--destination-ports" => Key::DestinationPort,
                _ => Key::SourcePort,
            };
            one(key, Values::ranges(ranges))
        }
        "--ctstate" | "--state" => match states(&words.value(option)?) {
            Some(bits) => one(Key::State, Values::AnyBit(bits)),
            None => Ok(None),
        },
        "--ctdir" => {
            let reply = match words.value(option)?.as_str() {
                "ORIGINAL" => 0,
                "REPLY" => 1,
                _ => return Ok(None),
            };
            one(Key::Direction, Values::Ranges(vec![(reply, reply)]))
        }
        "--ctorigsrc" | "--ctorigdst" => {
            let block = address(&words.value(option)?)?;
            let key = Key::Original {
                source: option == "--ctorigsrc",
                port: false,
                v6: Some(block.v6),
            };
            one(key, of(&block))
        }
        "--ctorigdstport" | "--ctorigsrcport" => {
            let range = port_range(&words.value(option)?)?;
            let key = Key::Original {
                source: option == "--ctorigsrcport",
                port: true,
                v6: None,
            };
            one(key, Values::Ranges(vec![range]))
        }
        "--mark" if matches!(asked.by, Some("mark" | "connmark")) => {
            let (value, mask) = masked(&words.value(option)?)?;
            let test = Test {
                key: vec![Operand {
                    key: Key::Mark {
                        connection: asked.by == Some("connmark"),
                    },
                    bits: Some(Bits {
                        keep: mask.into(),
                        turn: 0,
                    }),
                }],
                values: Values::Ranges(vec![(value.into(), value.into())]),
                wanted,
                filled: false,
            };
            Ok(Some(vec![test]))
        }
        "--dst-type" | "--src-type" if asked.by == Some("addrtype") => {
            let kind = match words.value(option)?.as_str() {
                "UNICAST" => 1,
                "LOCAL" => 2,
                "BROADCAST" => 3,
                "ANYCAST" => 4,
                "MULTICAST" => 5,
                _ => return Ok(None),
            };
            let key = Key::AddressKind {
                source: option == "--src-type",
            };
            one(key, Values::Ranges(vec![(kind, kind)]))
        }
        "--comment" => {
            words.value(option)?;
            Ok(Some(Vec::new()))
        }
        // Every fragment but the first: a beginning of a connection has none.
        "-f" | "--fragment" => one(Key::Absent, Values::Ranges(Vec::new())),
        option if option.starts_with('-') => Ok(None),
        _ => Err("a word stands where an option was expected".to_owned()),
    }
}

fn end(source: bool, block: &Block) -> Key {
    match source {
        true => Key::Source { v6: block.v6 },
        false => Key::Destination { v6: block.v6 },
    }
}

fn of(block: &Block) -> Values {
    Values::Ranges(vec![(block.from, block.to)])
}

fn address(text: &str) -> Result<Block, String> {
    // IPv6 has masks in the same form.
    if let Some((ip, mask)) = text.split_once('/')
        && let (Ok(IpAddr::V6(ip)), Ok(mask)) = (ip.parse(), mask.parse::<std::net::Ipv6Addr>())
    {
        let mask = bits(mask.into()).1;
        let length = mask.leading_ones();
        if mask.checked_shl(length).unwrap_or(0) == 0 {
            return Ok(Block::prefix(ip.into(), length as u8));
        }
    }
    block::read(text)
        .map(|written| written.block)
        .map_err(|why| format!("an address: {why}"))
}

fn port_range(text: &str) -> Result<(u128, u128), String> {
    let number = |text: &str, otherwise: u16| -> Result<u128, String> {
        match (text, text.parse::<u16>()) {
            ("", _) => Ok(otherwise.into()),
            (_, Ok(port)) => Ok(port.into()),
            _ => Err("a port is no number from 0 to 65535".to_owned()),
        }
    };
    let (from, to) = match text.split_once(':') {
        Some((from, to)) => (number(from, 0)?, number(to, u16::MAX)?),
        None => {
            let port = number(text, 0)?;
            (port, port)
        }
    };
    match from <= to {
        true => Ok((from, to)),
        false => Err("a range of ports ends before it begins".to_owned()),
    }
}

fn protocol(name: &str) -> Option<u128> {
    Some(match name.to_ascii_lowercase().as_str() {
        "all" => 0,
        "tcp" => 6,
        "udp" => 17,
        "icmp" => 1,
        "ipv6-icmp" | "icmpv6" => 58,
        "igmp" => 2,
        "gre" => 47,
        "esp" => 50,
        "ah" => 51,
        "sctp" => 132,
        "udplite" => 136,
        number => number.parse().ok()?,
    })
}

fn flags(text: &str) -> Result<u128, String> {
    text.split(',').try_fold(0, |all, flag| {
        Ok(all
            | match flag {
                "FIN" => 1,
                "SYN" => 2,
                "RST" => 4,
                "PSH" => 8,
                "ACK" => 16,
                "URG" => 32,
                "ALL" => 63,
                "NONE" => 0,
                _ => return Err("a control bit of TCP is not known".to_owned()),
            })
    })
}

fn states(text: &str) -> Option<u128> {
    text.split(',').try_fold(0, |all, state| {
        Some(
            all | match state {
                "INVALID" => 1,
                "ESTABLISHED" => 2,
                "RELATED" => 4,
                "NEW" => 8,
                "UNTRACKED" => 64,
                // Connections that do not exist here.
                "SNAT" => 0,
                _ => return None,
            },
        )
    })
}

/// `VALUE[/MASK]`.
pub(super) fn masked(text: &str) -> Result<(u32, u32), String> {
    let number = |text: &str| {
        let read = match text.strip_prefix("0x") {
            Some(hex) => u32::from_str_radix(hex, 16),
            None => text.parse(),
        };
        read.map_err(|_| "a mark is no number".to_owned())
    };
    match text.split_once('/') {
        Some((value, mask)) => Ok((number(value)?, number(mask)?)),
        None => Ok((number(text)?, u32::MAX)),
    }
}
