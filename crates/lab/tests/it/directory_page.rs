//! The page of the directory protocol: its exchange is what the two halves say to each
//! other, byte for byte; its example is the file of the examples.

use chronaxis_engines::directory::frames::{Frame, frame};
use chronaxis_engines::{ConversationPlan, Errand, LinePurpose, Seed, by_id};
use chronaxis_lab::directory_file::EXAMPLE;
use chronaxis_lab::scenes;
use chronaxis_lab::stand_in::{Reaction, Service};
use chronaxis_model::conversation::{Input, Output};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::permit::{Account, Permits, Server};
use chronaxis_model::redact::Redactor;

const PAGE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/directory.md");

/// The frames that go to and fro in a session of this scene's target and listener.
fn exchange(id: &str) -> Vec<(char, Vec<u8>)> {
    let scene = scenes::find(id).unwrap();
    let target = scene.read(scene.port()).unwrap();
    let service: &Service = &scene.world.hosts[0].ports[&scene.port()];
    let mut server = service.serve(&Default::default());
    let to = Endpoint::Tcp("127.0.0.1:7471".parse().unwrap());
    let mut permits = Permits::default();
    let secret = target.secret.as_ref().unwrap().value.clone();
    let account = Account {
        server: Server {
            endpoint: to.clone(),
            name: None,
            here: None,
        },
        user: target.user.clone().unwrap(),
    };
    let permit = permits.ask(account, "berths", &secret).unwrap();
    let mut client = by_id(target.engine).protocol.open(ConversationPlan {
        target: &target,
        to: &to,
        host: "127.0.0.1",
        seeds: Seed::new([7; 32]).for_line(1),
        patience: Micros(1_000_000),
        allow_plaintext: false,
        allow_server_key: false,
        manner: LinePurpose::First,
        redactor: Redactor::default(),
        errand: Errand::Nothing,
    });
    let mut out = Vec::new();
    client.handle(Micros(0), Input::Opened);
    assert_eq!(client.poll(), Some(Output::Rest(Layer::Port)));
    client.handle(
        Micros(0),
        Input::Go {
            stop: Layer::Session,
            permit: Some(permit),
            withheld: None,
        },
    );
    loop {
        match client.poll() {
            Some(Output::Send(bytes)) => {
                out.push(('→', bytes.clone()));
                for reaction in server.received(&bytes) {
                    if let Reaction::Send(bytes) = reaction {
                        out.push(('←', bytes.clone()));
                        client.handle(Micros(0), Input::Bytes(&bytes));
                    }
                }
            }
            Some(Output::Derive(work)) => {
                let derived = work.run();
                client.handle(Micros(0), Input::Derived(Some(&derived)));
            }
            Some(Output::Over) | None => break,
            Some(_) => {}
        }
    }
    permits.settle(client.give_back().unwrap());
    out
}

fn written(exchange: &[(char, Vec<u8>)]) -> String {
    let line = |(side, bytes): &(char, Vec<u8>)| {
        let Frame::Whole(json, length) = frame(bytes) else {
            panic!("not a frame");
        };
        assert_eq!(length, bytes.len(), "one frame at a time");
        let head: Vec<String> = bytes[..4].iter().map(|b| format!("{b:02x}")).collect();
        let json = std::str::from_utf8(json).unwrap();
        format!("{side} {} {json}", head.join(" "))
    };
    let lines: Vec<String> = exchange.iter().map(line).collect();
    lines.join("\n")
}

#[test]
fn the_page_has_the_exchange_byte_for_byte_and_the_example_as_it_is() {
    let exchange = written(&exchange("service-opened"));
    let mut page = std::fs::read_to_string(PAGE).unwrap();
    if std::env::var_os("CHRONAXIS_DOCS").is_some() {
        page = between(&page, "```text\n", &exchange);
        page = between(&page, "```toml\n", EXAMPLE.trim_end());
        std::fs::write(PAGE, &page).unwrap();
    }
    let wanted = [
        format!("```text\n{exchange}\n```"),
        format!("```toml\n{}\n```", EXAMPLE.trim_end()),
    ];
    for part in wanted {
        assert!(
            page.contains(&part),
            "docs/directory.md lacks\n{part}\nrun scripts/docs"
        );
    }
    // Every step of a session is in it, and the password is not.
    for step in [
        "hello",
        "services",
        "open",
        "challenge",
        "prove",
        "who",
        "accepted",
    ] {
        assert!(exchange.contains(&format!("\"type\":\"{step}\"")), "{step}");
    }
    assert!(!exchange.contains("lantern-oil-42"));
}

/// The page with this between a fence and the next.
fn between(page: &str, fence: &str, text: &str) -> String {
    let (before, rest) = page.split_once(fence).unwrap();
    let (_, after) = rest.split_once("\n```").unwrap();
    format!("{before}{fence}{text}\n```{after}")
}
