//! Where the answers of a list can change: the addresses and ports at which any of its rules
//! begins or ends. Between two of them every client is told the same.

use std::collections::BTreeSet;

use crate::block::Block;
use crate::host_rules::{Address, HostRules};
use crate::packet_filter::{Filter, Item, Key, Operand, Step, Test, Values};
use crate::policies::Policies;

/// The beginnings of runs of addresses and ports.
#[derive(Clone, Debug, Default)]
pub struct Cells {
    /// The first addresses of runs, of IPv4 and of IPv6.
    pub addresses: [BTreeSet<u128>; 2],
    /// The first ports of runs.
    pub ports: BTreeSet<u16>,
    /// Whether some rule tells addresses apart in a way that runs do not describe.
    pub scattered: bool,
}

impl Cells {
    /// Everything, in one run.
    pub fn whole() -> Cells {
        let mut cells = Cells::default();
        cells.addresses.iter_mut().for_each(|all| {
            all.insert(0);
        });
        cells.ports.insert(0);
        cells
    }

    fn block(&mut self, block: &Block) {
        let [v4, v6] = &mut self.addresses;
        let all = if block.v6 { v6 } else { v4 };
        all.insert(block.from);
        if block.to < Block::all(block.v6).to {
            all.insert(block.to + 1);
        }
    }

    fn port_range(&mut self, from: u128, to: u128) {
        let mut begin = |at: u128| {
            if let Ok(port) = u16::try_from(at) {
                self.ports.insert(port);
            }
        };
        begin(from);
        begin(to.saturating_add(1));
    }

    /// Where host rules change.
    pub fn of_host_rules(&mut self, rules: &HostRules) {
        for address in rules.records.iter().filter_map(|r| r.address.as_ref()) {
            match (address, address.block()) {
                (_, Some(block)) => self.block(&block),
                (Address::Masked { .. }, None) => self.scattered = true,
                _ => {}
            }
        }
    }

    /// Where policies change.
    pub fn of_policies(&mut self, policies: &Policies) {
        for policy in &policies.policies {
            for rule in policy.ingress.iter().chain(&policy.egress).flatten() {
                for (block, except) in rule.peers.iter().filter_map(|p| p.block.as_ref()) {
                    self.block(block);
                    except.iter().for_each(|hole| self.block(hole));
                }
                for port in &rule.ports {
                    if let Some(from) = port.from {
                        self.port_range(from.into(), port.to.unwrap_or(from).into());
                    }
                }
            }
        }
    }

    /// Where a packet filter changes.
    pub fn of_filter(&mut self, filter: &Filter) {
        for step in filter
            .chains
            .iter()
            .flat_map(|c| &c.rules)
            .flat_map(|r| &r.steps)
        {
            match step {
                Step::Test(test) => self.of_test(test),
                Step::VerdictMap { key, choices, .. } => {
                    for (row, _) in choices {
                        self.row(key, row);
                    }
                }
                _ => {}
            }
        }
    }

    fn of_test(&mut self, test: &Test) {
        match (&test.values, test.key.as_slice()) {
            (Values::Rows(rows), key) => rows.iter().for_each(|row| self.row(key, row)),
            (Values::Ranges(ranges), [operand]) => {
                for (from, to) in ranges {
                    self.value(operand, *from, *to);
                }
            }
            _ => {}
        }
    }

    fn row(&mut self, key: &[Operand], row: &[Item]) {
        for (operand, item) in key.iter().zip(row) {
            if let Item::Range(from, to) = item {
                self.value(operand, *from, *to);
            }
        }
    }

    fn value(&mut self, operand: &Operand, from: u128, to: u128) {
        let (v6, port) = match &operand.key {
            Key::Source { v6 } => (Some(*v6), false),
            Key::Original {
                source: true,
                port: false,
                v6,
            } => (*v6, false),
            Key::DestinationPort
            | Key::Original {
                source: false,
                port: true,
                ..
            } => (None, true),
            _ => return,
        };
        if operand.bits.is_some() {
            self.scattered = true;
        }
        match v6 {
            _ if port => self.port_range(from, to),
            Some(v6) => {
                let to = to.min(Block::all(v6).to);
                self.block(&Block { v6, from, to });
            }
            None => {}
        }
    }
}
