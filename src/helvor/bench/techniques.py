"""Where techniques are registered. A new technique adds one entry to ``TECHNIQUES``.

The notebook, the board and the procedure builder know a technique only through what
stands here.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Annotated, Any, Union
from uuid import UUID

from pydantic import Field, TypeAdapter

from helvor.bench.column import craft as column
from helvor.bench.crystallization import craft as crystallization
from helvor.bench.entry import Entry, Payload
from helvor.bench.extraction import craft as extraction
from helvor.bench.filtration import craft as filtration
from helvor.bench.house_rules import HouseRules
from helvor.bench.planar import plate as planar
from helvor.bench.planar import work_out as planar_work_out
from helvor.bench.precipitation import craft as precipitation
from helvor.bench.run import entries as run_entries
from helvor.bench.run import record as run_record
from helvor.bench.run import work_out as run_work_out
from helvor.bench.run.craft import Crafts
from helvor.bench.safety import craft as safety
from helvor.bench.solids import craft as solids
from helvor.bench.step_kinds import StepKind
from helvor.bench.worksheet import Worksheet


@dataclass(frozen=True)
class Technique:
    """What the rest of the house needs to know of a technique.

    Attributes:
        key: its short name, kept in the notebook.
        title: what a page of it is called, such as ``Plate``.
        address: where its pages are on the web, such as ``/plates``.
        payloads: reads any of its kinds of entry.
        gather: folds entries into the state that the checks look at; its ``lines`` are the lines of ink.
        check: refuses an entry that this state cannot hold (:class:`~helvor.bench.entry.Problem`).
        twin: the standing entry that a payload takes the place of, where only one may stand.
        work_out: entries → worksheet.
    """

    key: str
    title: str
    address: str
    payloads: TypeAdapter[Any]
    gather: Callable[[Iterable[Entry]], Any]
    check: Callable[[Any, Payload, UUID | None], None]
    twin: Callable[[Any, Payload], UUID | None]
    work_out: Callable[[Iterable[Entry], HouseRules, Mapping[str, int]], Worksheet]


CRAFTS = Crafts(
    (
        safety.CRAFT,
        filtration.CRAFT,
        precipitation.CRAFT,
        solids.CRAFT,
        extraction.CRAFT,
        column.CRAFT,
        crystallization.CRAFT,
    ),
    more_kinds=planar.STEP_KINDS,
)
"""Techniques that are carried out inside a run. A new one adds its name here."""

RUN_PAYLOADS = (*run_entries.GENERAL, *(payload for craft in CRAFTS.all for payload in craft.payloads))
RunPayload: Any = Annotated[Union[RUN_PAYLOADS], Field(discriminator="kind")]  # noqa: UP007  built from a list
"""Any kind of entry that can be written on a run's page."""


def _work_out_run(entries: Iterable[Entry], rules: HouseRules, rank: Mapping[str, int]) -> Worksheet:
    return run_work_out.work_out(entries, rules, CRAFTS)


TECHNIQUES: dict[str, Technique] = {
    technique.key: technique
    for technique in (
        Technique(
            key="run",
            title="Run",
            address="/runs",
            payloads=TypeAdapter(RunPayload),
            gather=run_record.gather,
            check=run_record.check,
            twin=run_record.standing_twin,
            work_out=_work_out_run,
        ),
        Technique(
            key="planar",
            title="Plate",
            address="/plates",
            payloads=TypeAdapter(planar.AnyPayload),
            gather=planar.gather,
            check=planar.check,
            twin=planar.standing_twin,
            work_out=planar_work_out.work_out,
        ),
    )
}

STEP_KINDS: Mapping[str, StepKind] = CRAFTS.kinds
"""Every kind of step, by key, in the order of the palette."""
