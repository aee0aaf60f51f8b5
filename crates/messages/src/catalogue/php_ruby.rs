//! Drivers, mappers and frameworks of PHP and Ruby.

use crate::pattern::{
    Component, Kind, Pattern, Source, beside, code, component, driver, follows, hides, stop,
    unrelated,
};

pub(super) const ALL: &[Component] = &[
    component(
        "pdo",
        "PDO",
        Kind::Driver,
        None,
        "PHP",
        Source::Measured,
        PDO,
    ),
    component(
        "mysqli",
        "mysqli and mysqlnd",
        Kind::Driver,
        Some("mysql"),
        "PHP",
        Source::Measured,
        MYSQLI,
    ),
    component(
        "php-pgsql",
        "PHP's pgsql",
        Kind::Driver,
        Some("postgresql"),
        "PHP",
        Source::Measured,
        PGSQL,
    ),
    component(
        "laravel",
        "Laravel",
        Kind::Framework,
        None,
        "PHP",
        Source::Published,
        LARAVEL,
    ),
    component(
        "doctrine",
        "Doctrine",
        Kind::Framework,
        None,
        "PHP",
        Source::Published,
        DOCTRINE,
    ),
    component(
        "wordpress",
        "WordPress",
        Kind::Framework,
        Some("mysql"),
        "PHP",
        Source::Documented,
        WORDPRESS,
    ),
    component(
        "ruby-pg",
        "Ruby's pg",
        Kind::Driver,
        Some("postgresql"),
        "Ruby",
        Source::Measured,
        RUBY_PG,
    ),
    component(
        "ruby-mysql2",
        "Ruby's mysql2 and trilogy",
        Kind::Driver,
        Some("mysql"),
        "Ruby",
        Source::Measured,
        RUBY_MYSQL,
    ),
    component(
        "active-record",
        "Active Record",
        Kind::Framework,
        None,
        "Ruby",
        Source::Published,
        ACTIVE_RECORD,
    ),
    component(
        "sequel",
        "Sequel",
        Kind::Framework,
        None,
        "Ruby",
        Source::Published,
        SEQUEL,
    ),
];

