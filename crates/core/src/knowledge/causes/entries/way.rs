//! Causes on the way: from the name to whoever answers.

use super::{DBA, DEVELOPER, NAMES, NETWORK, PLATFORM};
use crate::knowledge::causes::Cause;

causes! { WAY
    "name-does-not-exist" Name NAMES;
    "The host name does not exist.";
    "The name is answered at once: no such name.";
    "Name service answers, and says no.";
    ["Compare the name letter by letter with the one that works elsewhere.", "Ask whoever runs the name service to create or restore it."];

    "name-has-no-address" Name NAMES;
    "The host name exists and has no address.";
    "The name is known, with no address of a family that this machine uses.";
    "The resolver distinguishes it from an unknown name.";
    ["Ask for an address record for this name."];

    "name-service-failing" Name NAMES;
    "Name service answers with a failure.";
    "A failure instead of an answer, for names that exist as well.";
    "It fails quickly; silence would take seconds.";
    ["Ask whoever runs the resolver; meanwhile test by address."];

    "name-service-silent" Name NETWORK;
    "No name service answers.";
    "Every look-up waits until it is given up.";
    "Nothing comes back for seconds.";
    ["Check that this machine is set up to ask a resolver, and reaches it (port 53)."];

    "hosts-file-override" Name PLATFORM;
    "The hosts file of this machine gives another address than name service does.";
    "It fails from this machine, and works from others that go by the same name.";
    "The hosts file names the host, name service gives another address, and that one connects.";
    ["Remove or correct the line in the hosts file.", "If it stands there on purpose: the address in it does not serve this any more."];

    "private-address-from-outside" Name NETWORK;
    "Only a private address comes back, and it leaves towards the public network.";
    "Silence, or a router outside that says it cannot be reached.";
    "The address is of a range that nobody routes in public, and packets to it leave by the way to everywhere.";
    ["Connect the private link or VPN that leads to that network.", "Or use the public name or address of the service, if it has one."];

    "resolvers-disagree" Name NAMES;
    "Name servers give different answers, and the one in use gives the bad one.";
    "It works from machines that ask another name server.";
    "Each was asked by itself: what another one gives exists, or connects.";
    ["Compare the zone on both name servers: one lacks the record, or holds an old copy."];

    "alias-chain-broken" Name NAMES;
    "An alias or service record leads to a name that does not exist, or in a circle.";
    "The name does not resolve, though it is there.";
    "The answer holds an alias, and what it leads to is denied.";
    ["Correct the record at the end of the chain, or point the alias elsewhere."];

    "stale-address" Name NAMES;
    "The address belongs to something else now.";
    "Refused, silent, or answered by something else, since the service moved.";
    "This machine goes by an address that name service no longer gives, and the one that it gives connects.";
    ["Empty this machine's store of names, or restart what keeps it.", "A program that asked once and never again has to be restarted too."];

    "no-route" Route NETWORK;
    "There is no way from here to that network.";
    "The attempt fails at once, or a router says that it knows no way.";
    "The error comes from this machine itself, or from a router about the network.";
    ["Bring up the private link or VPN, or add the route."];

    "local-firewall-blocks" Route PLATFORM;
    "A rule on this machine stops it, or the answer to it.";
    "Silence or a refusal, for this machine only.";
    "The rule itself, where it may be read; else packets that the system could not send, or a refusal from before the first device.";
    ["Change the rule for what this machine sends to that address and port, or for the answers from there."];

    "allow-list-excludes-client" Route NETWORK;
    "The list of addresses that may connect does not hold this one.";
    "Silence on every port, while it works from elsewhere.";
    "All ports of the host are silent to this machine; services with such a list are silent to everybody who is not on it.";
    ["Put this machine's address, as the far side sees it, on the list for this port."];

    "firewall-drops" Port NETWORK;
    "A filter on the way drops packets to this port.";
    "Nothing comes back, whatever one waits.";
    "Something shows the host to be up, or the way to be open for another port.";
    ["Allow this client's address to this port, inbound at the server's side."];

    "firewall-rejects" Port NETWORK;
    "A device on the way refuses this port.";
    "An active refusal at once that the host itself did not send.";
    "An ICMP message with another sender than the host; a forged reset looks like the host's own.";
    ["Allow this client's address to this port on the device that refuses."];

    "host-filter-rejects" Port PLATFORM;
    "The host's own filter refuses this port.";
    "An ICMP message about the port, from the host itself.";
    "A host without a filter answers a closed TCP port by a reset, never by ICMP.";
    ["Open the port in the filter of the database host."];

    "host-down" Port PLATFORM;
    "No host answers at that address.";
    "A router says that the host cannot be reached, or nothing of it answers at all.";
    "The last router asked for the host and got no answer.";
    ["Start the host, or find out which address it has now."];

    "some-addresses-dead" Port PLATFORM;
    "One address of the name is dead, and this client takes it first.";
    "It hangs or fails on some attempts, while another address of the same name works.";
    "Another address of the same name connects.";
    ["Take the dead address out of the name, or bring it back."];

    "link-lossy" Port NETWORK;
    "Packets are lost on the way.";
    "It works on some attempts and is slow or silent on others; a connection takes one second or three.";
    "The system had to send packets again, or answers came after whole seconds.";
    ["Have the way looked at: a damaged link, an overloaded device, two routes of which one is bad."];

    "socket-file-missing" Port DBA;
    "The socket file is not there.";
    "The client looks for a file that does not exist.";
    "The system says: no such file.";
    ["Start the server on this machine, or name the folder where its socket file lies.", "If the database is on another machine, give its host."];

    "socket-not-permitted" Port DBA;
    "The socket file is there and closed to this user.";
    "The system refuses this account the file or its folder.";
    "The system says: permission denied.";
    ["Open the folder and the socket file to this account, or use another account."];

    "client-resource-exhausted" Port PLATFORM;
    "This machine has no ports, files or permission left to connect.";
    "The attempt fails at once, on this side.";
    "The system's error is about this machine, not about the far end.";
    ["Find what holds the ports or files of this machine, or raise the limit."];

    "path-mtu-hole" Port NETWORK;
    "Small packets pass, large ones vanish.";
    "It connects, and stalls at the first large message: the certificates, a long answer.";
    "The same line goes on when it is made with small segments.";
    ["Let ICMP \"fragmentation needed\" and \"packet too big\" through, or lower the segment size (MSS) where the way narrows."];

    "nothing-listening" Listener DBA;
    "Nothing listens on that port.";
    "Refused at once, by the host itself.";
    "On this machine it is certain; from afar a filter's reset looks the same.";
    ["Start the server, or correct the port.", "If it runs, make it listen on this address (for PostgreSQL: listen_addresses and port)."];

    "wrong-service-on-port" Listener DEVELOPER;
    "Something other than this engine answers there.";
    "The first bytes are not of this engine's protocol.";
    "What answers is shown.";
    ["Correct the port or the host in the settings."];

    "server-hung" Listener DBA;
    "The server is there and takes nobody in: it hangs.";
    "The kernel holds the connection, the server does not pick it up.";
    "On this machine silence has hardly another cause.";
    ["Look at the server process: is it stopped, out of memory, waiting for a disk?"];

    "listener-mute" Listener DBA;
    "Something takes the connection and says nothing.";
    "Connected, and no answer to the first request.";
    "From here a hung server, a forwarder and another service look alike.";
    ["Look at the server's process and log at the time given below."];

    "server-slow-to-greet" Listener DBA;
    "The server answers, after longer than a client would wait.";
    "Connected, and the first answer takes seconds.";
    "It does come.";
    ["Look for load, or for a reverse look-up that waits."];

    "closes-on-accept" Listener NETWORK;
    "Something takes the connection and closes it before a word.";
    "Connected, and closed at once.";
    "A filter, a forwarder without a backend, a server that refuses this address.";
    ["Find out what stands in front of the server: a forwarder, a balancer, a published container port; is its backend up?", "Where a balancer stands there, one of several servers behind it may be down: the same command, run a few times, then works sometimes."];

    "client-blocked-by-server" Listener DBA;
    "The server refuses this client's address for all users.";
    "It closes or refuses before any sign-in.";
    "Other addresses are let in.";
    ["Lift the block for this address on the server."];

    "server-starting" Listener DBA;
    "The server is starting or recovering, and takes nobody yet.";
    "It says so itself.";
    "It passes, or the log says for what it waits.";
    ["Wait; if it lasts, read in the server's log what it recovers from."];

    "server-stopping" Listener DBA;
    "The server is shutting down.";
    "It says so itself.";
    "Soon nothing will listen there.";
    ["Ask who stops it, and start it again."];

    "server-full" Listener DBA;
    "All of the server's connection slots are taken.";
    "It says so itself.";
    "The code is about the server's limit, not an account's.";
    ["Find who holds the connections; end idle ones, use a pool, or raise the limit."];

    "pooler-backend-down" Listener DBA;
    "A pooler answers, and the server behind it does not.";
    "Sign-in is taken, then nothing comes.";
    "Silence after the proof.";
    ["Look at the pooler's log and at the server behind it."];

    "pooler-full" Listener DBA;
    "A pooler answers, and all its connections to the server are taken.";
    "Signed in, and then no answer to the first query; or the pooler says that it takes no more.";
    "The pooler's own list of clients shows who waits and who holds; later it works again.";
    ["Enlarge the pool, or find who holds its connections."];

    "listens-on-loopback-only" Listener DBA;
    "The server listens on loopback only.";
    "Refused from every other machine, and working on its own.";
    "The table of sockets of its machine shows it; from elsewhere it looks like nothing.";
    ["Let the server listen on the address that is dialled, and allow the clients that should come in."];

    "listens-on-other-address" Listener DBA;
    "The server listens on another address than the one dialled.";
    "Refused on this address, though the server runs.";
    "The table of sockets shows the engine on another address, or on its socket file only.";
    ["Dial the address on which it listens, or let it listen on this one."];

    "listens-on-other-port" Listener DBA;
    "The engine listens on another port of that host.";
    "Refused at once, though the server runs.";
    "It answers on that other port.";
    ["Put the port on which it listens into the settings, or let it listen on this one."];

    "tunnel-down" Listener PLATFORM;
    "The local end of the tunnel is not there.";
    "Refused at once on a port of this machine.";
    "The SSH client's configuration or a process tells of a tunnel from this port, and nothing holds it.";
    ["Start the tunnel."];

    "tunnel-far-end-dead" Listener PLATFORM;
    "The tunnel is there, what it should reach is not.";
    "It connects, and is closed before a word.";
    "An SSH client or a forwarder holds the local port.";
    ["On the tunnel's far side, test the place to which it leads.", "Correct that place, or start what should be there."];

    "tunnel-shadowed" Listener DEVELOPER;
    "A local server answers on the port where the tunnel was meant to be.";
    "Something answers, with other accounts, databases or data than expected.";
    "A tunnel is told of from this port, and the port belongs to a server of this machine.";
    ["Give the tunnel another local port, and put that one into the settings."];
}
