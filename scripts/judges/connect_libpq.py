"""Connects by a given build of PostgreSQL's own library (its documentation, "Database
Connection Control Functions"): connect_libpq.py LIBRARY, one connection string a line on
standard input. Prints `in` or the library's words, a line each.
"""
import ctypes
import sys

library = ctypes.CDLL(sys.argv[1])
library.PQconnectdb.restype = ctypes.c_void_p
library.PQconnectdb.argtypes = [ctypes.c_char_p]
library.PQerrorMessage.restype = ctypes.c_char_p
library.PQerrorMessage.argtypes = [ctypes.c_void_p]
library.PQstatus.argtypes = [ctypes.c_void_p]
library.PQfinish.argtypes = [ctypes.c_void_p]

for line in sys.stdin:
    link = library.PQconnectdb(line.rstrip("\n").encode())
    words = library.PQerrorMessage(link).decode("utf-8", "replace")
    print("in" if library.PQstatus(link) == 0 else " ".join(words.split()), flush=True)
    library.PQfinish(link)
