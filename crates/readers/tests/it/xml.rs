//! Settings in XML, as frameworks of Java and .NET write them.

use crate::programs::{has, of_program, only, password, read};

fn of_one(
    path: &str,
    text: &str,
) -> (
    Option<String>,
    Option<String>,
    Option<String>,
    Option<String>,
) {
    let report = read(&[(path, text)]);
    let connection = only(&report);
    let value = |key: &str| connection.value(key).map(str::to_owned);
    (
        value("host"),
        value("user"),
        password(connection),
        value("dbname"),
    )
}

fn whole(
    password: &str,
) -> (
    Option<String>,
    Option<String>,
    Option<String>,
    Option<String>,
) {
    let some = |text: &str| Some(text.to_owned());
    (
        some("quay.osmary.example"),
        some("purser"),
        some(password),
        some("sailings"),
    )
}

#[test]
fn properties_with_a_name_and_a_value() {
    let unit = r#"<persistence><persistence-unit name="tickets"><properties>
        <property name="jakarta.persistence.jdbc.url" value="jdbc:postgresql://quay.osmary.example/sailings"/>
        <property name="jakarta.persistence.jdbc.user" value="purser"/>
        <property name="jakarta.persistence.jdbc.password" value="tide&amp;table&#33;"/>
    </properties></persistence-unit></persistence>"#;
    assert_eq!(
        of_one("META-INF/persistence.xml", unit),
        whole("tide&table!")
    );
    // The value may be the content, and the name the driver's own.
    let hibernate = r#"<?xml version="1.0"?>
<!DOCTYPE hibernate-configuration PUBLIC "-//Hibernate//DTD 3.0//EN" "http://www.hibernate.org/dtd/hibernate-configuration-3.0.dtd">
<hibernate-configuration><session-factory>
        <property name="hibernate.connection.url">jdbc:mysql://quay.osmary.example:3306/sailings</property>
        <property name="hibernate.connection.username">purser</property>
        <property name="hibernate.connection.password">
            tide-table-9
        </property>
</session-factory></hibernate-configuration>"#;
    assert_eq!(
        of_one("hibernate.cfg.xml", hibernate),
        whole("tide-table-9")
    );
}

#[test]
fn elements_whose_attributes_are_the_values() {
    let context = r#"<Context><Resource name="jdbc/sailings" type="javax.sql.DataSource"
        driverClassName="org.postgresql.Driver" url="jdbc:postgresql://quay.osmary.example/sailings"
        username="purser" password="tide-table-9"/></Context>"#;
    assert_eq!(
        of_one("META-INF/context.xml", context),
        whole("tide-table-9")
    );
    let web = r#"<configuration><connectionStrings>
        <add name="Sailings" providerName="Npgsql"
             connectionString="Host=quay.osmary.example;Database=sailings;Username=purser;Password=tide-table-9" />
    </connectionStrings></configuration>"#;
    assert_eq!(of_one("web.config", web), whole("tide-table-9"));
}

#[test]
fn an_account_in_an_element_of_its_own() {
    let source = r#"<datasources><datasource jndi-name="java:/sailings" pool-name="sailings">
        <connection-url>jdbc:mariadb://quay.osmary.example/sailings</connection-url>
        <security><user-name>purser</user-name><password>tide-table-9</password></security>
    </datasource></datasources>"#;
    assert_eq!(of_one("sailings-ds.xml", source), whole("tide-table-9"));
}

#[test]
fn places_are_those_of_the_file() {
    let text = "<c>\n  <property name=\"db.url\" value=\"jdbc:postgresql://quay.osmary.example:543210/sailings\"/>\n</c>\n";
    let report = read(&[("beans.xml", text)]);
    let defects = &only(&report).draft.defects;
    let place = defects
        .iter()
        .find_map(|d| d.place.clone())
        .expect("a place");
    assert_eq!(place.line, Some(2));
}

#[test]
fn what_is_filled_in_elsewhere_describes_nothing_here() {
    let bean = r#"<beans><bean id="source"><property name="url" value="${db.url}"/>
        <property name="username" value="${db.user}"/></bean></beans>"#;
    assert!(of_program(&[("beans.xml", bean)]).connections.is_empty());
}

#[test]
fn what_is_no_xml_is_said_or_left_alone() {
    let broken = "<c><property name=\"db.url\" value=\"jdbc:postgresql://quay.osmary.example/sailings\"></c>";
    let report = read(&[("beans.xml", broken)]);
    assert!(report.troubles.iter().any(|t| t.text.contains("XML")));
    assert_eq!(report.connections.len(), 1, "its string is still seen");
    let other = "CONFIG_HOST=y\nCONFIG_USER=n\n";
    let report = read(&[("build.config", other)]);
    assert!(report.troubles.is_empty() && report.connections.is_empty());
    let deep = format!(
        "{}jdbc:postgresql://quay.osmary.example/sailings{}",
        "<a>".repeat(50_000),
        "</a>".repeat(50_000)
    );
    read(&[("deep.xml", &deep)]);
    let bomb = "<!DOCTYPE l [<!ENTITY a \"postgresql://quay/b\"><!ENTITY b \"&a;&a;&a;&a;&a;&a;&a;&a;\"><!ENTITY c \"&b;&b;&b;&b;&b;&b;&b;&b;\"><!ENTITY d \"&c;&c;&c;&c;&c;&c;&c;&c;\"><!ENTITY e \"&d;&d;&d;&d;&d;&d;&d;&d;\"><!ENTITY f \"&e;&e;&e;&e;&e;&e;&e;&e;\">]><l>&f;&f;</l>";
    let report = read(&[("bomb.xml", bomb)]);
    assert!(report.connections.iter().all(|c| !has(c, "placeholder")));
}
