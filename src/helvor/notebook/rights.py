"""Who may do what in the database: one role owns, another serves.

Rights 1. The role that serves owns nothing, is no superuser, and reads everything in the notebook.
Rights 2. What is in ink it may add to, never change, delete or truncate; triggers refuse it to every role besides.
Rights 3. Elsewhere it may change the columns named here, and delete where a thing may go.
Rights 4. Taking names out of ink is one function of the owner's (``take_name_out``), with checks of its own.
Rights 5. Whoever migrates settles the rights again, so that an older database moves over by itself.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import psycopg
from psycopg.sql import SQL, Composed, Identifier, Literal

OWNER = "helvor_owner"
"""Owns everything on a private server; nobody signs in as this role."""
APP = "helvor_app"
"""Serves, on a private server."""


@dataclass(frozen=True, slots=True)
class Rights:
    """What the serving role may do with a table beside reading it.

    Attributes:
        insert: the columns that it may set; empty for all of them.
        update: the columns that it may change.
        delete: whether rows may go.
    """

    insert: tuple[str, ...] = ()
    update: tuple[str, ...] = ()
    delete: bool = False


INK = Rights()

RIGHTS: Mapping[str, Rights | None] = {
    # In ink. When an entry was recorded the database says itself.
    "entry": Rights(
        insert=("id", "page_id", "seq", "kind", "payload", "strikes", "reason", "author_id", "written_at", "typed")
    ),
    "room_entry": INK,
    # Locked while something is added to it, which wants a column to change; a trigger refuses the change itself.
    "container": Rights(update=("made_at",)),
    "container_note": INK,
    "account_event": INK,
    "photograph": INK,
    "attachment": INK,
    "procedure_version": INK,
    "procedure_draft": INK,
    "handout_correction": INK,
    "shelf_value": INK,
    "drill_answer": INK,
    "drill_set": INK,
    "rehearsal": Rights(update=("started_at",)),  # locked in the same way
    "rehearsal_choice": INK,
    # Read only: written by the owner's own functions and commands.
    "migration": None,
    "name_taken_out": None,
    # People and classes.
    "institution": Rights(update=("name", "time_zone", "house_rules")),
    "account": Rights(update=("name", "role", "password_hash")),
    "session": Rights(update=("device", "account_id"), delete=True),
    "sign_in_attempt": Rights(delete=True),
    "password_reset": Rights(update=("used_at",)),
    "invitation": Rights(update=("token_sha256", "used_by", "withdrawn_at")),
    "class": Rights(update=("code", "title", "course", "archived_at")),
    "instructor_of": Rights(update=("account_id",), delete=True),
    "meeting": Rights(update=("starts_at", "ends_at", "topic"), delete=True),
    "bench": Rights(update=("pair", "worker_id", "own_code", "own_code_until", "locked_at"), delete=True),
    "join_code": Rights(update=("code", "made_by", "expires_at"), delete=True),
    "class_kit": Rights(update=("count",), delete=True),
    "prep_done": Rights(delete=True),
    "answer_sheet": Rights(update=("settings", "changed_by", "changed_at")),
    "unknown_sample": Rights(update=("holds",), delete=True),
    "unknown_dealt": Rights(update=("number", "how", "dealt_by", "dealt_at"), delete=True),
    "unknown_released": Rights(delete=True),
    "procedure": Rights(update=("draft",)),
    # Projections, and what waits for somebody: it can be made again.
    "page": Rights(update=("entries", "summary", "behind", "procedure_id", "procedure_version", "rewritten_at")),
    "photograph_reading": Rights(
        update=("number", "asked", "stage", "told_at", "proposal", "straight", "trouble"), delete=True
    ),
    "report_job": Rights(update=("done", "content", "trouble", "told_at"), delete=True),
    "import_draft": Rights(update=("done_at",), delete=True),
    "column_mapping": Rights(update=("mapping", "changed_by", "changed_at")),
}
"""Table → what the serving role may do with it beside reading. A table that is not named here cannot be served."""


class NotSettled(RuntimeError):
    """The rights of a database cannot be settled, or are not what serving wants; one sentence."""


def make_roles(conn: psycopg.Connection, password: str) -> None:
    """Make the two roles of a private server, or give the serving one this password again.

    Args:
        conn: an autocommit connection of a superuser.
    """
    known = {name for (name,) in conn.execute("SELECT rolname FROM pg_roles WHERE rolname IN (%s, %s)", [OWNER, APP])}
    if OWNER not in known:
        conn.execute(SQL("CREATE ROLE {} NOLOGIN").format(Identifier(OWNER)))
    if APP not in known:
        conn.execute(SQL("CREATE ROLE {}").format(Identifier(APP)))
    conn.execute(
        SQL("ALTER ROLE {} LOGIN NOSUPERUSER NOCREATEDB NOCREATEROLE NOBYPASSRLS NOREPLICATION PASSWORD {}").format(
            Identifier(APP), Literal(password)
        )
    )


def settle(conn: psycopg.Connection, app: str, owner: str | None = None) -> None:
    """Give the serving role exactly its rights (Rights 1 to 3), whatever it had before.

    Args:
        conn: an autocommit connection of the owner, or of a superuser.
        app: the role that serves.
        owner: to whom everything is to belong; None leaves it where it is.

    Raises:
        NotSettled: there is a table that :data:`RIGHTS` does not name.
    """
    tables = [
        name for (name,) in conn.execute("SELECT tablename FROM pg_tables WHERE schemaname = 'public' ORDER BY 1")
    ]
    unnamed = [name for name in tables if name not in RIGHTS]
    if unnamed:
        raise NotSettled(f"Nobody said who may do what with {', '.join(unnamed)}.")
    with conn.transaction():
        if owner is not None:
            _belongs(conn, owner)
        who = Identifier(app)
        conn.execute(SQL("REVOKE ALL ON ALL TABLES IN SCHEMA public FROM {}, PUBLIC").format(who))
        conn.execute(SQL("REVOKE ALL ON ALL SEQUENCES IN SCHEMA public FROM {}, PUBLIC").format(who))
        conn.execute(SQL("REVOKE CREATE ON SCHEMA public FROM {}, PUBLIC").format(who))
        conn.execute(SQL("GRANT USAGE ON SCHEMA public TO {}").format(who))
        conn.execute(SQL("GRANT SELECT ON ALL TABLES IN SCHEMA public TO {}").format(who))
        for table in tables:
            rights = RIGHTS[table]
            if rights is None:
                continue
            for what, columns in (("INSERT", rights.insert), ("UPDATE", rights.update)):
                if what == "INSERT" or columns:
                    conn.execute(_grant(what, columns, table, who))
            if rights.delete:
                conn.execute(_grant("DELETE", (), table, who))
        conn.execute("REVOKE EXECUTE ON FUNCTION take_name_out(bigint, text, uuid, jsonb, text) FROM PUBLIC")
        conn.execute(SQL("GRANT EXECUTE ON FUNCTION take_name_out(bigint, text, uuid, jsonb, text) TO {}").format(who))


def _grant(what: str, columns: tuple[str, ...], table: str, who: Identifier) -> Composed:
    named = SQL(" ({})").format(SQL(", ").join(map(Identifier, columns))) if columns else SQL("")
    return SQL("GRANT {}{} ON {} TO {}").format(SQL(what), named, Identifier(table), who)


def _belongs(conn: psycopg.Connection, owner: str) -> None:
    """Give everything in the schema to a role."""
    to = Identifier(owner)
    found = conn.execute(
        "SELECT c.relkind, c.relname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace"
        " WHERE n.nspname = 'public' AND c.relkind IN ('r', 'v') AND pg_get_userbyid(c.relowner) <> %s",
        [owner],
    ).fetchall()
    for kind, name in found:
        # A table takes its own sequences along.
        what = SQL("TABLE") if kind in ("r", b"r") else SQL("VIEW")
        conn.execute(SQL("ALTER {} {} OWNER TO {}").format(what, Identifier(name), to))
    functions = conn.execute(
        "SELECT p.oid::regprocedure::text FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace"
        " WHERE n.nspname = 'public' AND pg_get_userbyid(p.proowner) <> %s",
        [owner],
    ).fetchall()
    for (signature,) in functions:
        conn.execute(SQL("ALTER FUNCTION {} OWNER TO {}").format(SQL(signature), to))
    conn.execute(SQL("GRANT USAGE ON SCHEMA public TO {}").format(to))


def too_much(conn: psycopg.Connection) -> str:
    """What the role of a connection may do that serving does not want, in a few words; empty if nothing."""
    row = conn.execute(
        "SELECT rolsuper, rolcreaterole OR rolreplication OR rolbypassrls,"
        " EXISTS (SELECT FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE n.nspname = 'public'"
        "  AND c.relkind = 'r' AND pg_has_role(r.oid, c.relowner, 'USAGE')),"
        " has_schema_privilege('public', 'CREATE'),"
        " coalesce(has_table_privilege(to_regclass('public.entry'), 'UPDATE, DELETE, TRUNCATE'), false)"
        " FROM pg_roles r WHERE rolname = current_user"
    ).fetchone()
    assert row is not None
    words = (
        "is a superuser",
        "may make roles or copy the server",
        "owns the tables",
        "may make tables",
        "may change what is in ink",
    )
    return next((said for has, said in zip(row, words, strict=True) if has), "")
