//! The least that a program of an independent client library does: connect, one query,
//! leave. `scripts/bench` holds a diagnosis against it.

use tokio_postgres::NoTls;

#[tokio::main(flavor = "current_thread")]
async fn main() -> Result<(), Box<dyn std::error::Error>> {
    let url = std::env::args().nth(1).ok_or("expected a URL")?;
    let (client, connection) = tokio_postgres::connect(&url, NoTls).await?;
    let driver = tokio::spawn(connection);
    client.simple_query("select 1").await?;
    drop(client);
    driver.await??;
    Ok(())
}
