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

use Language::{Dotnet, Go, Java, Javascript, Php, Python, Ruby};

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
    driver(Go, "github.com/lib/pq", POSTGRESQL, ClientId::GoPq),
    driver(
        Go,
        "github.com/go-sql-driver/mysql",
        MYSQL,
        ClientId::GoMysql,
    ),
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
    Some(("PDO", Some(*client)))
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
