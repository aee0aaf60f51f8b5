//! What the codes of the engines mean that stand in messages: of the server's own list alone.

use chronaxis_engines::{MYSQL, POSTGRESQL};
use chronaxis_model::fact::{Awaited, Meaning};
use chronaxis_model::target::EngineId;

/// What a code is worth.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Worth {
    /// The server refused, and this is what it means.
    Refused(Meaning),
    /// The connection stood: a statement failed.
    Statement,
    /// It is of the client, or says nothing.
    Nothing,
}

/// The worth of a code.
pub fn worth(engine: Option<EngineId>, code: &str) -> Worth {
    if code.len() == 5 && !code.chars().all(|c| c.is_ascii_digit()) || engine == Some(POSTGRESQL) {
        return of_sqlstate(code);
    }
    let Ok(number) = code.parse::<u32>() else {
        return of_sqlstate(code);
    };
    match engine.map(EngineId::as_str) {
        Some("tds") => of_tds(number),
        Some("mongodb") => of_mongodb(number),
        _ => of_mysql(number),
    }
}

/// The engine whose code it is, where its form tells.
pub fn engine(code: &str) -> Option<EngineId> {
    match worth(None, code) {
        Worth::Refused(_) if code.len() == 5 && !code.chars().all(|c| c.is_ascii_digit()) => {
            Some(POSTGRESQL)
        }
        Worth::Refused(_) => Some(MYSQL),
        _ => None,
    }
}

/// PostgreSQL's codes ("PostgreSQL Error Codes"), without those of its clients.
fn of_sqlstate(code: &str) -> Worth {
    match code {
        "28P01" | "28000" | "3D000" | "53300" | "57P01" | "57P02" | "57P03" | "57P04" | "08P01"
        | "08004" => Worth::Refused(chronaxis_engines::postgresql::codes::meaning(
            code,
            b"",
            Awaited::Admission,
        )),
        _ => match code.get(..2).unwrap_or_default() {
            "21" | "22" | "23" | "24" | "25" | "26" | "34" | "40" | "42" | "44" | "P0" => {
                Worth::Statement
            }
            _ => Worth::Nothing,
        },
    }
}

fn of_mysql(number: u32) -> Worth {
    let Ok(number) = u16::try_from(number) else {
        return Worth::Nothing;
    };
    match number {
        1045 | 1698 => Worth::Refused(Meaning::AccessDenied),
        1054 | 1062 | 1064 | 1142 | 1143 | 1146 | 1205 | 1213 | 1292 | 1366 | 1406 | 1451
        | 1452 => Worth::Statement,
        _ => match chronaxis_engines::mysql::codes::meaning(number) {
            Meaning::Other => Worth::Nothing,
            meaning => Worth::Refused(meaning),
        },
    }
}

/// Numbers of servers that speak TDS (their documentation, "Database Engine events and errors").
fn of_tds(number: u32) -> Worth {
    Worth::Refused(match number {
        18450 | 18452 | 18456 => Meaning::AccessDenied,
        18470 => Meaning::IdentityRefused,
        18486 => Meaning::AccountLocked,
        18487 | 18488 => Meaning::PasswordExpired,
        4060 | 4064 => Meaning::DatabaseNotPermitted,
        17809 | 10928 | 10929 => Meaning::ServerFull,
        40615 => Meaning::ClientBlocked,
        17142 | 18401 => Meaning::NotReady,
        6005 => Meaning::Stopping,
        102 | 156 | 207 | 208 | 2627 | 1205 | 547 => return Worth::Statement,
        _ => return Worth::Nothing,
    })
}

/// Codes of servers that speak MongoDB's protocol (their documentation, "Error Codes").
fn of_mongodb(number: u32) -> Worth {
    Worth::Refused(match number {
        18 | 8000 => Meaning::AccessDenied,
        13 => Meaning::DatabaseNotPermitted,
        91 | 11600 => Meaning::Stopping,
        11000 | 26 => return Worth::Statement,
        _ => return Worth::Nothing,
    })
}
