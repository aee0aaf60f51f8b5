"""Lets a client of Python fail, and prints what it says: fail.py CLIENT HOST PORT USER PASSWORD
DATABASE. Ends with 0 if it did not fail.
"""
import sys
import traceback

client, host, port, user, password, database = sys.argv[1:7]
port = int(port)


def psycopg2():
    import psycopg2

    psycopg2.connect(host=host, port=port, user=user, password=password, dbname=database, connect_timeout=4)


def psycopg():
    import psycopg

    psycopg.connect(host=host, port=port, user=user, password=password, dbname=database, connect_timeout=4)


def asyncpg():
    import asyncio

    import asyncpg

    asyncio.run(asyncpg.connect(host=host, port=port, user=user, password=password, database=database, timeout=4))


def pymysql():
    import pymysql

    pymysql.connect(host=host, port=port, user=user, password=password, database=database, connect_timeout=4)


def pymongo():
    from pymongo import MongoClient

    client = MongoClient(host, port, username=user, password=password, authSource=database, serverSelectionTimeoutMS=2500, connectTimeoutMS=1500)
    client.admin.command("ping")


def sqlalchemy():
    from sqlalchemy import URL, create_engine

    url = URL.create("postgresql+psycopg2", user, password, host, port, database)
    create_engine(url, connect_args={"connect_timeout": 4}).connect()


def sqlalchemy_mysql():
    from sqlalchemy import URL, create_engine

    url = URL.create("mysql+pymysql", user, password, host, port, database)
    create_engine(url, connect_args={"connect_timeout": 4}).connect()


def django():
    from django.conf import settings

    settings.configure(
        DATABASES={
            "default": {
                "ENGINE": "django.db.backends.postgresql",
                "HOST": host,
                "PORT": port,
                "USER": user,
                "PASSWORD": password,
                "NAME": database,
                "OPTIONS": {"connect_timeout": 4},
            }
        }
    )
    import django as module

    module.setup()
    from django.db import connection

    connection.ensure_connection()


try:
    globals()[client]()
except Exception:
    traceback.print_exc()
    sys.exit(1)