const PDO: &[Pattern] = &[
    stop("pdo-driver", "could not find driver", "settings/no-driver")
        .may("a lead before the first colon that is misspelt: PHP says the same")
        .eg("PDOException: could not find driver")
        .not("could not find file"),
    code("pdo-mysql-code", "SQLSTATE[HY000] [{number}]")
        .eg("SQLSTATE[HY000] [1045] Accès refusé pour l'utilisateur: 'deckhand'@'198.51.100.77' (mot de passe: OUI)")
        .not("SQLSTATE[HY000]: General error"),
    code("pdo-code", "SQLSTATE[{sqlstate}] [{number}]")
        .eg("SQLSTATE[42000] [1044] Access denied for user 'deckhand'@'%' to database 'manifest'")
        .not("SQLSTATE[] [x]"),
    beside("pdo-pgsql", "SQLSTATE[08006] [7]").of("postgresql")
        .eg("SQLSTATE[08006] [7] connection to server at \"192.0.2.10\", port 5432 failed: Connection refused")
        .not("SQLSTATE[08006] [8]"),
    stop("pdo-refused", "SQLSTATE[HY000] [2002] Connection refused", "port/refused").of("mysql")
        .eg("SQLSTATE[HY000] [2002] Connection refused")
        .not("SQLSTATE[HY000] [2002] Connection timed out"),
    stop("pdo-silent", "SQLSTATE[HY000] [2002] Connection timed out", "port/silent").of("mysql")
        .eg("SQLSTATE[HY000] [2002] Connection timed out")
        .not("SQLSTATE[HY000] [2002] Connection refused"),
    stop("pdo-silent-progress", "SQLSTATE[HY000] [2002] Operation now in progress", "port/silent").of("mysql")
        .eg("SQLSTATE[HY000] [2002] Operation now in progress")
        .not("SQLSTATE[HY000] [2002] No such file or directory"),
    stop("pdo-socket", "SQLSTATE[HY000] [2002] No such file or directory", "port/socket-missing").of("mysql")
        .may("the host \"localhost\", which PHP takes to mean a socket file")
        .eg("SQLSTATE[HY000] [2002] No such file or directory")
        .not("SQLSTATE[HY000] [2002] Connection refused"),
    stop("pdo-socket-closed", "SQLSTATE[HY000] [2002] Permission denied", "port/socket-not-permitted").of("mysql")
        .eg("SQLSTATE[HY000] [2002] Permission denied")
        .not("SQLSTATE[HY000] [2002] No such file or directory"),
    stop("pdo-no-route", "SQLSTATE[HY000] [2002] No route to host", "port/unreachable").of("mysql")
        .eg("SQLSTATE[HY000] [2002] No route to host")
        .not("SQLSTATE[HY000] [2002] Network is unreachable"),
    stop("pdo-name", "php_network_getaddresses: getaddrinfo failed: Name or service not known", "name/not-found")
        .eg("SQLSTATE[HY000] [2002] php_network_getaddresses: getaddrinfo failed: Name or service not known")
        .not("php_network_getaddresses: getaddrinfo failed: Temporary failure in name resolution"),
    stop("pdo-name-host", "php_network_getaddresses: getaddrinfo for {host} failed: Name or service not known", "name/not-found")
        .eg("SQLSTATE[HY000] [2002] php_network_getaddresses: getaddrinfo for wharf.osmary.example failed: Name or service not known")
        .not("php_network_getaddresses: getaddrinfo for wharf.osmary.example failed: Temporary failure in name resolution"),
    stop("pdo-name-failing", "php_network_getaddresses: getaddrinfo for {host} failed: Temporary failure in name resolution", "name/failing")
        .eg("php_network_getaddresses: getaddrinfo for wharf.osmary.example failed: Temporary failure in name resolution")
        .not("php_network_getaddresses: getaddrinfo for wharf.osmary.example failed: Name or service not known"),
    stop("pdo-name-failing-old", "php_network_getaddresses: getaddrinfo failed: Temporary failure in name resolution", "name/failing")
        .eg("php_network_getaddresses: getaddrinfo failed: Temporary failure in name resolution")
        .not("php_network_getaddresses: getaddrinfo failed: Name or service not known"),
    stop("pdo-dsn", "PDO::__construct(): Argument #1 ($dsn) must be a valid data source name", "settings/unreadable")
        .eg("ValueError: PDO::__construct(): Argument #1 ($dsn) must be a valid data source name")
        .not("PDO::__construct() expects"),
];

