//! Network policies of Kubernetes, in YAML (several documents) or JSON.

use chronaxis_allowlist::block;
use chronaxis_allowlist::policies::{
    Expression, Operator, Peer, Policies, Policy, Port, Rule, Selector,
};
use chronaxis_model::redact::visible;

use super::own::unknown;
use crate::node::{Broken, Is, Node};

/// Whether a text has one.
pub(super) fn is_one(text: &str) -> bool {
    text.contains("NetworkPolicy") && text.contains("apiVersion")
}

/// Reads all policies of some documents; what is of another kind is passed over.
pub(super) fn read(documents: &[Node<'_>]) -> Result<Policies, Broken> {
    let mut out = Policies::default();
    for document in documents {
        match document.get("items") {
            Some(items) => {
                for item in items.elements() {
                    object(item, &mut out)?;
                }
            }
            None => object(document, &mut out)?,
        }
    }
    match out.policies.is_empty() {
        false => Ok(out),
        true => Err(Broken::new(
            0,
            "there is no NetworkPolicy in it",
            "kind: NetworkPolicy",
        )),
    }
}

fn object(node: &Node<'_>, out: &mut Policies) -> Result<(), Broken> {
    let word = |key: &str| node.get(key).and_then(Node::scalar).unwrap_or_default();
    if word("kind") != "NetworkPolicy" || !word("apiVersion").starts_with("networking.k8s.io/") {
        return Ok(());
    }
    let of = |key: &str| {
        let value = node.get("metadata").and_then(|m| m.get(key));
        value.and_then(Node::scalar).map(str::to_owned)
    };
    let Some(spec) = node.get("spec") else {
        return Err(Broken::new(
            node.at.start,
            "the policy has no spec",
            "spec:",
        ));
    };
    known(spec, &["podSelector", "ingress", "egress", "policyTypes"])?;
    let types: Option<Vec<&str>> = spec
        .get("policyTypes")
        .map(|t| t.elements().iter().filter_map(Node::scalar).collect());
    let ingress = spec.get("ingress");
    let egress = spec.get("egress");
    // Where it is not told, a policy speaks of what comes in, and of what goes out if it has
    // rules for that.
    let speaks = |name: &str, by_itself: bool| match &types {
        Some(types) => types.contains(&name),
        None => by_itself,
    };
    let rules = |node: Option<&Node<'_>>, end: &str| -> Result<Vec<Rule>, Broken> {
        let all = node.map_or(&[][..], Node::elements);
        all.iter().map(|one| rule(one, end)).collect()
    };
    out.policies.push(Policy {
        name: visible(&of("name").unwrap_or_default()),
        namespace: of("namespace"),
        pods: spec
            .get("podSelector")
            .map_or(Ok(Selector::default()), selector)?,
        ingress: match speaks("Ingress", true) {
            true => Some(rules(ingress, "from")?),
            false => None,
        },
        egress: match speaks("Egress", egress.is_some()) {
            true => Some(rules(egress, "to")?),
            false => None,
        },
        at: node.at.clone(),
        ingress_at: ingress.map_or(0..0, |n| n.at.clone()),
    });
    Ok(())
}

fn known(node: &Node<'_>, keys: &[&str]) -> Result<(), Broken> {
    let odd = node
        .fields()
        .iter()
        .find(|f| !keys.contains(&f.name.as_ref()));
    match odd {
        Some(field) => Err(unknown(&field.name, &field.name_at, keys)),
        None => Ok(()),
    }
}

fn rule(node: &Node<'_>, end: &str) -> Result<Rule, Broken> {
    known(node, &[end, "ports"])?;
    let peers = node.get(end).map_or(&[][..], Node::elements);
    let peers: Vec<Peer> = peers.iter().map(peer).collect::<Result<_, _>>()?;
    let ports = node.get("ports").map_or(&[][..], Node::elements);
    let ports: Vec<Port> = ports.iter().map(port).collect::<Result<_, _>>()?;
    Ok(Rule {
        text: words(&peers, &ports, end),
        peers,
        ports,
        at: node.at.clone(),
    })
}

fn peer(node: &Node<'_>) -> Result<Peer, Broken> {
    known(node, &["ipBlock", "podSelector", "namespaceSelector"])?;
    let mut host_bits = false;
    let mut block = None;
    if let Some(own) = node.get("ipBlock") {
        known(own, &["cidr", "except"])?;
        let mut range = |node: Option<&Node<'_>>| -> Result<block::Block, Broken> {
            let text = node.and_then(Node::scalar).unwrap_or_default();
            let at = node.map_or(own.at.start, |n| n.at.start);
            let told = text.contains('/').then(|| block::read(text));
            match told {
                Some(Ok(written)) => {
                    host_bits |= written.host_bits;
                    Ok(written.block)
                }
                Some(Err(why)) => Err(Broken::new(
                    at,
                    format!("the range {}: {why}", super::own::word(text)),
                    "a range like 10.8.0.0/16",
                )),
                None => Err(Broken::new(
                    at,
                    "the range has no prefix length",
                    "a range like 10.8.0.0/16",
                )),
            }
        };
        let whole = range(own.get("cidr"))?;
        let except = own.get("except").map_or(&[][..], Node::elements);
        let except = except
            .iter()
            .map(|e| range(Some(e)))
            .collect::<Result<_, _>>()?;
        block = Some((whole, except));
    }
    Ok(Peer {
        block,
        host_bits,
        pods: node.get("podSelector").map(selector).transpose()?,
        namespaces: node.get("namespaceSelector").map(selector).transpose()?,
        at: node.at.clone(),
    })
}

