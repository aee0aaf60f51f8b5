"""Reads every file of a folder with a real reader, and prints what it makes of them.

environment.py READER FOLDER: a line of JSON a file, in the order of their names; null
where the reader gives the file up.
"""
import io
import json
import logging
import os
import pathlib
import sys


def python_dotenv(text):
    from dotenv import dotenv_values

    os.environ.clear()
    values = dotenv_values(stream=io.StringIO(text))
    return {k: v for k, v in values.items() if v is not None}


def decouple(path):
    from decouple import RepositoryEnv

    return RepositoryEnv(path).data


def django_environ(path):
    import environ

    environ.Env.ENVIRON = {}
    environ.Env.read_env(path)
    return dict(environ.Env.ENVIRON)


def main():
    reader, folder = sys.argv[1:3]
    logging.disable(logging.CRITICAL)
    for path in sorted(pathlib.Path(folder).iterdir()):
        try:
            if reader == "python-dotenv":
                with open(path, encoding="utf-8") as stream:
                    out = python_dotenv(stream.read())
            elif reader == "decouple":
                out = decouple(str(path))
            else:
                out = django_environ(str(path))
        except Exception:
            out = None
        print(json.dumps(out))


main()
