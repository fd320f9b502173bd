"""Connections to the notebook's database."""

from __future__ import annotations

import time

import psycopg
from psycopg_pool import ConnectionPool

STATEMENT_TIMEOUT_MS = 10_000
LOCK_TIMEOUT_MS = 5_000
IDLE_IN_TRANSACTION_MS = 30_000
PATIENCE = 4.0
"""Seconds that a request waits for a connection before its asker is told to come again."""


def connect(url: str) -> psycopg.Connection:
    """One autocommit connection, for commands and migrations."""
    return psycopg.connect(url, autocommit=True)


IDLE_SECONDS = 5.0
"""A connection taken less long ago is taken as it is; after that it is asked first whether it still lives."""


def _check_idle(conn: psycopg.Connection) -> None:
    """Ask a connection that has idled whether it still lives; asking each time would be half of a small request."""
    now = time.monotonic()
    if now - getattr(conn, "taken_at", -IDLE_SECONDS) >= IDLE_SECONDS:
        ConnectionPool.check_connection(conn)
    conn.taken_at = now  # type: ignore[attr-defined]  # a mark of ours


def open_pool(url: str, *, size: int = 8) -> ConnectionPool:
    """A pool of autocommit connections; transactions are opened where they are needed.

    Raises:
        psycopg_pool.PoolTimeout: the server does not answer within ten seconds; later, a connection is not free
            within :data:`PATIENCE`.
    """
    pool = ConnectionPool(
        url,
        min_size=1,
        max_size=size,
        open=False,
        timeout=PATIENCE,
        check=_check_idle,
        kwargs={
            "autocommit": True,
            "application_name": "helvor",
            "options": f"-c statement_timeout={STATEMENT_TIMEOUT_MS} -c lock_timeout={LOCK_TIMEOUT_MS}"
            f" -c idle_in_transaction_session_timeout={IDLE_IN_TRANSACTION_MS}",
        },
    )
    pool.open(wait=True, timeout=10)
    return pool
