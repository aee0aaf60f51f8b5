//! Allow-lists: rules that say who may reach which port.
//!
//! A list is read from a file elsewhere; here it is asked. Each kind of list is a room of its
//! own: what it consists of, and `decide`, which says for one attempt whether it gets
//! through, by which rule, and why the rules before that one did not fit. What cannot be
//! known from outside is *unknown* wherever it could change the answer, and only there.

#![forbid(unsafe_code)]

pub mod accounts;
pub mod answer;
pub mod attempt;
pub mod block;
pub mod cells;
pub mod chain;
pub mod host_rules;
pub mod moved;
pub mod own;
pub mod packet_filter;
pub mod policies;
