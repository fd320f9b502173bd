"""What a class found and answered, as tables."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from helvor.core.review.answers import Marked, SheetSettings, points, total
from helvor.core.review.side_by_side import Measure

ANSWER_COLUMNS = (
    "bench",
    "question",
    "unit",
    "when",
    "answer",
    "verdict",
    "record_gives",
    "remark",
    "usual_mistakes",
    "points",
    "of_points",
)


def answer_rows(marks: Mapping[int, Sequence[Marked]], settings: SheetSettings) -> Iterable[tuple[object, ...]]:
    """A row for every question of every bench, and one with its points together."""
    for bench, mine in sorted(marks.items()):
        for mark in mine:
            q = mark.question
            yield (
                bench,
                q.label,
                q.unit,
                q.when,
                mark.answer.written if mark.answer else "",
                mark.verdict if mark.answer else "missing",
                mark.right,
                mark.says,
                "; ".join(mark.keys),
                points(mark, settings) if mark.answer else 0.0,
                settings.of(q).points,
            )
        reached, full = total(mine, settings)
        yield (bench, "all together", "", "", "", "", "", "", "", reached, full)


NUMBER_COLUMNS = (
    "measure",
    "about",
    "unit",
    "expected",
    "median",
    "lower_quartile",
    "upper_quartile",
    "bench",
    "value",
    "u",
    "apart",
)


def number_rows(measures: Iterable[Measure]) -> Iterable[tuple[object, ...]]:
    """A row for every bench of every measure, with the class's middle beside it."""
    for m in measures:
        middle = m.spread
        for one in m.numbers:
            yield (
                m.label,
                m.about,
                m.unit,
                m.expected,
                middle.median,
                middle.low,
                middle.high,
                one.bench,
                one.value,
                one.u,
                "yes" if one.apart else "",
            )