const MYSQLI: &[Pattern] = &[
    stop("mysqlnd-auth", "The server requested authentication method unknown to the client [{word}]", "login/method")
        .eg("mysqli_sql_exception: The server requested authentication method unknown to the client [caching_sha2_password]")
        .not("The server requested a file"),
    code("mysqli-code", "({sqlstate}/{number}): ")
        .eg("mysqli::real_connect(): (HY000/1045): Accès refusé pour l'utilisateur: 'deckhand'@'10.8.0.5'")
        .not("(HY000): none"),
    stop(
        "mysqli-socket",
        "(HY000/2002): No such file or directory",
        "port/socket-missing",
    )
    .may("the host \"localhost\", which PHP takes to mean a socket file")
    .eg("mysqli::real_connect(): (HY000/2002): No such file or directory")
    .not("(HY000/2002): Connection refused"),
    stop(
        "mysqli-refused",
        "(HY000/2002): Connection refused",
        "port/refused",
    )
    .eg("mysqli::real_connect(): (HY000/2002): Connection refused")
    .not("(HY000/2002): No such file or directory"),
    stop(
        "mysqli-silent",
        "(HY000/2002): Connection timed out",
        "port/silent",
    )
    .eg("mysqli::real_connect(): (HY000/2002): Connection timed out")
    .not("(HY000/2002): Connection refused"),
    stop(
        "mysqlnd-auth-plain",
        "The server requested authentication method unknown to the client",
        "login/method",
    )
    .weak()
    .eg("SQLSTATE[HY000] [2054] The server requested authentication method unknown to the client")
    .not("The server requested authentication"),
    stop("mysqli-missing", "Call to undefined function mysqli_connect()", "settings/library-missing").of("mysql")
        .eg("PHP Fatal error:  Uncaught Error: Call to undefined function mysqli_connect()")
        .not("Call to undefined function mysql()"),
    stop("mysqli-class-missing", "Class \"mysqli\" not found", "settings/library-missing").of("mysql")
        .eg("PHP Fatal error:  Uncaught Error: Class \"mysqli\" not found")
        .not("Class \"Ferry\" not found"),
    stop("mysqlnd-greeting", "Error while reading greeting packet.", "listener/closed")
        .eg("PHP Warning:  PDO::__construct(): Error while reading greeting packet. PID=77")
        .not("Error while reading a file."),
    stop("mysqlnd-tls", "Cannot connect to MySQL using SSL", "tls/alert")
        .eg("Cannot connect to MySQL using SSL")
        .not("Connected to MySQL using SSL"),
    stop("mysqlnd-no-tls", "Cannot connect to MySQL by using SSL, unsupported by the server", "tls/not-offered")
        .eg("Cannot connect to MySQL by using SSL, unsupported by the server")
        .not("Cannot connect to MySQL"),
    follows("mysqli-bool", "mysqli_query(): Argument #1 ($mysql) must be of type mysqli, bool given")
        .eg("PHP Fatal error:  Uncaught TypeError: mysqli_query(): Argument #1 ($mysql) must be of type mysqli, bool given")
        .not("mysqli_query(): Argument #2"),
    follows("php-null", "Call to a member function {word} on null")
        .eg("PHP Fatal error:  Uncaught Error: Call to a member function query() on null")
        .not("Call to a member function query() on string"),
    follows("php-bool", "Call to a member function {word} on bool")
        .eg("PHP Fatal error:  Uncaught Error: Call to a member function fetch() on bool")
        .not("Call to a function"),
];

const PGSQL: &[Pattern] = &[
    beside("php-pgsql-where", "pg_connect(): Unable to connect to PostgreSQL server:")
        .eg("PHP Warning:  pg_connect(): Unable to connect to PostgreSQL server: connection to server at \"192.0.2.10\", port 5432 failed: Connection refused")
        .not("pg_connect(): connected"),
    stop("php-pgsql-missing", "Call to undefined function pg_connect()", "settings/library-missing")
        .eg("PHP Fatal error:  Uncaught Error: Call to undefined function pg_connect()")
        .not("Call to undefined function pg()"),
];

const LARAVEL: &[Pattern] = &[
    beside("laravel-connection", "(Connection: {word}, SQL:")
        .eg("Illuminate\\Database\\QueryException: SQLSTATE[HY000] [2002] Connection refused (Connection: mysql, SQL: select * from `vehicles`)")
        .not("(Connection: closed)"),
    stop("laravel-database", "Database connection [{word}] not configured.", "settings/value-missing")
        .eg("InvalidArgumentException: Database connection [pgsqll] not configured.")
        .not("Database connection [pgsql] configured."),
    driver("laravel-driver", "Unsupported driver [{driver}].")
        .eg("InvalidArgumentException: Unsupported driver [postgress].")
        .not("Unsupported file"),
    unrelated("laravel-key", "No application encryption key has been specified.")
        .eg("RuntimeException: No application encryption key has been specified.")
        .not("An application encryption key has been specified."),
];

