"""Reads every connection string of a file (a JSON list) with a real reader: a line of JSON
a string, null where the reader refuses it. urls.py READER FILE
"""
import json
import sys
import warnings


def of_dj_database_url(text):
    import dj_database_url

    got = dj_database_url.parse(text)
    return got["HOST"], got["PORT"], got["USER"], got["PASSWORD"], got["NAME"]


def of_django_environ(text):
    import environ

    got = environ.Env.db_url_config(text)
    return got["HOST"], got["PORT"], got["USER"], got["PASSWORD"], got["NAME"]


def of_sqlalchemy(text):
    from sqlalchemy.engine import make_url

    got = make_url(text)
    return got.host, got.port, got.username, got.password, got.database


def of_asyncpg(text):
    import os
    from asyncpg import connect_utils

    for name in list(os.environ):
        if name.startswith("PG"):
            del os.environ[name]
    addresses, params = connect_utils._parse_connect_dsn_and_args(
        dsn=text, host=None, port=None, user=None, password=None, passfile="/nowhere",
        database=None, ssl=False, service=None, servicefile=None, direct_tls=None,
        server_settings=None, target_session_attrs=None, krbsrvname=None, gsslib=None,
    )
    places = [a for a in addresses if isinstance(a, tuple)]
    hosts = ",".join(host for host, _ in places)
    ports = ",".join(str(port) for _, port in places)
    return hosts, ports, params.user, params.password, params.database


def of_libpq(text):
    from psycopg.conninfo import conninfo_to_dict

    got = conninfo_to_dict(text)
    return tuple(got.get(k) for k in ("host", "port", "user", "password", "dbname"))


def of_libpq15(text):
    """The system's own library, by its parser."""
    import ctypes
    from libpq_options import Option, values

    libpq = ctypes.CDLL("libpq.so.5")
    libpq.PQconninfoParse.restype = ctypes.POINTER(Option)
    libpq.PQconninfoParse.argtypes = [ctypes.c_char_p, ctypes.POINTER(ctypes.c_char_p)]
    said = ctypes.c_char_p()
    options = libpq.PQconninfoParse(text.encode(), ctypes.byref(said))
    if not options:
        raise ValueError(said.value)
    got = values(options)
    return tuple(got.get(k) for k in ("host", "port", "user", "password", "dbname"))


def of_pymongo(text):
    from pymongo.uri_parser import parse_uri

    got = parse_uri(text, validate=False, warn=False)
    hosts = ",".join(host for host, _ in got["nodelist"])
    ports = ",".join(str(port) for _, port in got["nodelist"])
    return hosts, ports, got["username"], got["password"], got["database"]


def main():
    reader, path = sys.argv[1:3]
    warnings.simplefilter("ignore")
    read = globals()["of_" + reader.replace("-", "_")]
    names = ("host", "port", "user", "password", "database")
    with open(path, encoding="utf-8") as file:
        texts = json.load(file)
    for text in texts:
        try:
            out = {n: str(v) for n, v in zip(names, read(text)) if v not in (None, "")}
        except Exception:
            out = None
        print(json.dumps(out))


main()
