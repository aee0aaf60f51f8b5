"""Connects as a small Python program would: connect.py STACK, in the program's folder. Ends
with 0 if it was let in, with 1 if not.
"""
import os
import sys
import warnings

warnings.simplefilter("ignore")


def settings(stack):
    """The variables, by the reader of the stack."""
    if "decouple" in stack:
        from decouple import Config, RepositoryEnv

        config = Config(RepositoryEnv(".env"))
        return lambda name: config(name, default=None)
    if "environ" in stack:
        import environ

        env = environ.Env()
        environ.Env.read_env(".env")
        return lambda name: env(name, default=None)
    from dotenv import load_dotenv

    load_dotenv(".env")
    return os.environ.get


def django(database):
    from django.conf import settings as of_django

    of_django.configure(DATABASES={"default": database})
    import django as module

    module.setup()
    from django.db import connection

    connection.ensure_connection()


def main():
    stack = sys.argv[1]
    get = settings(stack)
    if stack.endswith("url-environ"):
        import environ

        return django(environ.Env().db("DATABASE_URL"))
    if stack.endswith("url-dj"):
        import dj_database_url

        return django(dj_database_url.parse(get("DATABASE_URL")))
    if stack.endswith("url-sqlalchemy"):
        from sqlalchemy import create_engine

        return create_engine(get("DATABASE_URL")).connect()
    if stack.endswith("url-asyncpg"):
        import asyncio
        import asyncpg

        return asyncio.run(asyncpg.connect(get("DATABASE_URL"), timeout=10))
    if stack.endswith("pymysql"):
        import pymysql

        return pymysql.connect(
            host=get("DB_HOST"), port=int(get("DB_PORT")), user=get("DB_USER"),
            password=get("DB_PASSWORD"), database=get("DB_NAME"),
        )
    if stack.endswith("django"):
        return django({
            "ENGINE": "django.db.backends.postgresql", "HOST": get("DB_HOST"),
            "PORT": get("DB_PORT"), "USER": get("DB_USER"),
            "PASSWORD": get("DB_PASSWORD"), "NAME": get("DB_NAME"),
        })
    import psycopg

    return psycopg.connect(
        host=get("DB_HOST"), port=get("DB_PORT"), user=get("DB_USER"),
        password=get("DB_PASSWORD"), dbname=get("DB_NAME"),
    )


try:
    main()
except BaseException:
    os._exit(1)
os._exit(0)