const DOCTRINE: &[Pattern] = &[
    beside("doctrine-driver", "An exception occurred in the driver:")
        .eg("Doctrine\\DBAL\\Exception\\ConnectionException: An exception occurred in the driver: SQLSTATE[HY000] [2002] Connection refused")
        .not("An exception occurred in the template:"),
    beside("doctrine-driver-old", "An exception occurred in driver:")
        .eg("An exception occurred in driver: SQLSTATE[08006] [7] timeout expired")
        .not("An exception occurred in template:"),
    driver("doctrine-unknown", "The given driver \"{driver}\" is unknown")
        .eg("Doctrine\\DBAL\\Exception\\UnknownDriver: The given driver \"pdo_postgress\" is unknown, Doctrine currently supports only the following drivers: pdo_mysql, pdo_pgsql")
        .not("The given driver is known"),
    stop("doctrine-url", "Malformed parameter \"url\".", "settings/unreadable")
        .eg("Doctrine\\DBAL\\Exception\\MalformedDsnException: Malformed parameter \"url\".")
        .not("Malformed parameter \"uri\"."),
    stop("doctrine-variable", "Environment variable not found: \"{word}\"", "settings/value-missing")
        .eg("Symfony\\Component\\DependencyInjection\\Exception\\EnvNotFoundException: Environment variable not found: \"DATABASE_URL\".")
        .not("Environment variable found: \"DATABASE_URL\""),
];

const WORDPRESS: &[Pattern] = &[
    hides("wordpress-connection", "Error establishing a database connection", "Set WP_DEBUG to true in wp-config.php, or run \"wp db check\": the page hides MySQL's own error.")
        .eg("<h1>Error establishing a database connection</h1>")
        .not("Establishing a database connection"),
    stop("wordpress-extension", "Your PHP installation appears to be missing the MySQL extension which is required by WordPress.", "settings/library-missing")
        .eg("Your PHP installation appears to be missing the MySQL extension which is required by WordPress.")
        .not("Your PHP installation has the MySQL extension"),
];

const RUBY_PG: &[Pattern] = &[
    beside("ruby-pg-bad", "PG::ConnectionBad")
        .eg("PG::ConnectionBad: connection to server at \"192.0.2.10\", port 5432 failed: Connection refused")
        .not("PG::ConnectionBads"),
    stop("ruby-pg-missing", "cannot load such file -- pg", "settings/library-missing")
        .eg("LoadError: cannot load such file -- pg")
        .not("cannot load such file -- pgx"),
    follows("ruby-pg-closed", "PQsocket() can't get socket descriptor")
        .eg("PG::ConnectionBad: PQsocket() can't get socket descriptor")
        .not("can't get socket"),
    follows("ruby-pg-is-closed", "PG::ConnectionBad: connection is closed")
        .eg("PG::ConnectionBad: connection is closed")
        .not("PG::ConnectionBad: connection is open"),
    stop("ruby-pg-name", "could not translate host name \"{host}\"", "name/not-found").weak()
        .eg("PG::ConnectionBad: could not translate host name \"quay.osmary.example\"")
        .not("could not translate the page"),
];

const RUBY_MYSQL: &[Pattern] = &[
    beside("ruby-mysql2-error", "Mysql2::Error::ConnectionError:")
        .eg("Mysql2::Error::ConnectionError: Can't connect to server on 'wharf.osmary.example' (111)")
        .not("Mysql2::Error: none"),
    stop("ruby-mysql2-missing", "cannot load such file -- mysql2", "settings/library-missing")
        .eg("LoadError: cannot load such file -- mysql2")
        .not("cannot load such file -- mysql"),
    stop("trilogy-refused", "Trilogy::SyscallError::ECONNREFUSED", "port/refused")
        .eg("Trilogy::SyscallError::ECONNREFUSED: Connection refused - trilogy_connect - unable to connect to wharf.osmary.example:3306")
        .not("Trilogy::SyscallError::ETIMEDOUT"),
    code("trilogy-code", "Trilogy::BaseConnectionError: {number}: ")
        .eg("Trilogy::BaseConnectionError: 1045: Access denied for user 'deckhand'@'198.51.100.77' (using password: YES)")
        .not("Trilogy::BaseConnectionError: none"),
];

