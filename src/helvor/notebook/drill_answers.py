"""Answers to drills: what a person gave, and what a class does not yet see."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

import psycopg
from psycopg.types.json import Jsonb

from helvor.core.practice.boxes import Answer
from helvor.notebook.page_errors import NotYours


@dataclass(frozen=True, slots=True)
class Given:
    """An answer as it was given: which case, and what was done."""

    id: UUID
    topic: str
    level: int
    seed: int
    given: Mapping[str, str]


def keep(conn: psycopg.Connection, account_id: int, one: Given, *, right: bool) -> None:
    """Keep an answer; sent twice it is kept once."""
    conn.execute(
        "INSERT INTO drill_answer (id, account_id, topic, level, seed, given, right_)"
        " VALUES (%s, %s, %s, %s, %s, %s, %s) ON CONFLICT (id) DO NOTHING",
        [one.id, account_id, one.topic, one.level, one.seed, Jsonb(dict(one.given)), right],
    )


def one_of(conn: psycopg.Connection, account_id: int, key: UUID) -> Given:
    """An answer of one's own.

    Raises:
        NotYours: there is none.
    """
    row = conn.execute(
        "SELECT id, topic, level, seed, given FROM drill_answer WHERE id = %s AND account_id = %s", [key, account_id]
    ).fetchone()
    if row is None:
        raise NotYours
    return Given(*row)


def answers_of(conn: psycopg.Connection, account_id: int) -> list[Answer]:
    """All answers of an account, oldest first."""
    rows = conn.execute(
        "SELECT topic, right_, at FROM drill_answer WHERE account_id = %s ORDER BY at, id", [account_id]
    )
    return [Answer(*row) for row in rows]


@dataclass(frozen=True, slots=True)
class TopicOfClass:
    """How a class answered a topic: benches that tried it, answers, right ones, benches whose last was wrong."""

    topic: str
    benches: int
    tried: int
    right: int
    last_wrong: tuple[int, ...]


def of_class(conn: psycopg.Connection, account_id: int, class_id: UUID) -> list[TopicOfClass]:
    """What the tablets of a class answered, by topic; the instructor's own answers are not among them."""
    rows = conn.execute(
        "WITH said AS (SELECT d.topic, d.right_, b.number,"
        " row_number() OVER (PARTITION BY d.topic, b.number ORDER BY d.at DESC, d.id) AS back"
        " FROM drill_answer d JOIN bench b ON b.worker_id = d.account_id"
        " JOIN instructor_of i ON i.class_id = b.class_id"
        " WHERE i.class_id = %s AND i.account_id = %s)"
        " SELECT topic, count(DISTINCT number), count(*), count(*) FILTER (WHERE right_),"
        " coalesce(array_agg(number ORDER BY number) FILTER (WHERE back = 1 AND NOT right_), '{}')"
        " FROM said GROUP BY topic ORDER BY topic",
        [class_id, account_id],
    )
    return [TopicOfClass(*(*row[:-1], tuple(row[-1]))) for row in rows]


@dataclass(frozen=True, slots=True)
class SetTopic:
    """A topic of a set that was given: how often it is to be right, how often it was right since, and tried."""

    topic: str
    times: int
    right: int
    tried: int

    @property
    def done(self) -> bool:
        return self.right >= self.times


def give(
    conn: psycopg.Connection, account_id: int, class_id: UUID, key: UUID, topics: Sequence[str], times: int
) -> None:
    """Give a set of topics to a class, in the place of the one before; none takes it back. Sent twice it is given once.

    Raises:
        NotYours: the account does not teach the class, or it is archived.
    """
    given = conn.execute(
        "INSERT INTO drill_set (id, class_id, given_by, topics, times)"
        " SELECT %(key)s, c.id, %(account)s, %(topics)s, %(times)s FROM class c"
        " JOIN instructor_of i ON i.class_id = c.id AND i.account_id = %(account)s"
        " WHERE c.id = %(class)s AND c.archived_at IS NULL ON CONFLICT (id) DO NOTHING RETURNING id",
        {"key": key, "class": class_id, "account": account_id, "topics": list(topics), "times": times},
    ).fetchone()
    if given is None:
        known = conn.execute(
            "SELECT FROM drill_set WHERE id = %s AND class_id = %s AND given_by = %s", [key, class_id, account_id]
        ).fetchone()
        if known is None:
            raise NotYours


_SET = """
SELECT t.topic, s.times, count(d.id) FILTER (WHERE d.right_), count(d.id)
FROM (SELECT * FROM drill_set WHERE class_id = %(class)s ORDER BY given_at DESC, id LIMIT 1) s
    CROSS JOIN LATERAL unnest(s.topics) WITH ORDINALITY AS t (topic, place)
    LEFT JOIN drill_answer d ON d.topic = t.topic AND d.at >= s.given_at AND d.account_id = %(account)s
GROUP BY t.topic, t.place, s.times ORDER BY t.place
"""


def set_of(conn: psycopg.Connection, account_id: int) -> list[SetTopic]:
    """What was given to the class of a tablet, and how far the tablet is; empty where nothing is given."""
    row = conn.execute("SELECT class_id FROM bench WHERE worker_id = %s", [account_id]).fetchone()
    if row is None or row[0] is None:
        return []
    return [SetTopic(*one) for one in conn.execute(_SET, {"class": row[0], "account": account_id})]


@dataclass(frozen=True, slots=True)
class SetOfClass:
    """How far a class is with a topic that was given: benches by number that are done, and that only began."""

    topic: str
    times: int
    done: tuple[int, ...]
    begun: tuple[int, ...]


def given_to(conn: psycopg.Connection, account_id: int, class_id: UUID) -> tuple[list[SetOfClass], int]:
    """What is given to a class, topic by topic, and how many benches it has; empty if the account does not teach it."""
    rows = conn.execute(
        "SELECT t.topic, s.times, b.number, count(d.id) FILTER (WHERE d.right_), count(d.id)"
        " FROM (SELECT x.* FROM drill_set x"
        "   JOIN instructor_of i ON i.class_id = x.class_id AND i.account_id = %(account)s"
        "   WHERE x.class_id = %(class)s ORDER BY x.given_at DESC, x.id LIMIT 1) s"
        " CROSS JOIN LATERAL unnest(s.topics) WITH ORDINALITY AS t (topic, place)"
        " JOIN bench b ON b.class_id = s.class_id AND b.number IS NOT NULL"
        " LEFT JOIN drill_answer d ON d.topic = t.topic AND d.at >= s.given_at AND d.account_id = b.worker_id"
        " GROUP BY t.topic, t.place, s.times, b.number ORDER BY t.place, b.number",
        {"class": class_id, "account": account_id},
    ).fetchall()
    found: dict[str, SetOfClass] = {}
    benches = set()
    for topic, times, number, right, tried in rows:
        benches.add(number)
        before = found.get(topic, SetOfClass(topic, times, (), ()))
        done = (*before.done, number) if right >= times else before.done
        begun = (*before.begun, number) if tried and right < times else before.begun
        found[topic] = SetOfClass(topic, times, done, begun)
    return list(found.values()), len(benches)
