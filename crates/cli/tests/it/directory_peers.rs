//! The page of the directory protocol is enough: a client and a server that were written from
//! it alone (`scripts/judges/directory_peer.py`) play every scene with ours, in both
//! directions.

use std::collections::BTreeMap;
use std::io::{BufRead as _, BufReader, Write as _};
use std::net::TcpListener;
use std::path::Path;
use std::process::{Child, Command, Stdio};

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use chronaxis_lab::certificates::{self, CertificateKind};
use chronaxis_lab::scene::{Scene, Stage};
use chronaxis_lab::scenes;
use chronaxis_lab::stand_in::Service;
use chronaxis_lab::stand_in::directory::config::{Config, Mood, Place};
use chronaxis_model::certificate::pem_written;
use chronaxis_model::target::{End, Target};
use serde_json::{Value, json};

use crate::support::{diagnose_undisturbed, gist, real};

const PEER: &str = concat!(
    env!("CARGO_MANIFEST_DIR"),
    "/../../scripts/judges/directory_peer.py"
);

/// The scenes that a directory can play on loopback, each with its target.
fn played() -> Vec<Scene> {
    let of_directory = |scene: &Scene| {
        let target = scene.read(scene.port());
        scene.stage == Stage::Loopback
            && target.is_ok_and(|t| t.engine == chronaxis_engines::DIRECTORY)
    };
    scenes::all().into_iter().filter(of_directory).collect()
}

