//! What there is to know of an engine, as data; and the engine, with its two sides: its
//! strings and its protocol.
//!
//! Whatever reads, checks, recognises or writes settings takes the facts of an engine from
//! here and nowhere else.

use chronaxis_model::fact::Service;
use chronaxis_model::target::{ClientId, EngineId};

use crate::advice::Advice;
use crate::inquiry::Statement;
use crate::protocol::Protocol;
use crate::strings::Strings;

/// An engine.
pub struct Engine {
    /// What is known of it.
    pub spec: &'static EngineSpec,
    /// Its connection strings, and the rules by which its clients fill in the rest.
    pub strings: &'static dyn Strings,
    /// The client's half of its protocol.
    pub protocol: &'static dyn Protocol,
}

/// What there is to know of an engine. Words are in lower case where they are compared
/// without regard to case.
#[derive(Clone, Copy)]
pub struct EngineSpec {
    /// Its id.
    pub id: EngineId,
    /// The name by which people call it.
    pub title: &'static str,

    // How strings name it.
    /// The URL schemes that mean it.
    pub schemes: &'static [&'static str],
    /// The schemes by which adapters of common frameworks call it.
    pub adapters: &'static [&'static str],
    /// The drivers that may stand behind a scheme and a plus sign.
    pub drivers: &'static [&'static str],
    /// What stands behind `jdbc:` in the URLs of its JDBC drivers.
    pub jdbc_names: &'static [&'static str],
    /// What its data-source names for PHP begin with.
    pub php_name: Option<&'static str>,
    /// Signs that only strings of its clients hold.
    pub marks: &'static [&'static str],
    /// What the names of its ODBC drivers hold.
    pub odbc_words: &'static [&'static str],
    /// How its semicolon-separated strings differ from those of other engines.
    pub pairs: PairDialect,
    /// Whether its strings may be keywords with values alone, `host=… dbname=…`.
    pub keyword_values: bool,

    // How settings name it.
    /// What a word for it holds: of a driver, a dialect, an adapter, an image.
    pub words: &'static [&'static str],
    /// Words that mean it only if nothing else stands beside them.
    pub whole_words: &'static [&'static str],
    /// Words by which settings choose it, as they are written: for the nearest one of a slip.
    pub driver_words: &'static [&'static str],
    /// Drivers that have another name now, and that name.
    pub renamed: &'static [(&'static str, &'static str)],
    /// Modules of Python whose calls connect to it.
    pub python_modules: &'static [&'static str],
    /// Leads with which names of variables run together: `PGHOST`.
    pub variable_leads: &'static [&'static str],
    /// Variables that its own library reads, and the options that they stand for.
    pub option_variables: &'static [(&'static str, &'static str)],
    /// Its options that name files with certificates and keys.
    pub file_options: &'static [&'static str],
    /// What its clients call an option that others call otherwise.
    pub own_names: &'static [(&'static str, &'static str)],
    /// Fields of its settings whose words mean anything elsewhere, and what they are to it.
    pub own_fields: &'static [(&'static str, &'static str)],
    /// Whose rules count, by the word that chooses the driver. The first that fits.
    pub clients: &'static [ClientRule],
    /// Whether its clients take the folder of a socket file as the host.
    pub socket_is_host: bool,
    /// Whether settings files are searched for it.
    pub in_settings: bool,
    /// Whether one of its servers has several databases, of which a client names one.
    pub has_databases: bool,
    /// What it calls what a client asks for there.
    pub database_word: &'static str,
    /// Files and folders that stand in a folder with its data.
    pub data_marks: &'static [&'static str],

    // How it is reached.
    /// Its usual port.
    pub usual_port: Option<u16>,
    /// Ports on which its servers, poolers and second instances usually listen, the
    /// likeliest first.
    pub usual_ports: &'static [u16],
    /// Where machines keep its socket files, the likeliest first.
    pub socket_folders: &'static [&'static str],
    /// How the names of its socket files begin and end.
    pub socket_files: &'static [(&'static str, &'static str)],
    /// How the names of the programs begin that serve it.
    pub programs: &'static [&'static str],
    /// The environment variables to which its client listens.
    pub variables: &'static [&'static str],

    // How it speaks.
    /// By what its servers are known, the surest first.
    pub greetings: &'static [Greeting],
    /// What its client sends first, if it speaks first.
    pub first_bytes: &'static [u8],
    /// Whether its servers speak first.
    pub server_greets: bool,
    /// Whether its clients ask whether the server encrypts before they begin with TLS.
    pub asks_to_encrypt: bool,
    /// Whether its servers count lines that end before the sign-in is complete, and block
    /// whoever makes too many.
    pub counts_lines: bool,
    /// Whether its client signs in with an empty password where it has none.
    pub signs_in_without_password: bool,
    /// Whether its servers refuse in the same words whatever is wrong with the credentials.
    pub denies_alike: bool,
    /// Whether its servers have a code for each thing that can be wrong with who signs in.
    pub tells_apart: bool,
    /// Whether its line is nothing but encryption.
    pub only_encryption: bool,
    /// Accounts that its servers have from the start, with all rights.
    pub administrators: &'static [&'static str],
    /// What its administrators do about refusals.
    pub advice: Advice,
    /// The queries that may be asked in a session, each with the condition; only one is.
    pub queries: &'static [(&'static str, &'static str)],
    /// The oldest server that a client supports, by its documentation: its first two numbers.
    pub oldest_servers: &'static [(ClientId, (u32, u32))],
    /// What is asked about an account by a session with more rights; it only reads.
    pub inquiry: &'static [Statement],
}

