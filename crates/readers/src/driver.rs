//! The drivers that dependency lists name, and whose rules each follows.

use chronaxis_engines::{MYSQL, POSTGRESQL};
use chronaxis_model::target::{ClientId, EngineId};

use crate::packages::{Language, Package};

/// A driver of an engine.
#[derive(Debug)]
pub struct Driver {
    /// Its package, as dependency lists call it.
    pub package: &'static str,
    /// The language of the programs that use it.
    pub language: Language,
    /// Its engine.
    pub engine: EngineId,
    /// Whose rules it follows; none where its own are not known here.
    pub client: Option<ClientId>,
}

const fn driver(
    language: Language,
    package: &'static str,
    engine: EngineId,
    client: ClientId,
) -> Driver {
    Driver {
        package,
        language,
        engine,
        client: Some(client),
    }
}

const fn own_rules(language: Language, package: &'static str, engine: EngineId) -> Driver {
    Driver {
        package,
        language,
        engine,
        client: None,
    }
}

use Language::{Dotnet, Go, Java, Javascript, Php, Python, Ruby, Rust};

/// All of them; of those that a project has, the first of its engine counts.
pub const DRIVERS: &[Driver] = &[
    own_rules(Javascript, "@prisma/client", POSTGRESQL),
    driver(Javascript, "pg", POSTGRESQL, ClientId::NodePostgres),
    driver(Javascript, "pg-promise", POSTGRESQL, ClientId::NodePostgres),
    driver(Javascript, "postgres", POSTGRESQL, ClientId::PostgresJs),
    own_rules(Javascript, "@prisma/client", MYSQL),
    driver(Javascript, "mysql2", MYSQL, ClientId::NodeMysql),
    driver(Javascript, "mysql", MYSQL, ClientId::NodeMysql),
    driver(Javascript, "mariadb", MYSQL, ClientId::MariadbNode),
    driver(Python, "psycopg2", POSTGRESQL, ClientId::Libpq),
    driver(Python, "psycopg2-binary", POSTGRESQL, ClientId::Libpq),
    driver(Python, "psycopg", POSTGRESQL, ClientId::Libpq),
    driver(Python, "psycopg-binary", POSTGRESQL, ClientId::Libpq),
    driver(Python, "aiopg", POSTGRESQL, ClientId::Libpq),
    driver(Python, "asyncpg", POSTGRESQL, ClientId::Asyncpg),
    driver(Python, "pg8000", POSTGRESQL, ClientId::Pg8000),
    driver(Python, "mysqlclient", MYSQL, ClientId::Libmariadb),
    driver(Python, "pymysql", MYSQL, ClientId::Pymysql),
    driver(Python, "aiomysql", MYSQL, ClientId::Pymysql),
    driver(Python, "asyncmy", MYSQL, ClientId::Pymysql),
    driver(
        Python,
        "mysql-connector-python",
        MYSQL,
        ClientId::Libmysqlclient,
    ),
    driver(Python, "mariadb", MYSQL, ClientId::Libmariadb),
    driver(Ruby, "pg", POSTGRESQL, ClientId::Libpq),
    driver(Ruby, "mysql2", MYSQL, ClientId::Libmariadb),
    own_rules(Ruby, "trilogy", MYSQL),
    driver(Java, "postgresql", POSTGRESQL, ClientId::Pgjdbc),
    driver(Java, "mysql-connector-j", MYSQL, ClientId::ConnectorJ),
    driver(Java, "mysql-connector-java", MYSQL, ClientId::ConnectorJ),
    driver(Java, "mariadb-java-client", MYSQL, ClientId::MariadbJava),
    driver(Go, "github.com/jackc/pgx/v5", POSTGRESQL, ClientId::Pgx),
    driver(Go, "github.com/jackc/pgx/v4", POSTGRESQL, ClientId::Pgx),
    // GORM's drivers hand their strings on to these (their documentation, "Connecting").
    driver(Go, "gorm.io/driver/postgres", POSTGRESQL, ClientId::Pgx),
    driver(Go, "gorm.io/driver/mysql", MYSQL, ClientId::GoMysql),
    driver(Go, "github.com/lib/pq", POSTGRESQL, ClientId::GoPq),
    driver(
        Go,
        "github.com/go-sql-driver/mysql",
        MYSQL,
        ClientId::GoMysql,
    ),
    own_rules(Rust, "sqlx/postgres", POSTGRESQL),
    own_rules(Rust, "sqlx/mysql", MYSQL),
    own_rules(Rust, "sea-orm/sqlx-postgres", POSTGRESQL),
    own_rules(Rust, "sea-orm/sqlx-mysql", MYSQL),
    own_rules(Rust, "tokio-postgres", POSTGRESQL),
    own_rules(Rust, "postgres", POSTGRESQL),
    own_rules(Rust, "deadpool-postgres", POSTGRESQL),
    own_rules(Rust, "mysql_async", MYSQL),
    own_rules(Rust, "mysql", MYSQL),
    driver(Rust, "diesel/postgres", POSTGRESQL, ClientId::Libpq),
    driver(Rust, "diesel/mysql", MYSQL, ClientId::Libmysqlclient),
    driver(Dotnet, "npgsql", POSTGRESQL, ClientId::Npgsql),
    driver(
        Dotnet,
        "npgsql.entityframeworkcore.postgresql",
        POSTGRESQL,
        ClientId::Npgsql,
    ),
    driver(Dotnet, "mysqlconnector", MYSQL, ClientId::MysqlConnector),
    driver(
        Dotnet,
        "pomelo.entityframeworkcore.mysql",
        MYSQL,
        ClientId::MysqlConnector,
    ),
];

