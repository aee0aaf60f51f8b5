"""The options of PostgreSQL's library as it hands them out (its documentation,
"PQconninfoOption").
"""
import ctypes


class Option(ctypes.Structure):
    _fields_ = [
        ("keyword", ctypes.c_char_p), ("envvar", ctypes.c_char_p),
        ("compiled", ctypes.c_char_p), ("val", ctypes.c_char_p),
        ("label", ctypes.c_char_p), ("dispchar", ctypes.c_char_p),
        ("dispsize", ctypes.c_int),
    ]


def values(options):
    """Where, who and what, of those that are set."""
    names = ("host", "port", "user", "password", "dbname")
    out = {}
    at = 0
    while options[at].keyword:
        name = options[at].keyword.decode()
        if name in names and options[at].val is not None:
            out[name] = options[at].val.decode("utf-8", "replace")
        at += 1
    return out