impl EngineSpec {
    /// An engine of which nothing but its name is known.
    pub const fn named(id: &'static str, title: &'static str) -> EngineSpec {
        EngineSpec {
            id: EngineId::new(id),
            title,
            schemes: &[],
            adapters: &[],
            drivers: &[],
            jdbc_names: &[],
            php_name: None,
            marks: &[],
            odbc_words: &[],
            pairs: PairDialect {
                words: &[],
                keys: &[],
                host: None,
            },
            keyword_values: false,
            words: &[],
            whole_words: &[],
            driver_words: &[],
            renamed: &[],
            python_modules: &[],
            variable_leads: &[],
            option_variables: &[],
            file_options: &[],
            own_names: &[],
            own_fields: &[],
            clients: &[],
            socket_is_host: false,
            in_settings: false,
            has_databases: false,
            database_word: "database",
            data_marks: &[],
            usual_port: None,
            usual_ports: &[],
            socket_folders: &["/tmp"],
            socket_files: &[],
            programs: &[],
            variables: &[],
            greetings: &[],
            first_bytes: &[],
            server_greets: false,
            asks_to_encrypt: false,
            counts_lines: false,
            signs_in_without_password: false,
            denies_alike: false,
            tells_apart: false,
            only_encryption: false,
            administrators: &[],
            advice: Advice::NONE,
            queries: &[],
            oldest_servers: &[],
            inquiry: &[],
        }
    }

    /// Whether this is one of its servers, or of what stands before them.
    pub fn serves(&self, service: Service) -> bool {
        self.greetings.iter().any(|g| g.service == service)
    }
}

/// How the semicolon-separated strings of an engine's clients differ from those of others.
#[derive(Clone, Copy)]
pub struct PairDialect {
    /// Words that only these clients have, without blanks.
    pub words: &'static [&'static str],
    /// Words that tell it where all of them stand together.
    pub keys: &'static [&'static str],
    /// Whether a host is written as only these clients take it.
    pub host: Option<fn(&str) -> bool>,
}

/// Whose rules count where a word chooses the driver.
#[derive(Clone, Copy)]
pub struct ClientRule {
    /// What the word holds; none: whatever it is.
    pub word: Option<&'static str>,
    /// The language in which it is chosen, where that decides.
    pub language: Option<Language>,
    /// The client.
    pub client: ClientId,
}

impl ClientRule {
    /// By what the word holds.
    pub const fn word(word: &'static str, client: ClientId) -> ClientRule {
        ClientRule {
            word: Some(word),
            language: None,
            client,
        }
    }

    /// By the language alone.
    pub const fn language(language: Language, client: ClientId) -> ClientRule {
        ClientRule {
            word: None,
            language: Some(language),
            client,
        }
    }

    /// Whatever the word is.
    pub const fn any(client: ClientId) -> ClientRule {
        ClientRule {
            word: None,
            language: None,
            client,
        }
    }
}

/// The names of drivers, of a table that says whose rules each follows.
pub(crate) const fn drivers<const N: usize>(
    table: [(&'static str, ClientId); N],
) -> [&'static str; N] {
    let mut names = [""; N];
    let mut index = 0;
    while index < N {
        #[allow(
            clippy::indexing_slicing,
            reason = "the index is below the length of both"
        )]
        {
            names[index] = table[index].0;
        }
        index += 1;
    }
    names
}

/// The language of a program, as far as its settings show it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Language {
    /// Java, and what runs on its machine.
    Java,
    /// PHP.
    Php,
}

/// A server that is known by the first bytes that it sends, or answers with.
#[derive(Clone, Copy)]
pub struct Greeting {
    /// Which.
    pub service: Service,
    /// What it speaks, in a word or two.
    pub speaks: &'static str,
    /// Its name, for people.
    pub title: &'static str,
    /// Whether these bytes are its.
    pub fits: fn(&[u8]) -> bool,
}
