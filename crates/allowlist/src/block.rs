//! Blocks of addresses: a prefix, or a range from one address to another.

use std::fmt;
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};

/// Addresses of one family that follow each other. An IPv4 address is its 32 bits.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Block {
    /// Whether it is IPv6.
    pub v6: bool,
    /// The first address.
    pub from: u128,
    /// The last address.
    pub to: u128,
}

/// The bits of an address, and whether it is IPv6.
pub fn bits(ip: IpAddr) -> (bool, u128) {
    match ip {
        IpAddr::V4(ip) => (false, u128::from(u32::from(ip))),
        IpAddr::V6(ip) => (true, u128::from(ip)),
    }
}

/// The address with these bits.
pub fn address(v6: bool, bits: u128) -> IpAddr {
    match (v6, u32::try_from(bits)) {
        (false, Ok(bits)) => Ipv4Addr::from(bits).into(),
        _ => Ipv6Addr::from(bits).into(),
    }
}

/// The bits of a prefix that are the host's.
fn host_mask(v6: bool, length: u8) -> u128 {
    let width = if v6 { 128 } else { 32 };
    match u32::from(width - length.min(width)) {
        0 => 0,
        n => u128::MAX >> (128 - n),
    }
}

impl Block {
    /// One address.
    pub fn one(ip: IpAddr) -> Block {
        let (v6, at) = bits(ip);
        Block {
            v6,
            from: at,
            to: at,
        }
    }

    /// All addresses of a prefix (RFC 4632, section 3.1; RFC 4291, section 2.3).
    pub fn prefix(ip: IpAddr, length: u8) -> Block {
        let (v6, at) = bits(ip);
        let host = host_mask(v6, length);
        Block {
            v6,
            from: at & !host,
            to: at | host,
        }
    }

    /// All addresses of a family.
    pub fn all(v6: bool) -> Block {
        let to = if v6 { u128::MAX } else { u128::from(u32::MAX) };
        Block { v6, from: 0, to }
    }

    /// Whether an address is in it.
    pub fn has(&self, ip: IpAddr) -> bool {
        let (v6, at) = bits(ip);
        self.v6 == v6 && (self.from..=self.to).contains(&at)
    }

    /// Whether all of another is in it.
    pub fn covers(&self, other: &Block) -> bool {
        self.v6 == other.v6 && self.from <= other.from && other.to <= self.to
    }

    /// Whether it is every address there is of its family.
    pub fn is_all(&self) -> bool {
        *self == Block::all(self.v6)
    }

    /// The length of its prefix; none where it is a range that no prefix describes.
    pub fn length(&self) -> Option<u8> {
        let width: u8 = if self.v6 { 128 } else { 32 };
        let host = self.from ^ self.to;
        let is_run = host & host.wrapping_add(1) == 0;
        (is_run && self.from & host == 0 && self.from | host == self.to)
            .then(|| width - host.count_ones() as u8)
    }

    /// How far an address of the same family is from it; none for the other family.
    pub fn distance(&self, ip: IpAddr) -> Option<u128> {
        let (v6, at) = bits(ip);
        (v6 == self.v6).then(|| match at < self.from {
            true => self.from - at,
            false => at.saturating_sub(self.to),
        })
    }

    /// The IPv4 block that it maps, where all of it is IPv4 written as IPv6 (RFC 4291,
    /// section 2.5.5.2).
    pub fn mapped(&self) -> Option<Block> {
        let base = 0xffff_u128 << 32;
        let top = base | u128::from(u32::MAX);
        (self.v6 && self.from >= base && self.to <= top).then(|| Block {
            v6: false,
            from: self.from - base,
            to: self.to - base,
        })
    }
}

impl fmt::Display for Block {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (from, to) = (address(self.v6, self.from), address(self.v6, self.to));
        match self.length() {
            _ if self.from == self.to => write!(f, "{from}"),
            Some(length) => write!(f, "{from}/{length}"),
            None => write!(f, "{from}-{to}"),
        }
    }
}

/// A block as somebody wrote it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Written {
    /// The addresses that it means.
    pub block: Block,
    /// Whether bits behind its prefix are set: another prefix may have been meant.
    pub host_bits: bool,
}

/// Why a text is no block.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NoBlock {
    /// What stands first is no address.
    Address,
    /// What stands behind the slash is no prefix length of that family.
    Length {
        /// The most that there can be.
        most: u8,
    },
    /// The mask has a hole.
    Mask,
    /// The range ends before it begins, or in another family.
    Backwards,
}

impl fmt::Display for NoBlock {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            NoBlock::Address => f.write_str("not an address or range of addresses"),
            NoBlock::Length { most } => write!(f, "the prefix length is not one from 0 to {most}"),
            NoBlock::Mask => f.write_str("the netmask is not a run of ones followed by zeros"),
            NoBlock::Backwards => f.write_str("the range ends before it begins"),
        }
    }
}

/// The prefix length of an IPv4 netmask.
pub fn mask_length(mask: Ipv4Addr) -> Option<u8> {
    let bits = u32::from(mask);
    let length = bits.leading_ones();
    (bits.checked_shl(length).unwrap_or(0) == 0).then_some(length as u8)
}

/// Reads an address, `ADDR/LENGTH`, `ADDR/MASK` or `ADDR-ADDR`.
///
/// # Errors
/// Says why it is none.
pub fn read(text: &str) -> Result<Written, NoBlock> {
    if let Some((from, to)) = text.split_once('-') {
        let from: IpAddr = from.trim().parse().map_err(|_| NoBlock::Address)?;
        let to: IpAddr = to.trim().parse().map_err(|_| NoBlock::Address)?;
        let ((v6, from), (to_v6, to)) = (bits(from), bits(to));
        if v6 != to_v6 || to < from {
            return Err(NoBlock::Backwards);
        }
        let block = Block { v6, from, to };
        return Ok(Written {
            block,
            host_bits: false,
        });
    }
    let Some((ip, behind)) = text.split_once('/') else {
        let ip: IpAddr = text.parse().map_err(|_| NoBlock::Address)?;
        let block = Block::one(ip);
        return Ok(Written {
            block,
            host_bits: false,
        });
    };
    let ip: IpAddr = ip.parse().map_err(|_| NoBlock::Address)?;
    let most: u8 = if ip.is_ipv6() { 128 } else { 32 };
    let digits = !behind.is_empty() && behind.bytes().all(|b| b.is_ascii_digit());
    let length = match behind.parse::<Ipv4Addr>() {
        Ok(mask) if ip.is_ipv4() => mask_length(mask).ok_or(NoBlock::Mask)?,
        _ if digits => behind.parse().map_err(|_| NoBlock::Length { most })?,
        _ => return Err(NoBlock::Length { most }),
    };
    if length > most {
        return Err(NoBlock::Length { most });
    }
    let block = Block::prefix(ip, length);
    Ok(Written {
        block,
        host_bits: bits(ip).1 != block.from,
    })
}
