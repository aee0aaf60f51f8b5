"""A client and a server of the directory protocol, written from docs/directory.md alone.

  directory_peer.py client < {"host", "port", "service", "instance", "user", "password", "role", "tls", "ca"}
  directory_peer.py server < [{"port", "certificate", ...}, ...]   (tells "ready", serves until its input ends)

It shares nothing with the program that it is held against; the standard library is enough.
"""

import base64
import hashlib
import hmac
import json
import os
import socket
import ssl
import struct
import sys
import threading

LARGEST = 65536

class Ended(Exception):
    """How it ended, as a word with what belongs to it."""

    def __init__(self, **how):
        super().__init__(how)
        self.how = how

def send(line, message):
    data = json.dumps(message).encode()
    line.sendall(struct.pack(">I", len(data)) + data)

def exactly(line, count):
    data = b""
    while len(data) < count:
        more = line.recv(count - len(data))
        if not more:
            raise Ended(end="closed")
        data += more
    return data

def receive(line):
    (length,) = struct.unpack(">I", exactly(line, 4))
    if not 1 <= length <= LARGEST:
        raise Ended(end="no-protocol")
    try:
        message = json.loads(exactly(line, length))
        return message if isinstance(message["type"], str) else {"type": "?"}
    except (ValueError, KeyError, TypeError):
        raise Ended(end="no-protocol") from None

def mac(key, text):
    return hmac.new(key, text.encode(), hashlib.sha256).digest()

def keys(password, salt, rounds):
    salted = hashlib.pbkdf2_hmac("sha256", password.encode(), salt, rounds)
    client, server = mac(salted, "Client Key"), mac(salted, "Server Key")
    return client, hashlib.sha256(client).digest(), server

def xor(one, other):
    return bytes(a ^ b for a, b in zip(one, other))

def b64(data):
    return base64.b64encode(data if isinstance(data, bytes) else data.encode()).decode()

def unb64(text):
    return base64.b64decode(text).decode()

def parts(text):
    return dict(part.split("=", 1) for part in text.split(",") if "=" in part)

# The client.

def asked(line, message, *wanted):
    send(line, message)
    answer = receive(line)
    if answer["type"] == "refused":
        raise Ended(end="refused", code=answer["code"])
    if answer["type"] not in wanted:
        raise Ended(end="no-protocol")
    return answer

def prove(line, user, password):
    name = user.replace("=", "=3D").replace(",", "=2C")
    bare = "n=%s,r=%s" % (name, b64(os.urandom(18)))
    first = unb64(asked(line, {"type": "prove", "data": b64("n,," + bare)}, "prove")["data"])
    told = parts(first)
    client, stored, server = keys(password, base64.b64decode(told["s"]), int(told["i"]))
    without = "c=biws,r=" + told["r"]
    signed = ",".join([bare, first, without])
    proof = b64(xor(client, mac(stored, signed)))
    last = asked(line, {"type": "prove", "data": b64(without + ",p=" + proof)}, "prove")
    if unb64(last["data"]) != "v=" + b64(mac(server, signed)):
        raise Ended(end="server-unproven")

def dial(target, host, port):
    try:
        line = socket.create_connection((host, port), timeout=4)
    except OSError:
        raise Ended(end="unreachable") from None
    if target.get("tls"):
        context = ssl.create_default_context(cafile=target.get("ca"))
        try:
            line = context.wrap_socket(line, server_hostname=host)
        except ssl.SSLCertVerificationError:
            raise Ended(end="certificate") from None
        except (ssl.SSLError, OSError):
            raise Ended(end="no-tls") from None
    return line

def visit(target, host, port, instance):
    line = dial(target, host, port)
    with line:
        try:
            asked(line, {"type": "hello", "version": 1, "client": "peer"}, "hello")
            wish = {"type": "open", "service": target["service"], "user": target["user"]}
            if instance:
                wish["instance"] = instance
            if target.get("role"):
                wish["role"] = target["role"]
            answer = asked(line, wish, "redirect", "challenge", "accepted")
            if answer["type"] == "redirect":
                return answer
            if answer["type"] == "challenge":
                prove(line, target["user"], target.get("password") or "")
            who = asked(line, {"type": "who"}, "accepted")
            raise Ended(end="accepted", instance=who["instance"], user=who["user"])
        except (socket.timeout, TimeoutError):
            raise Ended(end="silent") from None

def client(target):
    host, port, instance = target["host"], target["port"], target.get("instance")
    been, places = [], 0
    try:
        for _ in range(4):
            been.append((host, port, instance))
            places += 1
            try:
                there = visit(target, host, port, instance)
            except Ended as ended:
                ended.how["places"] = places
                raise
            host, port, instance = there["host"], there["port"], there["instance"]
            if (host, port, instance) in been:
                raise Ended(end="circle", places=places)
        raise Ended(end="too-often", places=places)
    except Ended as ended:
        return ended.how

# The server.

def refused(code):
    return {"type": "refused", "code": code, "text": "so says the peer"}

def state_code(instance, wish):
    if instance["state"] == "restricted" and not wish.get("role"):
        return "service-restricted"
    return "service-not-ready" if instance["state"] in ("starting", "stopped") else None

