//! Blocks, ports, and what is said of single rules.

use chronaxis_allowlist::block::{self, Block, NoBlock};
use chronaxis_allowlist::own::Ports;
use proptest::prelude::*;

#[test]
fn blocks_are_read_as_they_are_written() {
    let read = |text: &str| block::read(text).map(|w| (w.block.to_string(), w.host_bits));
    assert_eq!(read("10.8.0.0/16"), Ok(("10.8.0.0/16".into(), false)));
    assert_eq!(read("10.8.4.1/16"), Ok(("10.8.0.0/16".into(), true)));
    assert_eq!(
        read("10.8.0.0/255.255.0.0"),
        Ok(("10.8.0.0/16".into(), false))
    );
    assert_eq!(read("192.0.2.7"), Ok(("192.0.2.7".into(), false)));
    assert_eq!(read("192.0.2.7/32"), Ok(("192.0.2.7".into(), false)));
    assert_eq!(read("::/0"), Ok(("::/0".into(), false)));
    assert_eq!(
        read("192.0.2.4-192.0.2.9"),
        Ok(("192.0.2.4-192.0.2.9".into(), false))
    );
    assert_eq!(
        read("192.0.2.4-192.0.2.7"),
        Ok(("192.0.2.4/30".into(), false))
    );
    assert_eq!(read("10.8.0.0/33"), Err(NoBlock::Length { most: 32 }));
    assert_eq!(read("10.8.0.0/"), Err(NoBlock::Length { most: 32 }));
    assert_eq!(read("10.8.0.0/+8"), Err(NoBlock::Length { most: 32 }));
    assert_eq!(read("2001:db8::/129"), Err(NoBlock::Length { most: 128 }));
    assert_eq!(read("10.8.0.0/255.0.255.0"), Err(NoBlock::Mask));
    assert_eq!(read("10.8.0.300"), Err(NoBlock::Address));
    assert_eq!(read("192.0.2.9-192.0.2.4"), Err(NoBlock::Backwards));
    assert_eq!(read("192.0.2.9-2001:db8::1"), Err(NoBlock::Backwards));
    assert_eq!(read("quay.osmary.example"), Err(NoBlock::Address));
    let mapped = block::read("::ffff:10.8.0.0/112").unwrap().block.mapped();
    assert_eq!(mapped.map(|b| b.to_string()), Some("10.8.0.0/16".into()));
    assert_eq!(Block::all(true).mapped(), None);
}

proptest! {
    #[test]
    fn a_block_is_read_from_what_it_is_shown_as(bits: u32, more in 0u32..3000, v6: bool) {
        let base = if v6 { 0x2001_0db8_u128 << 96 } else { 0 };
        let from = base + u128::from(bits);
        let top = Block::all(v6).to;
        let block = Block { v6, from, to: (from + u128::from(more)).min(top) };
        prop_assert_eq!(block::read(&block.to_string()).map(|w| w.block), Ok(block));
    }

    #[test]
    fn ports_have_what_their_ranges_have(ranges in prop::collection::vec((any::<u16>(), 0u16..50), 0..6), port: u16) {
        let ranges: Vec<(u16, u16)> = ranges
            .into_iter()
            .map(|(from, more)| (from, from.saturating_add(more)))
            .collect();
        let has = ranges.iter().any(|(from, to)| (*from..=*to).contains(&port));
        prop_assert_eq!(Ports::of(ranges).has(port), has);
    }

    #[test]
    fn no_text_makes_a_block_panic(text in "\\PC{0,40}") {
        let _ = block::read(&text);
    }
}
