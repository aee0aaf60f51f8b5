//! Programs that pass lines on to somewhere else, as the process table names them: who
//! holds a port of this machine need not be the server behind it.

/// Their names, as far as the kernel keeps them (15 bytes).
const FORWARDERS: [&str; 15] = [
    "ssh",
    "autossh",
    "socat",
    "stunnel",
    "stunnel4",
    "docker-proxy",
    "dockerd",
    "containerd",
    "rootlessport",
    "rootlesskit",
    "conmon",
    "slirp4netns",
    "pasta",
    "passt",
    "kubectl",
];

/// What some of them append to their name: `conmon: …`, `pasta.avx2`.
const BEHIND: [char; 3] = [':', '.', '-'];

/// Whether a program passes lines on to somewhere else.
pub fn is_forwarder(program: &str) -> bool {
    FORWARDERS.iter().any(|name| {
        let rest = program.strip_prefix(name);
        rest.is_some_and(|rest| rest.is_empty() || rest.starts_with(BEHIND))
    })
}

#[cfg(test)]
mod tests {
    use super::is_forwarder;

    #[test]
    fn a_server_is_no_forwarder_because_its_name_begins_alike() {
        for program in ["ssh", "pasta.avx2", "docker-proxy", "containerd-shim"] {
            assert!(is_forwarder(program), "{program}");
        }
        for program in ["sshd", "postgres", "passthrough", ""] {
            assert!(!is_forwarder(program), "{program}");
        }
    }
}
