"""Reads every file of a folder with a container engine's own client: a line of JSON a file,
in the order of their names; null where it gives the file up. The engine behind it is a
stand-in that only takes down what it is told. environment_container.py CLIENT FOLDER
"""
import http.server
import json
import os
import pathlib
import socketserver
import subprocess
import sys
import tempfile
import threading

told = []


class Engine(http.server.BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"

    def answer(self, status, body):
        self.send_response(status)
        self.send_header("Api-Version", "1.40")
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        if self.command != "HEAD":
            self.wfile.write(body)

    def do_HEAD(self):
        self.answer(200, b"")

    do_GET = do_HEAD

    def do_POST(self):
        body = self.rfile.read(int(self.headers.get("Content-Length") or 0))
        if "/containers/create" in self.path:
            told.append(json.loads(body).get("Env") or [])
        self.answer(500, b'{"message":"taken down"}')

    def log_message(self, *_):
        pass

    def address_string(self):
        return "here"


class Server(socketserver.ThreadingMixIn, socketserver.UnixStreamServer):
    daemon_threads = True


def main():
    client, folder = sys.argv[1:3]
    with tempfile.TemporaryDirectory() as home:
        path = os.path.join(home, "engine")
        server = Server(path, Engine)
        threading.Thread(target=server.serve_forever, daemon=True).start()
        environment = {"PATH": os.environ["PATH"], "HOME": home, "DOCKER_HOST": f"unix://{path}"}
        for file in sorted(pathlib.Path(folder).iterdir()):
            told.clear()
            subprocess.run(
                [client, "run", "--env-file", str(file), "image"],
                env=environment,
                stdin=subprocess.DEVNULL,
                capture_output=True,
            )
            out = dict(entry.split("=", 1) for entry in told[-1] if "=" in entry) if told else None
            print(json.dumps(out))


main()
