"""Connections to the notebook's database."""

from __future__ import annotations

import psycopg
from psycopg_pool import ConnectionPool

STATEMENT_TIMEOUT_MS = 10_000


def connect(url: str) -> psycopg.Connection:
    """One autocommit connection, for commands and migrations."""
    return psycopg.connect(url, autocommit=True)


def open_pool(url: str, *, size: int = 8) -> ConnectionPool:
    """A pool of autocommit connections; transactions are opened where they are needed.

    Raises:
        psycopg_pool.PoolTimeout: the server does not answer within ten seconds.
    """
    pool = ConnectionPool(
        url,
        min_size=1,
        max_size=size,
        open=False,
        timeout=10,
        check=ConnectionPool.check_connection,
        kwargs={"autocommit": True, "options": f"-c statement_timeout={STATEMENT_TIMEOUT_MS}"},
    )
    pool.open(wait=True, timeout=10)
    return pool
