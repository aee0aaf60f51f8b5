//! What the clients of MySQL and MariaDB do with what they were told (their documentation,
//! and measured as those of PostgreSQL).

use chronaxis_model::layer::Micros;
use chronaxis_model::target::{ClientId, ShownTarget};

use crate::policy::{ClientPolicy, milliseconds, seconds};

pub(super) fn client(target: &ShownTarget) -> ClientPolicy {
    let timeout = || seconds(target, "connect_timeout");
    match target.client {
        ClientId::NodeMysql => ClientPolicy {
            whole_wait: Some(timeout().unwrap_or(Micros::from_millis(10_000))),
            ..ClientPolicy::default()
        },
        ClientId::Pymysql => ClientPolicy {
            connect_wait: Some(timeout().unwrap_or(Micros::from_millis(10_000))),
            ..ClientPolicy::default()
        },
        ClientId::ConnectorJ | ClientId::MariadbJava => {
            let own = (target.client == ClientId::MariadbJava).then(|| Micros::from_millis(30_000));
            ClientPolicy {
                connect_wait: milliseconds(target, "connect_timeout_ms").or(own),
                refusal_leads_on: true,
                ..ClientPolicy::default()
            }
        }
        ClientId::Libmysqlclient | ClientId::Libmariadb => ClientPolicy {
            connect_wait: timeout(),
            answer_wait: timeout(),
            ..ClientPolicy::default()
        },
        ClientId::Mysqlnd => ClientPolicy {
            connect_wait: Some(Micros::from_millis(60_000)),
            ..ClientPolicy::default()
        },
        _ => ClientPolicy::default(),
    }
}
