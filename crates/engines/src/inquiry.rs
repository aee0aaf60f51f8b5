//! What a session with more rights is asked about an account of its server: statements that
//! only read, one after another, and what their rows say. Hashes are never selected.

use chronaxis_model::account::{AccountTold, Inquiry};
use chronaxis_model::redact::{Redacted, Redactor};

/// Most rows of one statement that are taken.
const MOST_ROWS: usize = 500;

/// The columns of a row, one after another; none for NULL.
pub struct Columns {
    left: std::vec::IntoIter<Option<Vec<u8>>>,
    redactor: Redactor,
}

impl Columns {
    /// Takes the columns of a row.
    pub fn of(row: Vec<Option<&[u8]>>, redactor: &Redactor) -> Columns {
        let owned: Vec<_> = row.into_iter().map(|c| c.map(<[u8]>::to_vec)).collect();
        Columns {
            left: owned.into_iter(),
            redactor: redactor.clone(),
        }
    }

    /// The next one; none for NULL, and where there is none.
    pub fn next(&mut self) -> Option<Redacted> {
        let bytes = self.left.next().flatten()?;
        Some(self.redactor.bytes(&bytes))
    }

    /// The next one as a text; empty for NULL.
    pub fn text(&mut self) -> Redacted {
        self.next().unwrap_or_default()
    }

    /// The next one as a truth value, in the words of either server.
    pub fn flag(&mut self) -> Option<bool> {
        match self.next()?.as_str() {
            "t" | "1" | "Y" | "true" | "ON" => Some(true),
            "f" | "0" | "N" | "false" | "OFF" => Some(false),
            _ => None,
        }
    }

    /// The next one as a number; none where it is none, or below zero.
    pub fn number<N: std::str::FromStr>(&mut self) -> Option<N> {
        self.next()?.as_str().parse().ok()
    }

    /// The next one as a list that was joined with this sign.
    pub fn list(&mut self, sign: u8) -> Vec<Redacted> {
        let parts = self.parts(sign);
        parts.iter().map(|part| self.redactor.bytes(part)).collect()
    }

    /// The parts of the next one, which was joined with this sign, as they came.
    pub fn parts(&mut self, sign: u8) -> Vec<Vec<u8>> {
        let whole = self.left.next().flatten().unwrap_or_default();
        let parts = whole.split(|b| *b == sign).filter(|part| !part.is_empty());
        parts.map(<[u8]>::to_vec).collect()
    }
}

/// One statement.
pub struct Statement {
    /// What it asks for, in words.
    pub asks: &'static str,
    /// The statement; `:user` and `:database` stand for what is looked up.
    pub sql: &'static str,
    /// The product whose tables it reads, where the engine has several.
    pub product: Option<&'static str>,
    /// Whether it is asked after what the ones before it brought.
    pub when: fn(&AccountTold) -> bool,
    /// Takes in a row.
    pub take: fn(&mut AccountTold, Columns),
    /// Takes in that there was no row.
    pub none: fn(&mut AccountTold),
}

/// For statements that are always asked.
pub(crate) fn always(_: &AccountTold) -> bool {
    true
}

/// For statements whose lack of rows says nothing.
pub(crate) fn nothing(_: &mut AccountTold) {}

/// Statements under way.
pub(crate) struct Asking {
    statements: Vec<&'static Statement>,
    inquiry: Inquiry,
    told: AccountTold,
    at: usize,
    rows: usize,
    failed: bool,
}

impl Asking {
    /// Begins, for a server of this product.
    pub(crate) fn begin(
        inquiry: Inquiry,
        statements: &'static [Statement],
        product: Option<&str>,
        asked_as: Redacted,
    ) -> Asking {
        Asking {
            statements: statements
                .iter()
                .filter(|one| one.product.is_none() || one.product == product)
                .collect(),
            told: AccountTold {
                asked_as,
                ..AccountTold::default()
            },
            inquiry,
            at: 0,
            rows: 0,
            failed: false,
        }
    }

    /// What is looked up.
    pub(crate) fn inquiry(&self) -> &Inquiry {
        &self.inquiry
    }

    /// The statement that is to be asked now; none once all are done.
    pub(crate) fn current(&mut self) -> Option<&'static Statement> {
        while let Some(statement) = self.statements.get(self.at).copied() {
            let needs_database = statement.sql.contains(":database");
            let possible = self.inquiry.database.is_some() || !needs_database;
            if possible && (statement.when)(&self.told) {
                return Some(statement);
            }
            self.at += 1;
        }
        None
    }

    /// Takes in a row of the current statement; those beyond a bound are left out.
    pub(crate) fn row(&mut self, row: Vec<Option<&[u8]>>, redactor: &Redactor) {
        self.rows += 1;
        if let Some(statement) = self
            .statements
            .get(self.at)
            .filter(|_| self.rows <= MOST_ROWS)
        {
            (statement.take)(&mut self.told, Columns::of(row, redactor));
        }
    }

    /// The current statement was refused.
    pub(crate) fn refused(&mut self, words: &Redacted, redactor: &Redactor) {
        self.failed = true;
        if let Some(statement) = self.statements.get(self.at) {
            let text = format!("{}: {words}", statement.asks);
            self.told.untold.push(redactor.text(&text));
        }
    }

    /// The current statement is over.
    pub(crate) fn done(&mut self) {
        if let Some(statement) = self.statements.get(self.at)
            && self.rows == 0
            && !self.failed
        {
            (statement.none)(&mut self.told);
        }
        self.at += 1;
        self.rows = 0;
        self.failed = false;
    }

    /// What came of all of them.
    pub(crate) fn told(self) -> AccountTold {
        self.told
    }
}