fn port(node: &Node<'_>) -> Result<Port, Broken> {
    known(node, &["protocol", "port", "endPort"])?;
    let protocol = node.get("protocol").and_then(Node::scalar).unwrap_or("TCP");
    let number = |key: &str| -> Result<Option<u16>, Broken> {
        let Some(value) = node.get(key) else {
            return Ok(None);
        };
        match value.number() {
            Some(n) => u16::try_from(n).map(Some).map_err(|_| {
                Broken::new(
                    value.at.start,
                    "there is no such port",
                    "one from 1 to 65535",
                )
            }),
            None => Ok(None),
        }
    };
    let (from, to) = (number("port")?, number("endPort")?);
    let name = node.get("port").filter(|p| matches!(p.is, Is::Text(_)));
    let name = name.and_then(Node::scalar).map(str::to_owned);
    if let (Some(first), Some(last)) = (from, to)
        && last < first
    {
        return Err(Broken::new(
            node.at.start,
            "the ports end before they begin",
            "endPort after port",
        ));
    }
    Ok(Port {
        tcp: protocol == "TCP",
        from,
        to,
        name,
    })
}

fn selector(node: &Node<'_>) -> Result<Selector, Broken> {
    known(node, &["matchLabels", "matchExpressions"])?;
    let mut out = Selector::default();
    if let Some(labels) = node.get("matchLabels") {
        for field in labels.fields() {
            let value = field.value.scalar().unwrap_or_default();
            out.labels.push((field.name.to_string(), value.to_owned()));
        }
    }
    let expressions = node.get("matchExpressions").map_or(&[][..], Node::elements);
    for one in expressions {
        let word = |key: &str| one.get(key).and_then(Node::scalar).unwrap_or_default();
        let operator = match word("operator") {
            "In" => Operator::In,
            "NotIn" => Operator::NotIn,
            "Exists" => Operator::Exists,
            "DoesNotExist" => Operator::DoesNotExist,
            _ => {
                let what = "the expression has no known operator";
                return Err(Broken::new(
                    one.at.start,
                    what,
                    "In, NotIn, Exists or DoesNotExist",
                ));
            }
        };
        let values = one.get("values").map_or(&[][..], Node::elements);
        out.expressions.push(Expression {
            key: word("key").to_owned(),
            operator,
            values: values
                .iter()
                .filter_map(Node::scalar)
                .map(str::to_owned)
                .collect(),
        });
    }
    Ok(out)
}

/// A rule on one line.
fn words(peers: &[Peer], ports: &[Port], end: &str) -> String {
    let selected = |selector: &Selector, what: &str| {
        let labels: Vec<String> = selector
            .labels
            .iter()
            .map(|(k, v)| format!("{}={}", visible(k), visible(v)))
            .collect();
        let more = if selector.expressions.is_empty() {
            ""
        } else {
            " …"
        };
        match labels.is_empty() && more.is_empty() {
            true => format!("all {what}"),
            false => format!("{what} {}{more}", labels.join(",")),
        }
    };
    let each = peers.iter().take(4).map(|peer| {
        let mut parts = Vec::new();
        if let Some((block, except)) = &peer.block {
            let holes: Vec<String> = except.iter().map(ToString::to_string).collect();
            parts.push(match holes.is_empty() {
                true => block.to_string(),
                false => format!("{block} without {}", holes.join(", ")),
            });
        }
        parts.extend(peer.pods.iter().map(|s| selected(s, "pods")));
        parts.extend(peer.namespaces.iter().map(|s| selected(s, "namespaces")));
        parts.join(" in ")
    });
    let peers = match peers.is_empty() {
        true => "anybody".to_owned(),
        false => each.collect::<Vec<_>>().join(", "),
    };
    let each = ports.iter().map(|port| {
        let protocol = if port.tcp { "" } else { " (not tcp)" };
        match (port.from, port.to, &port.name) {
            (_, _, Some(name)) => format!("{}{protocol}", visible(name)),
            (Some(from), Some(to), _) => format!("{from}-{to}{protocol}"),
            (Some(from), None, _) => format!("{from}{protocol}"),
            _ => format!("any{protocol}"),
        }
    });
    let ports = match ports.is_empty() {
        true => "any".to_owned(),
        false => each.collect::<Vec<_>>().join(", "),
    };
    format!("{end} {peers}, port {ports}")
}
