"""Reads every file of a folder, in the order of their names, with a real reader of its format:
a line of JSON a file, null where the reader gives it up. formats.py READER FOLDER
"""
import configparser
import ctypes
import json
import os
import subprocess
import sys
import warnings

from libpq_options import Option, values


def of_configparser(path):
    parser = configparser.ConfigParser()
    with open(path, encoding="utf-8", newline="") as file:
        parser.read_string(file.read())
    out = {}
    for section in parser.sections():
        try:
            out[section] = dict(parser.items(section))
        except configparser.InterpolationError:
            out[section] = None
    return out


def of_pymysql(path):
    from pymysql.optionfile import Parser

    parser = Parser()
    with open(path, encoding="utf-8", newline="") as file:
        parser.read_string(file.read())
    names = ("host", "port", "user", "password", "database", "socket")
    out = {}
    for name in names:
        try:
            out[name] = parser.get("client", name)
        except Exception:  # As the driver does: it goes on with its default.
            pass
    return {"client": out}


def of_my_print_defaults(path):
    told = subprocess.run(
        ["my_print_defaults", f"--defaults-file={path}", "client"],
        capture_output=True, check=False,
    )
    if told.returncode:
        return None
    out = {}
    for line in told.stdout.decode("utf-8", "replace").splitlines():
        key, _, value = line.removeprefix("--").partition("=")
        out[key] = value
    return {"client": out}


def library():
    libpq = ctypes.CDLL("libpq.so.5")
    libpq.PQconnectStart.restype = ctypes.c_void_p
    libpq.PQconninfo.restype = ctypes.POINTER(Option)
    libpq.PQconninfo.argtypes = [ctypes.c_void_p]
    libpq.PQerrorMessage.restype = ctypes.c_char_p
    libpq.PQerrorMessage.argtypes = [ctypes.c_void_p]
    libpq.PQfinish.argtypes = [ctypes.c_void_p]
    return libpq


def of_service(path):
    """The services "sailings" and "tickets", each none where the library gives it up. An
    address of its own keeps it from looking a name up; nothing is waited for.
    """
    libpq = library()
    out = {}
    os.environ["PGSERVICEFILE"] = path
    for service in ("sailings", "tickets"):
        line = libpq.PQconnectStart(f"service={service} hostaddr=127.0.0.1".encode())
        said = libpq.PQerrorMessage(line)
        refused = b"service file" in said or b"definition of service" in said
        out[service] = None if refused else values(libpq.PQconninfo(line))
        libpq.PQfinish(line)
    return out


def main():
    reader, folder = sys.argv[1:3]
    warnings.simplefilter("ignore")
    for name in [n for n in os.environ if n.startswith("PG")]:
        del os.environ[name]
    read = globals()["of_" + reader.replace("-", "_")]
    for name in sorted(os.listdir(folder)):
        try:
            out = read(os.path.join(folder, name))
        except Exception:
            out = None
        print(json.dumps(out))


main()