/// How the peer ends at this target.
fn peer_at(target: &Target) -> Value {
    let Some(End::Host { host, port, .. }) = target.ends.first() else {
        panic!("no host");
    };
    let option = |key: &str| target.options.get(key).cloned();
    let told = json!({
        "host": host, "port": port,
        "service": target.database, "user": target.user,
        "password": target.secret.as_ref().map(|s| s.value.expose().to_owned()),
        "instance": option("instance"), "role": option("role"),
        "tls": option("tls").as_deref() == Some("on"),
    });
    let mut child = Command::new("python3")
        .args([PEER, "client"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let line = format!("{told}\n");
    child
        .stdin
        .take()
        .unwrap()
        .write_all(line.as_bytes())
        .unwrap();
    let output = child.wait_with_output().unwrap();
    serde_json::from_slice(&output.stdout).unwrap()
}

/// The facts of a case with this tag.
fn facts<'a>(case: &'a Value, tag: &'a str) -> impl Iterator<Item = &'a Value> {
    let layers = case["layers"].as_array().unwrap().iter();
    let all = layers.flat_map(|l| l["facts"].as_array().unwrap());
    all.filter(move |fact| fact["fact"] == tag)
}

/// How our own client ended, in the peer's words.
fn our_end(case: &Value) -> Value {
    let verdict = &case["verdict"];
    let instance = || {
        facts(case, "instance")
            .last()
            .map(|f| f["system_identifier"].clone())
    };
    let trouble = facts(case, "redirect-not-followed").last();
    match verdict["symptom"].as_str() {
        None | Some("session/other-instance") => {
            json!({"end": "accepted", "instance": instance()})
        }
        Some("listener/redirect-failed") => match trouble.and_then(|t| t["trouble"].as_str()) {
            Some(word) => json!({"end": word}),
            None => json!({"end": "no-protocol"}),
        },
        Some("tls/certificate-refused") => json!({"end": "certificate"}),
        Some("tls/not-offered") => json!({"end": "no-tls"}),
        Some("listener/mute") => json!({"end": "silent"}),
        Some(_) => {
            let code = facts(case, "server-refused")
                .last()
                .map(|f| f["code"].clone());
            json!({"end": "refused", "code": code})
        }
    }
}

/// Where a scene's target lies, with these ports: a string, or its files in this folder.
fn target_of(scene: &Scene, port: u16, folder: &Path) -> String {
    if scene.files.is_empty() {
        return scene.text(port, "");
    }
    for (name, text) in &scene.files {
        let path = folder.join(name);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, scene.file(text, port)).unwrap();
    }
    format!("{}/{}", folder.display(), scene.target)
}

fn options(scene: &Scene) -> Vec<&str> {
    scene
        .expect
        .map_or_else(Vec::new, |name| vec!["--expect", name])
}

#[test]
fn the_peers_client_meets_our_servers() {
    if !real::available("Python", Path::new("/usr/bin/python3").exists()) {
        return;
    }
    let mut wrong = Vec::new();
    for scene in played() {
        let servers = scene.open().unwrap();
        let port = servers.port(scene.port());
        let home = tempfile::tempdir().unwrap();
        let text = target_of(&scene, port, home.path());
        let (_, case) = diagnose_undisturbed(home.path(), &options(&scene), &text);
        let theirs = peer_at(&scene.read(port).unwrap());
        let ours = our_end(&case);
        real::tally("directory", scene.id);
        let fits = ours
            .as_object()
            .unwrap()
            .iter()
            .all(|(key, value)| theirs[key] == *value);
        if !fits {
            wrong.push(format!("{}: the peer {theirs}, ours {ours}", scene.id));
        }
        // The same places, and no more than four.
        let redirected = theirs["places"].as_u64().unwrap_or(1);
        let lines = case["contacts"]["lines"].as_u64().unwrap();
        if redirected > 1 && lines != redirected {
            wrong.push(format!(
                "{}: {lines} connections, the peer {redirected}",
                scene.id
            ));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// The servers of the peer, until this is dropped.
struct Peers(Child);

impl Peers {
    fn start(configs: &Value) -> Peers {
        let mut child = Command::new("python3")
            .args([PEER, "server"])
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let pipe = child.stdin.as_mut().unwrap();
        pipe.write_all(format!("{configs}\n").as_bytes()).unwrap();
        let mut ready = String::new();
        BufReader::new(child.stdout.take().unwrap())
            .read_line(&mut ready)
            .unwrap();
        assert_eq!(ready, "ready\n");
        Peers(child)
    }
}

impl Drop for Peers {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// What one server of a scene is told to do, in the peer's words.
fn told(config: &Config, port: u16, certificate: &str) -> Value {
    let instances: Vec<Value> = config
        .instances
        .iter()
        .map(|one| {
            let (host, port) = match &one.place {
                Place::Here => (None, None),
                Place::Elsewhere(host, port) => (Some(host), Some(port)),
            };
            json!({
                "name": one.name, "services": one.services, "state": one.state.as_str(),
                "since": one.since, "host": host, "port": port,
            })
        })
        .collect();
    let accounts: BTreeMap<&String, Value> = config
        .accounts
        .iter()
        .map(|(name, one)| {
            let told = json!({
                "password": one.password, "roles": one.roles, "needs_role": one.needs_role,
                "locked": one.locked, "expired": one.expired,
            });
            (name, told)
        })
        .collect();
    json!({
        "port": port, "version": config.version, "instances": instances, "accounts": accounts,
        "certificate": config.encryption.map(|_| certificate),
        "demands_tls": config.demands_encryption, "listing": config.lists,
        "hides_users": config.hides_users, "silent": config.mood == Mood::Silent,
        "refuse_hello": config.refuses_at_hello.map(|(code, _)| code),
        "refuse_open": config.refuses_at_open.map(|(code, _)| code),
    })
}

/// A file with the certificate and the key of a server of the scenes.
fn certificate(folder: &Path) -> String {
    let files = certificates::of_server(CertificateKind::Good);
    let mut text = String::new();
    for one in &files.chain {
        text.push_str(&pem_written("CERTIFICATE", one));
    }
    text.push_str(&pem_written("PRIVATE KEY", &files.key));
    let path = folder.join("server.pem");
    std::fs::write(&path, text).unwrap();
    path.display().to_string()
}

#[test]
fn our_client_meets_the_peers_servers() {
    if !real::available("Python", Path::new("/usr/bin/python3").exists()) {
        return;
    }
    let mut wrong = Vec::new();
    for scene in played() {
        let home = tempfile::tempdir().unwrap();
        let certificate = certificate(home.path());
        let nominal: Vec<u16> = scene.world.hosts[0].ports.keys().copied().collect();
        let held: Vec<TcpListener> = nominal
            .iter()
            .map(|_| TcpListener::bind("127.0.0.1:0").unwrap())
            .collect();
        let real_ports = held.iter().map(|l| l.local_addr().unwrap().port());
        let ports: BTreeMap<u16, u16> = nominal.iter().copied().zip(real_ports).collect();
        drop(held);
        let configs: Vec<Value> = scene.world.hosts[0]
            .ports
            .iter()
            .map(|(port, service)| match service.clone().moved(&ports) {
                Service::Directory(config) => told(&config, ports[port], &certificate),
                Service::Says(bytes) => {
                    json!({"port": ports[port], "says": STANDARD.encode(bytes)})
                }
                other => panic!("{}: {other:?}", scene.id),
            })
            .collect();
        let _peers = Peers::start(&json!(configs));
        let text = target_of(&scene, ports[&scene.port()], home.path());
        let (_, case) = diagnose_undisturbed(home.path(), &options(&scene), &text);
        real::tally("directory", scene.id);
        let expected = scene.expected;
        let wanted = format!(
            "{} {} {}",
            expected.state.as_str(),
            expected.cause.unwrap_or("-"),
            expected.symptom.unwrap_or("-")
        );
        if gist(&case) != wanted {
            wrong.push(format!("{}: {}, wanted {wanted}", scene.id, gist(&case)));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
