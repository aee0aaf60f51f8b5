//! MySQL and MariaDB: their strings, their protocol (version 10), their numbers.

mod advice;
pub mod codec;
pub mod codes;
mod complete;
mod conversation;
mod described;
mod encryption;
mod greeting;
mod inquiry;
pub mod methods;
mod option_file;
pub mod parsec;
mod policy;
mod string;
mod written;

use chronaxis_model::conversation::Conversation;
use chronaxis_model::target::{ClientId, EngineId, ShownTarget, Target};

use crate::named_file::FileWanted;
use crate::policy::{ClientPolicy, TlsFiles};
use crate::protocol::{ConversationPlan, Protocol};
use crate::spec::{ClientRule, Engine, EngineSpec, Language, PairDialect, drivers};
use crate::strings::{ClientEnvironment, Draft, NotFollowed, Strings, url_at};
use crate::written::{Form, NotWritten, Parts};

/// Its id.
pub const ID: EngineId = SPEC.id;

/// The engine.
pub static ENGINE: Engine = Engine {
    spec: &SPEC,
    strings: &Mysql,
    protocol: &Mysql,
};

static SPEC: EngineSpec = EngineSpec {
    schemes: &["mysql", "mariadb"],
    adapters: &[
        "mysql2",
        "mysqli",
        "mysqlgis",
        "trilogy",
        "pdo-mysql",
        "pdo_mysql",
    ],
    drivers: &drivers(string::DRIVERS),
    jdbc_names: &["mysql", "mariadb"],
    php_name: Some(string::PHP_LEAD),
    odbc_words: &["mysql", "mariadb"],
    // .NET's client of MySQL (its documentation, "Connection Options").
    pairs: PairDialect {
        words: &[
            "allowloadlocalinfile",
            "allowpublickeyretrieval",
            "allowuservariables",
            "allowzerodatetime",
            "characterset",
            "charset",
            "convertzerodatetime",
            "guidformat",
            "oldguids",
            "sslca",
            "treattinyasboolean",
            "useaffectedrows",
        ],
        keys: &[],
        host: None,
    },
    words: &["mysql", "mariadb", "trilogy", "asyncmy"],
    // Its engine of tables: settings name it beside a host.
    whole_words: &["innodb", "mysql4"],
    driver_words: &[
        "mysql",
        "mariadb",
        "django.db.backends.mysql",
        "com.mysql.cj.jdbc.Driver",
        "org.mariadb.jdbc.Driver",
        "pdo_mysql",
        "pymysql",
        "mysqli",
        "mysql2",
        "mysqlx",
        "aiomysql",
        "asyncmy",
    ],
    renamed: &[
        ("com.mysql.jdbc.driver", "com.mysql.cj.jdbc.Driver"),
        ("org.gjt.mm.mysql.driver", "com.mysql.cj.jdbc.Driver"),
        ("mysql.driver", "pdo_mysql"),
    ],
    python_modules: &[
        "pymysql", "MySQLdb", "mysql", "mariadb", "aiomysql", "asyncmy",
    ],
    variable_leads: &["mysql"],
    file_options: &["ssl_ca", "ssl_cert", "ssl_key", "trust_store", "key_store"],
    marks: string::MARKS,
    own_names: &[
        ("sslmode", "ssl_mode"),
        ("sslrootcert", "ssl_ca"),
        ("sslcert", "ssl_cert"),
        ("sslkey", "ssl_key"),
    ],
    clients: &[
        ClientRule::word("pymysql", ClientId::Pymysql),
        ClientRule {
            word: Some("mariadb"),
            language: Some(Language::Java),
            client: ClientId::MariadbJava,
        },
        ClientRule::language(Language::Java, ClientId::ConnectorJ),
        ClientRule::language(Language::Php, ClientId::Mysqlnd),
        ClientRule::word("mariadb", ClientId::Libmariadb),
        ClientRule::any(ClientId::Libmysqlclient),
    ],
    in_settings: true,
    has_databases: true,
    data_marks: &["ibdata1", "mysql"],
    usual_port: Some(string::USUAL_PORT),
    usual_ports: &[3306, 3307],
    socket_folders: &["/run/mysqld", "/var/lib/mysql", "/tmp"],
    socket_files: &[("mysql", ".sock"), ("mariadb", ".sock")],
    programs: &["mysqld", "mariadbd"],
    variables: complete::VARIABLES,
    greetings: greeting::ALL,
    advice: advice::ADVICE,
    server_greets: true,
    counts_lines: true,
    signs_in_without_password: true,
    denies_alike: true,
    administrators: &["root"],
    queries: &[
        (conversation::MARIADB_QUERY, "where the server is MariaDB: "),
        (conversation::MYSQL_QUERY, "where it is MySQL: "),
    ],
    oldest_servers: &[(ClientId::ConnectorJ, (5, 7))],
    inquiry: inquiry::STATEMENTS,
    ..EngineSpec::named("mysql", "MySQL")
};

/// Both sides of it.
struct Mysql;

impl Strings for Mysql {
    fn read(&self, text: &str, line: Option<u32>) -> Draft {
        string::read(text, line)
    }

    fn at(&self, host: &str, port: u16) -> String {
        url_at("mysql", host, port)
    }

    fn files(&self, draft: &Draft, around: &ClientEnvironment) -> Vec<FileWanted> {
        complete::files(draft, around)
    }

    fn complete(&self, draft: Draft, around: &ClientEnvironment) -> Result<Target, NotFollowed> {
        complete::complete(draft, around)
    }

    fn described(&self, target: &ShownTarget) -> String {
        described::described(target)
    }

    fn written(&self, parts: &Parts<'_>, form: Form) -> Result<String, NotWritten> {
        written::written(parts, form)
    }

    fn client_policy(&self, target: &ShownTarget) -> ClientPolicy {
        policy::client(target)
    }

    fn tls_files<'a>(&self, target: &'a ShownTarget) -> TlsFiles<'a> {
        let named = |key: &str| target.options.get(key).map(String::as_str);
        TlsFiles {
            authorities: named("ssl_ca").or_else(|| named("trust_store")),
            certificate: named("ssl_cert").or_else(|| named("key_store")),
            key: named("ssl_key").or_else(|| named("key_store")),
        }
    }
}

impl Protocol for Mysql {
    fn open(&self, plan: ConversationPlan<'_>) -> Box<dyn Conversation> {
        Box::new(conversation::ClientHalf::new(&plan))
    }

    fn method_since(&self, client: ClientId, method: &str) -> Option<&'static str> {
        methods::since(client, method)
    }
}
