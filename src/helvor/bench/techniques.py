"""Where techniques are registered. A new technique adds one line to ``TECHNIQUES``.

The notebook and the pages know a technique only through what stands here.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from pydantic import TypeAdapter

from helvor.bench.entry import Entry, Payload
from helvor.bench.planar import plate as planar
from helvor.bench.planar import work_out as planar_work_out
from helvor.bench.worksheet import HouseRules, Worksheet


@dataclass(frozen=True)
class Technique:
    """What the rest of the house needs to know of a technique.

    Attributes:
        key: its short name, kept in the notebook.
        title: what a page of it is called, such as ``Plate``.
        payloads: reads any of its kinds of entry.
        gather: folds entries into the state that the checks look at; its ``lines`` are the lines of ink.
        check: refuses an entry that this state cannot hold (:class:`~helvor.bench.entry.Problem`).
        twin: the standing entry that a payload takes the place of, where only one may stand.
        work_out: entries → worksheet.
    """

    key: str
    title: str
    payloads: TypeAdapter[Any]
    gather: Callable[[Iterable[Entry]], Any]
    check: Callable[[Any, Payload, UUID | None], None]
    twin: Callable[[Any, Payload], UUID | None]
    work_out: Callable[[Iterable[Entry], HouseRules, Mapping[str, int]], Worksheet]


TECHNIQUES: dict[str, Technique] = {
    technique.key: technique
    for technique in (
        Technique(
            key="planar",
            title="Plate",
            payloads=TypeAdapter(planar.AnyPayload),
            gather=planar.gather,
            check=planar.check,
            twin=planar.standing_twin,
            work_out=planar_work_out.work_out,
        ),
    )
}