/// Frameworks of PHP: their drivers come with the language.
const PHP: &[(EngineId, ClientId)] = &[(POSTGRESQL, ClientId::Libpq), (MYSQL, ClientId::Mysqlnd)];

/// What drivers that come with PHP are called by.
pub(crate) const OF_PHP: &str = "PDO";

/// A package that is for several engines.
const SEVERAL: &str = "@prisma/client";

/// The engine of a project that has drivers for one alone.
pub(crate) fn sole_engine(near: &[&Package]) -> Option<EngineId> {
    let named = |d: &&Driver| {
        let is = |p: &&&Package| p.language == d.language && p.name == d.package;
        d.package != SEVERAL && near.iter().any(|p| is(&p))
    };
    let mut engines = DRIVERS.iter().filter(named).map(|d| d.engine);
    let first = engines.next()?;
    engines.all(|engine| engine == first).then_some(first)
}

/// The driver by which a project's program reaches an engine, and the name to call it by.
pub(crate) fn of(near: &[&Package], engine: EngineId) -> Option<(&'static str, Option<ClientId>)> {
    let named = |d: &&Driver| {
        let is = |p: &&&Package| p.language == d.language && p.name == d.package;
        d.engine == engine && near.iter().any(|p| is(&p))
    };
    if let Some(driver) = DRIVERS.iter().find(named) {
        return Some((driver.package, driver.client));
    }
    let php = near.iter().any(|p| p.language == Php);
    let (_, client) = PHP.iter().find(|(id, _)| php && *id == engine)?;
    Some((OF_PHP, Some(*client)))
}

/// Libraries of JavaScript that load a driver by its name: without one in the list there is
/// none.
const LOAD_BY_NAME: &[&str] = &["sequelize", "knex", "typeorm", "drizzle-orm", "objection"];

/// What a project lacks to reach an engine.
pub(crate) struct Lacking {
    /// A package that would do.
    pub(crate) package: &'static str,
    /// What the list has for other engines, or what asks for a driver.
    pub(crate) has: &'static str,
}

/// Whether the dependency lists show that a project has no driver for an engine: they are of
/// one language, name drivers of other engines or what loads one by its name, and no package
/// that sounds like this engine.
pub(crate) fn lacking(near: &[&Package], engine: EngineId) -> Option<Lacking> {
    let language = near.first()?.language;
    let complete = matches!(language, Javascript | Python | Ruby | Go | Dotnet | Java);
    let sounds = |p: &&Package| match crate::names::engine_word(&p.name) {
        Some(crate::names::Means::Engine(id)) => id == engine,
        _ => DRIVERS
            .iter()
            .any(|d| d.engine == engine && d.package == p.name),
    };
    if !complete || near.iter().any(|p| p.language != language || sounds(p)) {
        return None;
    }
    let named = |package: &str| near.iter().any(|p| p.name == package);
    let mut own = DRIVERS.iter().filter(|d| d.language == language);
    let other = own.clone().find(|d| named(d.package)).map(|d| d.package);
    let by_name = || LOAD_BY_NAME.iter().copied().find(|name| named(name));
    let has = match language {
        Javascript => other.or_else(by_name),
        _ => other,
    }?;
    let package = own
        .find(|d| d.engine == engine && d.package != SEVERAL)?
        .package;
    Some(Lacking { package, has })
}

/// The packages that SQLAlchemy loads for a scheme (its documentation, "Dialects"): the one
/// to name, and what also has it.
const DIALECTS: &[(&str, &[&str])] = &[
    // Psycopg 2 before version 2.1, the third since.
    (
        "postgresql",
        &["psycopg2", "psycopg2-binary", "psycopg", "psycopg-binary"],
    ),
    ("postgresql+psycopg2", &["psycopg2", "psycopg2-binary"]),
    ("postgresql+psycopg2cffi", &["psycopg2cffi"]),
    ("postgresql+psycopg", &["psycopg", "psycopg-binary"]),
    ("postgresql+asyncpg", &["asyncpg"]),
    ("postgresql+pg8000", &["pg8000"]),
    ("mysql", &["mysqlclient"]),
    ("mysql+mysqldb", &["mysqlclient"]),
    ("mysql+pymysql", &["pymysql"]),
    ("mysql+aiomysql", &["aiomysql"]),
    ("mysql+asyncmy", &["asyncmy"]),
    ("mysql+mysqlconnector", &["mysql-connector-python"]),
    ("mariadb", &["mysqlclient"]),
    ("mariadb+pymysql", &["pymysql"]),
    ("mariadb+mariadbconnector", &["mariadb"]),
];

/// The package that SQLAlchemy needs for a scheme, where the project has another driver for
/// that engine and not this one. (Where it has none, another list may name it.)
pub(crate) fn absent(near: &[&Package], engine: EngineId, scheme: &str) -> Option<&'static str> {
    let (_, needed) = DIALECTS.iter().find(|(known, _)| *known == scheme)?;
    let python = |name: &str| near.iter().any(|p| p.language == Python && p.name == name);
    if needed.iter().any(|name| python(name)) {
        return None;
    }
    let mut others = DRIVERS
        .iter()
        .filter(|d| d.language == Python && d.engine == engine);
    let has_other = others.any(|d| python(d.package));
    needed.first().copied().filter(|_| has_other)
}
