//! Causes on the way: from the name to whoever answers.

use super::{DBA, DEVELOPER, NAMES, NETWORK, PLATFORM};
use crate::knowledge::causes::Cause;

causes! { WAY
    NameDoesNotExist Name NAMES may_pass;
    "The host name does not exist.";
    "The lookup fails at once: no such name.";
    "DNS answers, and the answer is that the name does not exist.";
    ["Compare the name letter by letter with one that works elsewhere.", "Ask whoever runs DNS for this zone to create or restore it."];

    NameHasNoAddress Name NAMES may_pass;
    "The host name exists but has no address.";
    "The lookup finds the name, but no address of a family that this machine uses.";
    "The resolver answers that the name exists; for an unknown name it would say so.";
    ["Ask for an address record (A or AAAA) for this name."];

    NameServiceFailing Name NAMES may_pass;
    "The DNS lookup fails with an error.";
    "The resolver returns an error instead of an answer, also for names that exist.";
    "The error comes quickly; a resolver that is down would be silent for seconds.";
    ["Ask whoever runs the resolver to fix it. Until then, test with the address instead of the name."];

    NameServiceSilent Name NETWORK may_pass;
    "No resolver answers.";
    "Every lookup runs into its timeout.";
    "Nothing comes back for seconds.";
    ["Check which resolver this machine is configured to ask, and that port 53 on it can be reached."];

    HostsFileOverride Name PLATFORM;
    "The hosts file on this machine gives another address than DNS.";
    "It fails from this machine, and works from machines that use DNS.";
    "The hosts file lists this host, DNS gives another address, and that one connects.";
    ["Remove or correct the line in the hosts file.", "If the line is there on purpose: the address in it no longer serves this database."];

    PrivateAddressFromOutside Name NETWORK may_pass;
    "The name has only a private address, and this machine is outside that network.";
    "Silence, or a router that says the address cannot be reached.";
    "The address is from a private range, and packets to it leave by the default route.";
    ["Connect the private link or VPN that leads to that network.", "Or use the public name or address of the service, if it has one."];

    ResolversDisagree Name NAMES may_pass;
    "The resolvers give different answers, and the one in use gives the wrong one.";
    "It works from machines that ask another resolver.";
    "Each resolver was asked separately: the address from another one exists, or connects.";
    ["Compare the zone on both name servers: one is missing the record or has an old copy."];

    AliasChainBroken Name NAMES may_pass;
    "An alias (CNAME) or service record points to a name that does not exist, or in a circle.";
    "The name does not resolve, although it exists.";
    "The answer contains an alias, and the name it points to does not exist.";
    ["Correct the record at the end of the chain, or point the alias somewhere else."];

    StaleAddress Name NAMES may_pass;
    "This machine still uses an old address of the name.";
    "Refused, silent, or answered by something else since the service moved.";
    "The address in use is no longer in DNS, and the address in DNS connects.";
    ["Flush this machine's DNS cache, or restart the service that keeps it.", "Restart programs that looked the name up only once."];

    NoRoute Route NETWORK may_pass;
    "There is no route from here to that network.";
    "The connection attempt fails at once, or a router says that it has no route.";
    "The error comes from this machine itself, or from a router, and is about the network.";
    ["Bring up the private link or VPN, or add the route."];

    LocalFirewallBlocks Route PLATFORM;
    "A firewall rule on this machine blocks the connection, or the replies to it.";
    "Silence or a refusal, from this machine only.";
    "The rule itself, where it can be read; otherwise packets that this system could not send, or a refusal that comes from before the first router.";
    ["Change the rule for outgoing packets to that address and port, or for the replies from there."];

    AllowListExcludesClient Route NETWORK;
    "The server's allow-list does not contain this machine's address.";
    "Every port of the host is silent, while it works from elsewhere.";
    "The list itself (--rules) has no rule that covers the address. Without the list: all ports are silent to this machine; services with an allow-list ignore every address that is not on it.";
    ["Add this machine's address, as the server sees it, to the allow-list for this port."];

    AllowListWrongPort Route NETWORK;
    "The allow-list contains this machine's address, but for another port, protocol or direction.";
    "This port is silent or refused, while another one of the same host may answer.";
    "The list itself (--rules): the rule that covers the address is for something else.";
    ["Add this port to the rule that covers the address, or add a rule for it."];

    AllowListRuleOff Route NETWORK;
    "The rule that would allow this machine does not count: it is switched off, has ended, or an earlier rule decides.";
    "Silence or a refusal, although a rule for this address stands in the list.";
    "The list itself (--rules): the rule, and why it does not count.";
    ["Switch the rule on, extend its date, or move it before the rule that decides."];

    ReturnPathBlocked Route NETWORK;
    "A stateless list lets the request in and not the reply out.";
    "Silence: the packets arrive and are answered, and no answer comes back.";
    "The list itself (--rules): it is stateless, and no rule covers the reply to the client's port.";
    ["Add a rule for the replies: outbound, to the client's address, to its range of ports (32768-60999 on Linux)."];

    FirewallDrops Port NETWORK may_pass;
    "A firewall on the way drops packets to this port.";
    "Nothing comes back, however long the client waits.";
    "Something shows that the host is up, or that the way is open for another port.";
    ["Allow this client's address to this port, inbound on the server's side."];

    FirewallRejects Port NETWORK may_pass;
    "A firewall on the way refuses this port.";
    "An immediate refusal that was not sent by the host itself.";
    "An ICMP message from an address that is not the host's. (A forged reset looks like the host's own.)";
    ["Allow this client's address to this port on the device that refuses it."];

    HostFilterRejects Port PLATFORM may_pass;
    "The firewall on the database host refuses this port.";
    "An ICMP message about the port, sent by the host itself.";
    "Without a firewall, a host answers on a closed TCP port with a reset, never with ICMP.";
    ["Open the port in the firewall of the database host."];

    HostDown Port PLATFORM may_pass;
    "No host answers at that address.";
    "A router says that the host cannot be reached, or nothing answers at all.";
    "The last router looked for the host and got no answer.";
    ["Start the host, or find out which address it has now."];

    SomeAddressesDead Port PLATFORM may_pass;
    "The name has several addresses, and the one that this client tries first is dead.";
    "Some attempts hang or fail, while another address of the same name works.";
    "Another address of the same name connects.";
    ["Remove the dead address from the name, or bring it back."];

    LinkLossy Port NETWORK may_pass;
    "Packets are being lost on the way.";
    "Some attempts work and others are slow or fail; connecting takes one or three seconds.";
    "This system had to retransmit packets, or replies came after whole seconds.";
    ["Have the network path checked: a damaged link, an overloaded router, or two routes of which one is bad."];

    SocketFileMissing Port DBA may_pass;
    "The socket file does not exist.";
    "The client looks for a socket file that is not there.";
    "The system says: no such file.";
    ["Start the server on this machine, or name the folder that holds its socket file.", "If the database is on another machine, give its host."];

    SocketNotPermitted Port DBA may_pass;
    "This account may not open the socket file.";
    "The socket file exists, and the system denies this account access to it or to its folder.";
    "The system says: permission denied.";
    ["Give this account access to the folder and the socket file, or use another account."];

    ClientResourceExhausted Port PLATFORM may_pass;
    "This machine has no free ports, file descriptors or permission left to connect.";
    "The attempt fails at once, on this side.";
    "The system's error is about this machine, not about the server.";
    ["Find what uses up the ports or descriptors on this machine, or raise the limit."];

    PathMtuHole Port NETWORK;
    "Small packets get through, large ones are lost.";
    "It connects, then stalls at the first large message: the certificates, or a long answer.";
    "The same connection works when it is made with small segments.";
    ["Let ICMP \"fragmentation needed\" and \"packet too big\" through, or lower the segment size (MSS) where the path narrows."];

    NothingListening Listener DBA may_pass;
    "Nothing is listening on that port.";
    "Refused at once, by the host itself.";
    "On this machine that is certain; from another machine a firewall's reset looks the same.";
    ["Start the server, or correct the port.", "If the server is running, make it listen on this address (for PostgreSQL: listen_addresses and port)."];

    WrongServiceOnPort Listener DEVELOPER;
    "Something else is listening on that port.";
    "The first bytes do not belong to this engine's protocol.";
    "What answers is shown.";
    ["Correct the port or the host in the settings."];

    ServerHung Listener DBA may_pass;
    "The server accepts connections but does not respond: it hangs.";
    "The kernel accepts the connection, but the server process does not pick it up.";
    "On this machine there is hardly another explanation for the silence.";
    ["Check the server process: is it stopped, out of memory, or waiting for a disk?"];

    ListenerMute Listener DBA may_pass;
    "Something accepts the connection but sends nothing.";
    "Connected, but no answer to the first request.";
    "From here a hung server, a proxy and another service look the same.";
    ["Check the server's process and its log at the time given below."];

    ServerSlowToGreet Listener DBA may_pass;
    "The server responds, but takes longer than a client would wait.";
    "Connected, and the first response takes seconds.";
    "The response does arrive.";
    ["Check the server's load, and whether it waits for a reverse DNS lookup."];

    ClosesOnAccept Listener NETWORK may_pass;
    "Something accepts the connection and closes it without sending anything.";
    "Connected, and closed at once.";
    "It may be a firewall, a proxy without a backend, or a server that refuses this address.";
    ["Find out what stands in front of the server (a proxy, a load balancer, a published container port) and whether its backend is up.", "If there is a load balancer, one of several servers behind it may be down: then the same command works some of the time."];

    ClientBlockedByServer Listener DBA;
    "The server has blocked this client's address, for all users.";
    "It closes or refuses the connection before any sign-in.";
    "Other addresses are let in.";
    ["Lift the block for this address on the server."];

    ServerStarting Listener DBA may_pass;
    "The server is starting or recovering and does not accept clients yet.";
    "The server says so.";
    "It passes; otherwise the server's log says what it is waiting for.";
    ["Wait. If it does not pass, read in the server's log what it is recovering from."];

    ServerStopping Listener DBA may_pass;
    "The server is shutting down.";
    "The server says so.";
    "Soon nothing will be listening there.";
    ["Ask who is stopping it, and start it again."];

    ServerFull Listener DBA may_pass;
    "All connection slots of the server are taken.";
    "The server says so.";
    "The error is about the server's limit, not about an account's.";
    ["Find who holds the connections; close idle ones, use a connection pool, or raise the limit."];

    PoolerBackendDown Listener DBA may_pass;
    "The pooler responds, but the server behind it does not.";
    "The sign-in is accepted, then nothing more comes.";
    "Silence after the password was sent.";
    ["Check the pooler's log and the server behind it."];

    PoolerFull Listener DBA may_pass;
    "The pooler responds, but all its connections to the server are in use.";
    "Signed in, then no answer to the first query; or the pooler says that it accepts no more clients.";
    "The pooler's list of clients shows who is waiting and who holds a connection; later it works again.";
    ["Enlarge the pool, or find who holds its connections."];

    ListensOnLoopbackOnly Listener DBA may_pass;
    "The server listens on loopback only.";
    "Refused from every other machine, but it works on the server itself.";
    "The socket table of the server shows it; from elsewhere it looks as if nothing were listening.";
    ["Make the server listen on the address that clients use, and allow the clients that should get in."];

    ListensOnOtherAddress Listener DBA may_pass;
    "The server listens on a different address than the one in the settings.";
    "Refused on this address, although the server is running.";
    "The socket table shows the server on another address, or on its socket file only.";
    ["Connect to the address on which it listens, or make it listen on this one."];

    ListensOnOtherPort Listener DBA may_pass;
    "The server listens on a different port of that host.";
    "Refused at once, although the server is running.";
    "The server answers on that other port.";
    ["Put the port on which it listens into the settings, or make it listen on this one."];

    ProtocolVersionGap Listener DBA;
    "The server does not have the version of the protocol that these settings demand.";
    "The server names the versions that it has, or closes on a TLS handshake that was not announced.";
    "Asked in the way of older versions, the same server answers.";
    ["Remove the setting that demands the newer version, or update the server."];

    TunnelDown Listener PLATFORM may_pass;
    "The SSH tunnel is not running.";
    "Refused at once, on a port of this machine.";
    "An SSH configuration or process mentions a tunnel from this port, and nothing is listening on it.";
    ["Start the tunnel."];

    TunnelFarEndDead Listener PLATFORM may_pass;
    "The SSH tunnel is running, but what it leads to is not reachable.";
    "It connects, and is closed without anything being sent.";
    "An SSH client or a port forwarder holds the local port.";
    ["On the far side of the tunnel, test the address to which it leads.", "Correct that address, or start the server there."];

    TunnelRefused Listener PLATFORM;
    "The SSH server refuses the sign-in or the forwarding.";
    "The tunnel does not start, or a connection through it is closed at once.";
    "The SSH client says that permission is denied, or that forwarding is prohibited.";
    ["Check the key and the user of the tunnel, and AllowTcpForwarding and PermitOpen on the SSH server."];

    TunnelShadowed Listener DEVELOPER;
    "A local server is listening on the port that the tunnel should use.";
    "Something answers, with other accounts, databases or data than expected.";
    "An SSH configuration mentions a tunnel from this port, but a server on this machine holds it.";
    ["Give the tunnel another local port, and put that port into the settings."];
}
