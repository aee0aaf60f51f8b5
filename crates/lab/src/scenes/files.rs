//! Scenes in which the target stands in settings files, and these tell the cause.

use super::{DECK, QUAY, WORKING, broken, counts, far, here, undisturbed};
use crate::scene::Scene;
use crate::stand_in::Service;
use crate::stand_in::postgresql::Config;
use crate::world::{NameAnswer, World};

/// The host where the sailings are, in the company's network.
const QUAY_NAME: &str = "quay.osmary.example";

/// The booking desk's composition.
const COMPOSE: &str = "\
services:
  sailings-db:
    image: postgres:16
    ports: [\"{port}:5432\"]
  booking:
    build: ./booking
    environment:
      DB_ENGINE: postgresql
      DB_HOST: 127.0.0.1
      DB_PORT: \"{port}\"
      DB_NAME: sailings
      DB_USER: purser
      DB_PASSWORD: lantern-oil-42
";

/// What the machine outside it reads.
const OUTSIDE: &str = "\
DB_ENGINE=postgresql
DB_HOST=sailings-db
DB_PORT=5432
DB_NAME=sailings
DB_USER=purser
DB_PASSWORD=lantern-oil-42
";

const TIMETABLE: &str = "\
[sailings]
driver = postgresql
host = quay.osmary.example
port = 5432
database = sailings
user = purser
password = lantern-oil-42
";

const REPORTS: &str = "\
[database.sailings]
engine = \"postgresql\"
host = \"quay.osmary.example\"
port = 15439
database = \"sailings\"
user = \"purser\"
password = \"lantern-oil-42\"
";

/// The port was changed, and the old line kept as a comment.
const COMMENTED: &str = "DB_CONNECTION=pgsql\nDB_HOST=quay.osmary.example\n# DB_PORT=5432\nDB_PORT=5439\nDB_DATABASE=sailings\nDB_USERNAME=purser\nDB_PASSWORD=lantern-oil-42\n";

const RENAMED: &str = "\
[sailings]
driver = postgresql
host = jetty.osmary.example
# host = quay.osmary.example
port = 5432
database = sailings
user = purser
password = lantern-oil-42
";

const TARIFF: &str = "\
tariff:
  engine: postgresql
  host: 127.0.0.1
  port: {port}
  user: purser
  password: \"north\\tower\"
  database: sailings
";

const DATA_SOURCES: &str = "\
[fares]
Driver = /opt/osmary/lib/libtdsodbc.so
Server = 127.0.0.1
Port = {port}
Database = fares
UID = purser
";

fn company() -> World {
    let sailings = Service::Postgresql(Config::sailings(super::PASSWORD));
    World::around(DECK)
        .name(QUAY_NAME, NameAnswer::Addresses(vec![QUAY]))
        .host(QUAY, &[], &[(crate::scene::PORT, sailings)])
}

pub(super) fn scenes() -> Vec<Scene> {
    vec![
        Scene {
            files: vec![("reports.toml", REPORTS), ("timetable.ini", TIMETABLE)],
            ..far(
                "two-files-disagree",
                "two files name different ports, and this one is refused",
                "reports.toml#sailings".to_owned(),
                company(),
                broken("sources-disagree", "port/refused"),
                counts(3, 4, 0, 0),
            )
        },
        Scene {
            files: vec![("timetable.ini", RENAMED)],
            ..far(
                "right-line-commented",
                "the host is gone, and the right one stands beside it as a comment",
                "timetable.ini#sailings".to_owned(),
                company(),
                broken("setting-inactive", "name/not-found"),
                counts(24, 0, 0, 0),
            )
        },
        Scene {
            files: vec![("harbour.env", COMMENTED)],
            ..far(
                "commented-port-answers",
                "nothing listens on the port, and the commented one is where the server is",
                "harbour.env#DB".to_owned(),
                company(),
                broken("setting-inactive", "port/refused"),
                counts(3, 5, 0, 0),
            )
        },
        Scene {
            files: vec![("compose.yaml", COMPOSE), ("tools/load.env", OUTSIDE)],
            ..far(
                "service-name-outside",
                "a service's name, dialled from outside its network",
                "tools/load.env#DB".to_owned(),
                company(),
                broken("container-name-outside", "name/not-found"),
                counts(3, 0, 0, 0),
            )
        },
        undisturbed(Scene {
            target: "compose.yaml#booking".to_owned(),
            files: vec![("compose.yaml", COMPOSE)],
            ..here(
                "loopback-in-service",
                "a container dials loopback, where only the machine has the database",
                None,
                broken("loopback-means-elsewhere", "port/refused"),
                counts(0, 4, 0, 0),
            )
        }),
        Scene {
            target: "tariff.yaml#tariff".to_owned(),
            files: vec![("tariff.yaml", TARIFF)],
            ..here(
                "backslash-in-quotes",
                "a backslash in double quotes made a tab of the password",
                Some(Service::Postgresql(Config::sailings("north\\tower"))),
                broken("backslash-eaten", "login/credentials-refused"),
                counts(0, 1, 1, 0),
            )
        },
        Scene {
            target: "odbc.ini#fares".to_owned(),
            files: vec![("odbc.ini", DATA_SOURCES)],
            ..here(
                "driver-not-installed",
                "the library of the driver is not on this machine",
                None,
                broken("client-library-missing", "settings/library-missing"),
                counts(0, 0, 0, 0),
            )
        },
        Scene {
            target: "mongodb://deckhand@127.0.0.1:{port}/lookout".to_owned(),
            ..here(
                "port-is-all",
                "an engine that is not spoken: the walk ends at its open port",
                Some(Service::Mute),
                WORKING,
                counts(0, 1, 0, 0),
            )
        },
    ]
}
