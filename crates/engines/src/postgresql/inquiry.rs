//! What is asked of PostgreSQL about an account (PostgreSQL documentation, "System Catalogs",
//! "System Views"). Only `pg_authid` and the host rules need more than the right to connect.

use chronaxis_model::account::{AccountEntry, AccountTold, DatabaseTold, HostRule, Places};

use crate::inquiry::{Columns, Statement, always, nothing};

/// Between the parts of a list: a sign that stands in no name (ASCII, unit separator).
const BETWEEN: u8 = 0x1f;

/// The statements, in their order.
pub(super) const STATEMENTS: &[Statement] = &[
    Statement {
        asks: "the server's own limits and its encryption",
        sql: "select current_setting('max_connections'), \
            (select count(*) from pg_stat_activity where backend_type = 'client backend'), \
            current_setting('port'), host(inet_client_addr())",
        product: None,
        when: always,
        take: server,
        none: nothing,
    },
    Statement {
        asks: "the role",
        sql: "select r.rolname, r.rolcanlogin, r.rolvaliduntil, \
            coalesce(r.rolvaliduntil < now(), false), r.rolconnlimit, \
            (select count(*) from pg_stat_activity a where a.usename = r.rolname) \
            from pg_roles r where r.rolname = cast(:user as text)",
        product: None,
        when: always,
        take: role,
        none: |told| told.entries = Some(Vec::new()),
    },
    Statement {
        asks: "other roles that may sign in",
        sql: "select rolname from pg_roles where rolcanlogin order by rolname limit 500",
        product: None,
        when: |told| told.entries.as_ref().is_some_and(Vec::is_empty),
        take: |told, mut row| told.near_users.push(row.text()),
        none: nothing,
    },
    Statement {
        asks: "whether the role has a password, and of which kind",
        sql: "select case when rolpassword is null then null \
            when rolpassword like 'SCRAM-SHA-256$%' then 'scram-sha-256' \
            when rolpassword like 'md5%' then 'md5' else 'another kind' end \
            from pg_authid where rolname = cast(:user as text)",
        product: None,
        when: exists,
        take: password,
        none: nothing,
    },
    Statement {
        asks: "the roles that it is a member of",
        sql: "with recursive up(oid) as (select m.roleid from pg_auth_members m \
            join pg_roles r on r.oid = m.member where r.rolname = cast(:user as text) \
            union select m.roleid from pg_auth_members m join up on m.member = up.oid) \
            select r.rolname from up join pg_roles r on r.oid = up.oid order by 1",
        product: None,
        when: exists,
        take: |told, mut row| told.member_of.push(row.text()),
        none: nothing,
    },
    Statement {
        asks: "the database",
        sql: "select d.datname, d.datallowconn, (select has_database_privilege(r.oid, d.oid, \
            'CONNECT') from pg_roles r where r.rolname = cast(:user as text)) \
            from pg_database d where d.datname = cast(:database as text)",
        product: None,
        when: always,
        take: database,
        none: |told| told.database = Some(DatabaseTold::default()),
    },
    Statement {
        asks: "the databases that there are",
        sql: "select datname from pg_database where datallowconn and not datistemplate \
            order by datname limit 50",
        product: None,
        when: |told| told.database.as_ref().is_some_and(|d| !d.exists),
        take: |told, mut row| {
            if let Some(database) = &mut told.database {
                database.others.push(row.text());
            }
        },
        none: nothing,
    },
    Statement {
        asks: "the host rules",
        sql: "select to_jsonb(r) ->> 'file_name', line_number, type, \
            array_to_string(database, chr(31)), array_to_string(user_name, chr(31)), \
            address, netmask, auth_method, array_to_string(array(select o from \
            unnest(options) o where split_part(o, '=', 1) in ('map', 'clientcert', \
            'clientname')), chr(31)) from pg_hba_file_rules r where error is null limit 500",
        product: None,
        when: always,
        take: rule,
        none: |told| told.rules = Some(Vec::new()),
    },
    Statement {
        asks: "the user name maps",
        sql: "select map_name || ', line ' || line_number || ': ' || sys_name || ' is ' || \
            pg_username from pg_ident_file_mappings where error is null \
            and pg_username = cast(:user as text) limit 20",
        product: None,
        when: |told| {
            let mapped =
                |rule: &HostRule| rule.options.iter().any(|o| o.as_str().starts_with("map="));
            told.rules.iter().flatten().any(mapped)
        },
        take: |told, mut row| told.mappings.push(row.text()),
        none: nothing,
    },
];

fn exists(told: &AccountTold) -> bool {
    told.entries.as_ref().is_some_and(|all| !all.is_empty())
}

fn server(told: &mut AccountTold, mut row: Columns) {
    let (allowed, used) = (row.number(), row.number());
    told.connections = used.map(|used| Places { used, allowed });
    told.port = row.number();
    told.client = row.next();
}

fn role(told: &mut AccountTold, mut row: Columns) {
    let entry = AccountEntry {
        user: row.text(),
        may_sign_in: row.flag(),
        valid_until: row.next(),
        expired: row.flag(),
        ..AccountEntry::default()
    };
    // A limit of -1 is none: it is no number here.
    let (allowed, used) = (row.number(), row.number());
    told.own_connections = used.map(|used| Places { used, allowed });
    told.entries = Some(vec![entry]);
}

fn password(told: &mut AccountTold, mut row: Columns) {
    if let Some(entry) = told.entries.iter_mut().flatten().next() {
        entry.method = row.next();
        entry.password_set = Some(entry.method.is_some());
    }
}

fn database(told: &mut AccountTold, mut row: Columns) {
    told.database = Some(DatabaseTold {
        name: row.text(),
        exists: true,
        takes_connections: row.flag(),
        permitted: row.flag(),
        others: Vec::new(),
    });
}

fn rule(told: &mut AccountTold, mut row: Columns) {
    let file = row.next();
    let rule = HostRule {
        file,
        line: row.number().unwrap_or_default(),
        kind: row.text(),
        databases: row.list(BETWEEN),
        users: row.list(BETWEEN),
        address: row.next(),
        mask: row.next(),
        method: row.text(),
        options: row.list(BETWEEN),
    };
    told.rules.get_or_insert_default().push(rule);
}
