"""How many bytes of files and photographs a bench and an institution may keep, said before they are full."""

from __future__ import annotations

from uuid import UUID

import psycopg

from helvor.core.record.entry import Problem

MOST_OF_A_BENCH = 250 * 1024 * 1024
"""A dozen photographs of each of twenty plates."""
MOST_OF_AN_INSTITUTION = 50 * 1024 * 1024 * 1024
NEARLY = 0.8

_HELD = """
WITH here AS (
    SELECT b.id AS bench, coalesce(c.institution_id, o.institution_id) AS institution
    FROM page p JOIN bench b ON b.id = p.bench_id LEFT JOIN class c ON c.id = b.class_id
        LEFT JOIN account o ON o.id = b.account_id WHERE p.id = %(page)s
), held AS (
    SELECT page_id, octet_length(content) + coalesce(octet_length(thumbnail), 0) AS bytes FROM attachment
    UNION ALL SELECT page_id, octet_length(content) + octet_length(shown) FROM photograph
)
SELECT coalesce(sum(h.bytes) FILTER (WHERE b.id = here.bench), 0), coalesce(sum(h.bytes), 0)
FROM here, held h JOIN page p ON p.id = h.page_id JOIN bench b ON b.id = p.bench_id
    LEFT JOIN class c ON c.id = b.class_id LEFT JOIN account o ON o.id = b.account_id
WHERE coalesce(c.institution_id, o.institution_id) = here.institution
"""


def _held(conn: psycopg.Connection, page_id: UUID) -> tuple[int, int]:
    """Bytes that the page's bench keeps, and its institution; contents are not read for it, only their lengths."""
    row = conn.execute(_HELD, {"page": page_id}).fetchone()
    return (int(row[0]), int(row[1])) if row else (0, 0)


def check_room(conn: psycopg.Connection, page_id: UUID, size: int) -> None:
    """Refuse a file for which there is no room.

    Raises:
        Problem: with how much is kept, and what to do.
    """
    bench, institution = _held(conn, page_id)
    if bench + size > MOST_OF_A_BENCH:
        raise Problem(
            "file",
            f"This bench stores {_mb(bench)} of files; the limit is {_mb(MOST_OF_A_BENCH)}. Send a smaller file, "
            "or store it elsewhere and note where.",
        )
    if institution + size > MOST_OF_AN_INSTITUTION:
        raise Problem(
            "file",
            f"The institution stores {_mb(institution)} of files, its limit. The person who runs this "
            "Helvor can raise it; until then note where the file is.",
        )


def nearly_full(conn: psycopg.Connection, page_id: UUID) -> str:
    """What is said beside the field before there is no more room; empty while there is plenty."""
    bench, institution = _held(conn, page_id)
    if bench > NEARLY * MOST_OF_A_BENCH:
        return f"This bench stores {_mb(bench)} of files; the limit is {_mb(MOST_OF_A_BENCH)}."
    if institution > NEARLY * MOST_OF_AN_INSTITUTION:
        return f"The institution stores {_mb(institution)} of files; the limit is {_mb(MOST_OF_AN_INSTITUTION)}."
    return ""


def _mb(size: int) -> str:
    mb = size / (1024 * 1024)
    return f"{mb:.0f} MB" if mb < 1000 else f"{mb / 1024:.1f} GB"
