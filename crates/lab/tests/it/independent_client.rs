//! The stand-in speaks the real protocol: an independent client library signs in and asks.

use chronaxis_lab::loopback::LoopbackServers;
use chronaxis_lab::stand_in::Service;
use chronaxis_lab::stand_in::postgresql::{Config, Method, Mood};
use tokio_postgres::{Error, NoTls, SimpleQueryMessage};

async fn select_one(port: u16, password: &str, database: &str) -> Result<String, Error> {
    let text =
        format!("host=127.0.0.1 port={port} user=purser password={password} dbname={database}");
    let (client, connection) = tokio_postgres::connect(&text, NoTls).await?;
    tokio::spawn(connection);
    let rows = client.simple_query("select 1").await?;
    let value = rows.iter().find_map(|m| match m {
        SimpleQueryMessage::Row(row) => row.get(0).map(str::to_owned),
        _ => None,
    });
    Ok(value.expect("a row"))
}

fn serve(config: Config) -> LoopbackServers {
    LoopbackServers::open(&[(5432, Some(Service::Postgresql(config)))]).expect("a port")
}

#[tokio::test]
async fn it_signs_in_by_every_method() {
    for method in [
        Method::Trust,
        Method::Md5,
        Method::Scram(4096),
        Method::Cleartext,
    ] {
        let servers = serve(Config::sailings("lantern").by(method.clone()));
        let answer = select_one(servers.port(5432), "lantern", "sailings").await;
        assert_eq!(answer.unwrap(), "1", "{method:?}");
        assert_eq!(servers.counts().lines, 1);
        assert_eq!(servers.counts().sessions, 1);
        assert_eq!(
            servers.counts().sign_ins,
            u32::from(method != Method::Trust)
        );
    }
}

#[tokio::test]
async fn it_reads_the_refusals() {
    let code = |error: Error| error.code().expect("a code").code().to_owned();
    let servers = serve(Config::sailings("lantern"));
    let port = servers.port(5432);
    assert_eq!(
        code(select_one(port, "candle", "sailings").await.unwrap_err()),
        "28P01"
    );
    assert_eq!(
        code(select_one(port, "lantern", "nowhere").await.unwrap_err()),
        "3D000"
    );
    for (mood, wanted) in [
        (Mood::Starting, "57P03"),
        (Mood::Full, "53300"),
        (Mood::NoHostRule, "28000"),
    ] {
        let servers = serve(Config::sailings("lantern").in_mood(mood));
        let error = select_one(servers.port(5432), "lantern", "sailings")
            .await
            .unwrap_err();
        assert_eq!(code(error), wanted);
    }
}
