"""Reads every file of a folder as systemd reads an environment file: a line of JSON a file,
in the order of their names. The reader is its generator of users' environments, which
shares the parser, and puts in variables besides: the files must hold no dollar sign.
environment_systemd.py GENERATOR FOLDER
"""
import json
import os
import pathlib
import shutil
import subprocess
import sys
import tempfile

MEANT = {"n": "\n", "t": "\t", "r": "\r", "a": "\a", "b": "\b", "f": "\f", "v": "\v"}


def unquoted(text):
    """A value as the generator writes it: in double quotes where it must."""
    if not text.startswith('"'):
        return text
    out, rest = "", iter(text[1:-1])
    for c in rest:
        if c == "\\":
            c = next(rest)
            if c == "x":
                c = chr(int(next(rest) + next(rest), 16))
            else:
                c = MEANT.get(c, c)
        out += c
    return out


def main():
    generator, folder = sys.argv[1:3]
    with tempfile.TemporaryDirectory() as home:
        place = pathlib.Path(home, "environment.d")
        place.mkdir()
        for file in sorted(pathlib.Path(folder).iterdir()):
            shutil.copy(file, place / "one.conf")
            environment = {"HOME": home, "XDG_CONFIG_HOME": home, "LANG": "C.UTF-8"}
            ran = subprocess.run([generator], env=environment, capture_output=True)
            out = {}
            for line in ran.stdout.decode(errors="surrogateescape").splitlines():
                name, _, value = line.partition("=")
                out[name] = unquoted(value)
            out.pop("QT_ACCESSIBILITY", None)
            print(json.dumps(out))


main()