def account_code(account, wish):
    if account["locked"]:
        return "account-locked"
    if account["expired"]:
        return "password-expired"
    if account["needs_role"] and not wish.get("role"):
        return "role-required"
    if wish.get("role") and wish["role"] not in account["roles"]:
        return "role-not-granted"
    return None

def opening(config, wish):
    """The answer to `open`, and the instance where it is on this line."""
    if config.get("refuse_open"):
        return refused(config["refuse_open"]), None
    offering = [i for i in config["instances"] if wish["service"] in i["services"]]
    if not offering:
        return refused("service-unknown"), None
    if wish.get("instance"):
        fitting = [i for i in offering if i["name"] == wish["instance"]]
        if not fitting:
            return refused("instance-unknown"), None
    else:
        fitting = [i for i in offering if i["state"] == "ready"] or offering
    instance = fitting[0]
    code = state_code(instance, wish)
    if code:
        return refused(code), None
    if instance.get("port"):
        place = {"host": instance["host"], "port": instance["port"]}
        return {"type": "redirect", "instance": instance["name"], **place}, None
    if wish["user"] not in config["accounts"] and not config["hides_users"]:
        return refused("user-unknown"), None
    return {"type": "challenge", "method": "SCRAM-SHA-256"}, instance

def proving(line, config, wish):
    """The server's half of the proof; whether it went well."""
    account = config["accounts"].get(wish["user"])
    salt, rounds = b"peer-of-the-page", 4096
    name = wish["user"].replace("=", "=3D").replace(",", "=2C")
    text = unb64(receive(line)["data"])
    if not text.startswith("n,,n=%s,r=" % name):
        return send(line, refused("protocol"))
    bare = text[3:]
    first = "r=%s,s=%s,i=%d" % (parts(bare)["r"] + "PEER", b64(salt), rounds)
    send(line, {"type": "prove", "data": b64(first)})
    without, proof = unb64(receive(line)["data"]).rsplit(",p=", 1)
    password = account["password"] if account else os.urandom(9).hex()
    _, stored, server = keys(password, salt, rounds)
    signed = ",".join([bare, first, without])
    client = xor(base64.b64decode(proof), mac(stored, signed))
    if hashlib.sha256(client).digest() != stored:
        return send(line, refused("proof-wrong"))
    code = account_code(account, wish)
    if code:
        return send(line, refused(code))
    send(line, {"type": "prove", "data": b64("v=" + b64(mac(server, signed)))})
    return True

def serve(line, config):
    if config.get("says"):
        line.recv(4096)
        return line.sendall(base64.b64decode(config["says"]))
    if config.get("silent"):
        return line.recv(4096) and line.recv(4096)
    secured = line.recv(1, socket.MSG_PEEK) == b"\x16" and config.get("certificate")
    if secured:
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        context.load_cert_chain(config["certificate"])
        line = context.wrap_socket(line, server_side=True)
    with line:
        try:
            hello = receive(line)
        except Ended:
            return send(line, refused("protocol"))
        if hello["type"] != "hello" or hello.get("version") != config["version"]:
            return send(line, refused("version" if hello["type"] == "hello" else "protocol"))
        if config.get("refuse_hello"):
            return send(line, refused(config["refuse_hello"]))
        if config["demands_tls"] and not secured:
            return send(line, refused("tls-required"))
        tls = "required" if config["demands_tls"] else "on" if config.get("certificate") else "off"
        greeting = {"type": "hello", "version": 1, "server": "peer", "tls": tls, "new": [1, {}]}
        send(line, {**greeting, "hides_users": config["hides_users"]})
        talk(line, config)

def talk(line, config):
    while True:
        message = receive(line)
        if message["type"] == "list":
            names = sorted({name for i in config["instances"] for name in i["services"]})
            shown = ("name", "state", "since")
            services = [{"name": name, "instances": [{key: i[key] for key in shown}
                         for i in config["instances"] if name in i["services"]]} for name in names]
            listed = {"type": "services", "services": services}
            send(line, listed if config["listing"] else refused("listing-forbidden"))
        elif message["type"] == "open":
            answer, instance = opening(config, message)
            send(line, answer)
            if answer["type"] == "challenge":
                if not proving(line, config, message):
                    return
                while receive(line)["type"] == "who":
                    told = {"service": message["service"], "user": message["user"]}
                    send(line, {"type": "accepted", "instance": instance["name"], "version": "1",
                                "started": instance["since"], "databases": [], **told})
        else:
            return send(line, refused("protocol"))

def guarded(line, config):
    try:
        with line:
            serve(line, config)
    except (Ended, OSError, ValueError, KeyError):
        pass

def listen(config):
    door = socket.create_server(("127.0.0.1", config["port"]))

    def run():
        while True:
            threading.Thread(target=guarded, args=(door.accept()[0], config), daemon=True).start()

    threading.Thread(target=run, daemon=True).start()

if __name__ == "__main__":
    told = json.loads(sys.stdin.readline())
    if sys.argv[1] == "client":
        print(json.dumps(client(told)))
    else:
        for one in told:
            listen(one)
        print("ready", flush=True)
        sys.stdin.read()
