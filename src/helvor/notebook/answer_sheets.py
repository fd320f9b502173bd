"""What instructors set for the answers of a class: per work, which is a procedure's title or *plates*."""

from __future__ import annotations

from collections.abc import Mapping
from uuid import UUID

import psycopg
from psycopg.types.json import Jsonb

from helvor.core.review.answers import SheetSettings
from helvor.notebook.page_errors import NotYours

PLATES = "plates"
"""The work under which the answers of a class's plates are set."""


def settings_of(conn: psycopg.Connection, class_id: UUID | None, work: str) -> SheetSettings:
    """What is set for a work, for who may see its pages already; the front bench hides nothing from itself."""
    if class_id is None:
        return SheetSettings(shows="hint")
    row = conn.execute(
        "SELECT settings FROM answer_sheet WHERE class_id = %s AND work = %s", [class_id, work]
    ).fetchone()
    return SheetSettings.model_validate(row[0]) if row else SheetSettings()


def all_settings(conn: psycopg.Connection, account_id: int, class_id: UUID) -> Mapping[str, SheetSettings]:
    """Everything that is set in a class that the account teaches, by work."""
    rows = conn.execute(
        "SELECT s.work, s.settings FROM answer_sheet s JOIN instructor_of t ON t.class_id = s.class_id"
        " AND t.account_id = %s WHERE s.class_id = %s",
        [account_id, class_id],
    )
    return {work: SheetSettings.model_validate(settings) for work, settings in rows}


def keep(conn: psycopg.Connection, account_id: int, class_id: UUID, work: str, settings: SheetSettings) -> None:
    """Set a work's sheet.

    Raises:
        NotYours: the account is no instructor of the class.
    """
    with conn.transaction():
        mine = conn.execute(
            "SELECT FROM instructor_of t JOIN account a ON a.id = t.account_id AND a.role = 'instructor'"
            " WHERE t.class_id = %s AND t.account_id = %s",
            [class_id, account_id],
        ).fetchone()
        if mine is None:
            raise NotYours
        conn.execute(
            "INSERT INTO answer_sheet (class_id, work, settings, changed_by) VALUES (%s, %s, %s, %s)"
            " ON CONFLICT (class_id, work) DO UPDATE SET settings = excluded.settings,"
            " changed_by = excluded.changed_by, changed_at = now()",
            [class_id, work, Jsonb(settings.model_dump(mode="json", exclude_defaults=True)), account_id],
        )