const ACTIVE_RECORD: &[Pattern] = &[
    stop("active-record-pool", "could not obtain a connection from the pool within {any} seconds", "session/pool-empty")
        .eg("ActiveRecord::ConnectionTimeoutError: could not obtain a connection from the pool within 5.000 seconds (waited 5.004 seconds); all pooled connections were in use")
        .not("could obtain a connection from the pool"),
    hides("active-record-not-established", "ActiveRecord::ConnectionNotEstablished", "Look for the line that begins with \"Caused by:\", and for the driver's own words behind the colon.")
        .eg("ActiveRecord::ConnectionNotEstablished")
        .not("ActiveRecord::ConnectionNotEstablishedX"),
    stop("active-record-no-database", "ActiveRecord::NoDatabaseError", "session/database-missing").weak()
        .eg("ActiveRecord::NoDatabaseError: We could not find your database: sailings. Available database configurations can be found in config/database.yml.")
        .not("ActiveRecord::NoDatabaseErrors"),
    stop("active-record-could-not-find", "We could not find your database: {database}. Available", "session/database-missing")
        .eg("We could not find your database: sailings. Available database configurations can be found in config/database.yml.")
        .not("We could not find your file"),
    stop("active-record-user", "There is an issue connecting to your database with your username/password, username: {user}", "login/denied")
        .eg("ActiveRecord::DatabaseConnectionError: There is an issue connecting to your database with your username/password, username: purser. Please check your database configuration to ensure the username/password are valid.")
        .not("There is an issue with your template"),
    stop("active-record-host", "There is an issue connecting with your hostname: {host}", "name/not-found").weak()
        .may("a port that is refused")
        .eg("ActiveRecord::DatabaseConnectionError: There is an issue connecting with your hostname: quay.osmary.example. Please check your database configuration and ensure there is a valid connection to your database.")
        .not("There is an issue with your hostname"),
    driver("active-record-adapter", "database configuration specifies nonexistent '{driver}' adapter")
        .eg("ActiveRecord::AdapterNotFound: database configuration specifies nonexistent 'postgress' adapter.")
        .not("database configuration specifies an adapter"),
    stop("active-record-adapter-missing", "database configuration does not specify adapter", "settings/value-missing")
        .eg("ActiveRecord::AdapterNotSpecified: database configuration does not specify adapter")
        .not("database configuration does specify adapter"),
    stop("active-record-environment", "database is not configured. Available:", "settings/value-missing")
        .eg("ActiveRecord::AdapterNotSpecified: The `staging` database is not configured for the `development` environment. database is not configured. Available: [\"development\"]")
        .not("database is configured. Available:"),
    stop("active-record-gem", "Error loading the '{word}' Active Record adapter.", "settings/library-missing")
        .eg("LoadError: Error loading the 'postgresql' Active Record adapter. Missing a gem it depends on? pg is not part of the bundle.")
        .not("Loading the 'postgresql' Active Record adapter."),
    unrelated("active-record-pending", "Migrations are pending.")
        .eg("ActiveRecord::PendingMigrationError: Migrations are pending. To resolve this issue, run: bin/rails db:migrate")
        .not("Migrations are done."),
];

const SEQUEL: &[Pattern] = &[
    beside("sequel-connection", "Sequel::DatabaseConnectionError")
        .eg("Sequel::DatabaseConnectionError: PG::ConnectionBad: connection to server at \"192.0.2.10\", port 5432 failed: Connection refused")
        .not("Sequel::DatabaseConnectionErrors"),
    stop("sequel-pool", "Sequel::PoolTimeout", "session/pool-empty")
        .eg("Sequel::PoolTimeout: timeout: 5.0, elapsed: 5.000221")
        .not("Sequel::PoolTimeouts"),
    follows("sequel-disconnect", "Sequel::DatabaseDisconnectError")
        .eg("Sequel::DatabaseDisconnectError: PG::UnableToSend: no connection to the server")
        .not("Sequel::DatabaseDisconnectErrors"),
    driver("sequel-adapter", "cannot load such file -- sequel/adapters/{driver}")
        .eg("Sequel::AdapterNotFound: LoadError: cannot load such file -- sequel/adapters/postgress")
        .not("cannot load such file -- sequel"),
];
