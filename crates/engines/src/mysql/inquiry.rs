//! What is asked of MySQL and MariaDB about an account (MariaDB documentation,
//! "mysql.global_priv Table"; MySQL documentation, "Grant Tables"). Without rights on the
//! database `mysql` the servers tell nothing of other accounts.

use chronaxis_model::account::{AccountEntry, AccountTold, DatabaseTold, Places};

use crate::inquiry::{Columns, Statement, always, nothing};

pub(super) const MARIADB: &str = "MariaDB";
pub(super) const MYSQL: &str = "MySQL";

/// The statements, in their order.
pub(super) const STATEMENTS: &[Statement] = &[
    Statement {
        asks: "the server's own limits and its encryption",
        sql: "select @@max_connections, (select variable_value from \
            information_schema.global_status where variable_name = 'THREADS_CONNECTED'), \
            @@port, substring_index(user(), '@', -1), @@require_secure_transport",
        product: Some(MARIADB),
        when: always,
        take: server,
        none: nothing,
    },
    Statement {
        asks: "the server's own limits and its encryption",
        sql: "select @@max_connections, (select variable_value from \
            performance_schema.global_status where variable_name = 'Threads_connected'), \
            @@port, substring_index(user(), '@', -1), @@require_secure_transport",
        product: Some(MYSQL),
        when: always,
        take: server,
        none: nothing,
    },
    Statement {
        asks: "the accounts of that user",
        sql: "select user, host, coalesce(json_value(priv, '$.account_locked'), 0), \
            coalesce(json_value(priv, '$.password_last_changed') = 0, 0) or \
            coalesce(from_unixtime(json_value(priv, '$.password_last_changed')) + interval \
            if(coalesce(json_value(priv, '$.password_lifetime'), -1) = -1, \
            @@default_password_lifetime, json_value(priv, '$.password_lifetime')) day < now() and \
            if(coalesce(json_value(priv, '$.password_lifetime'), -1) = -1, \
            @@default_password_lifetime, json_value(priv, '$.password_lifetime')) > 0, 0), \
            coalesce(json_value(priv, '$.authentication_string'), '') not in ('', 'invalid'), \
            coalesce(json_value(priv, '$.plugin'), ''), json_exists(priv, '$.auth_or'), \
            case coalesce(json_value(priv, '$.ssl_type'), 0) when 1 then 'encryption' \
            when 2 then 'a client certificate' when 3 then 'a client certificate' end \
            from mysql.global_priv where user in (:user, '') \
            and coalesce(json_value(priv, '$.is_role'), 0) = 0",
        product: Some(MARIADB),
        when: always,
        take: account,
        none: |told| told.entries = Some(Vec::new()),
    },
    Statement {
        asks: "the accounts of that user",
        sql: "select user, host, account_locked, password_expired = 'Y' or \
            coalesce(password_last_changed + interval coalesce(password_lifetime, \
            @@default_password_lifetime) day < now() and coalesce(password_lifetime, \
            @@default_password_lifetime) > 0, 0), authentication_string <> '', plugin, 0, \
            case ssl_type when 'ANY' then 'encryption' when 'X509' then \
            'a client certificate' when 'SPECIFIED' then 'a client certificate' end \
            from mysql.user where user in (:user, '')",
        product: Some(MYSQL),
        when: always,
        take: account,
        none: |told| told.entries = Some(Vec::new()),
    },
    Statement {
        asks: "other accounts",
        sql: "select distinct user from mysql.global_priv where user <> '' \
            and coalesce(json_value(priv, '$.is_role'), 0) = 0 order by user limit 500",
        product: Some(MARIADB),
        when: no_such_user,
        take: |told, mut row| told.near_users.push(row.text()),
        none: nothing,
    },
    Statement {
        asks: "other accounts",
        sql: "select distinct user from mysql.user where user <> '' order by user limit 500",
        product: Some(MYSQL),
        when: no_such_user,
        take: |told, mut row| told.near_users.push(row.text()),
        none: nothing,
    },
    Statement {
        asks: "how many connections that user has",
        sql: "select count(*), nullif(@@max_user_connections, 0) from \
            information_schema.processlist where user = :user",
        product: None,
        when: sees_all,
        take: |told, mut row| {
            let used = row.number();
            let allowed = row.number();
            told.own_connections = used.map(|used| Places { used, allowed });
        },
        none: nothing,
    },
    Statement {
        asks: "the database",
        sql: "select schema_name from information_schema.schemata where schema_name = :database",
        product: None,
        when: sees_all,
        take: |told, mut row| {
            told.database = Some(DatabaseTold {
                name: row.text(),
                exists: true,
                ..DatabaseTold::default()
            });
        },
        none: |told| told.database = Some(DatabaseTold::default()),
    },
    Statement {
        asks: "the databases that there are",
        sql: "select schema_name from information_schema.schemata where schema_name not in \
            ('mysql', 'sys', 'information_schema', 'performance_schema') order by 1 limit 50",
        product: None,
        when: |told| told.database.as_ref().is_some_and(|d| !d.exists),
        take: |told, mut row| {
            if let Some(database) = &mut told.database {
                database.others.push(row.text());
            }
        },
        none: nothing,
    },
];

/// Whether the grant tables hold no account of that name, but perhaps the anonymous one.
fn no_such_user(told: &AccountTold) -> bool {
    let named = |entry: &AccountEntry| !entry.user.as_str().is_empty();
    let entries = told.entries.as_ref();
    entries.is_some_and(|all| !all.iter().any(named))
}

/// Who may read the grant tables sees every database; others see only those on which they have
/// rights, and the lack of one says nothing.
fn sees_all(told: &AccountTold) -> bool {
    told.entries.is_some()
}

fn server(told: &mut AccountTold, mut row: Columns) {
    let (allowed, used) = (row.number(), row.number());
    told.connections = used.map(|used| Places { used, allowed });
    told.port = row.number();
    told.client = row.next();
    told.demands_encryption = row.flag();
}

fn account(told: &mut AccountTold, mut row: Columns) {
    let mut entry = AccountEntry {
        user: row.text(),
        host: row.next(),
        locked: row.flag(),
        expired: row.flag(),
        password_set: row.flag(),
        method: row.next(),
        ..AccountEntry::default()
    };
    if row.flag() == Some(true) {
        // Several methods, one of which suffices: which of them has a password is not told.
        entry.password_set = None;
    }
    entry.demands = row.next();
    told.entries.get_or_insert_default().push(entry);
}
