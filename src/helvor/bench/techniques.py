"""Where techniques are registered. A new technique adds one entry to ``TECHNIQUES``.

The notebook, the board and the procedure builder know a technique only through what
stands here.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from pydantic import TypeAdapter

from helvor.bench.entry import Entry, Payload
from helvor.bench.house_rules import HouseRules
from helvor.bench.planar import plate as planar
from helvor.bench.planar import work_out as planar_work_out
from helvor.bench.run import entries as run_entries
from helvor.bench.run import record as run_record
from helvor.bench.run import work_out as run_work_out
from helvor.bench.step_kinds import GENERAL, StepKind
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
        step_kinds: the kinds of step that it brings into procedures.
    """

    key: str
    title: str
    address: str
    payloads: TypeAdapter[Any]
    gather: Callable[[Iterable[Entry]], Any]
    check: Callable[[Any, Payload, UUID | None], None]
    twin: Callable[[Any, Payload], UUID | None]
    work_out: Callable[[Iterable[Entry], HouseRules, Mapping[str, int]], Worksheet]
    step_kinds: tuple[StepKind, ...] = ()


def _work_out_run(entries: Iterable[Entry], rules: HouseRules, rank: Mapping[str, int]) -> Worksheet:
    return run_work_out.work_out(entries, rules, STEP_KINDS)


TECHNIQUES: dict[str, Technique] = {
    technique.key: technique
    for technique in (
        Technique(
            key="run",
            title="Run",
            address="/runs",
            payloads=TypeAdapter(run_entries.AnyPayload),
            gather=run_record.gather,
            check=run_record.check,
            twin=run_record.standing_twin,
            work_out=_work_out_run,
            step_kinds=GENERAL,
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
            step_kinds=planar.STEP_KINDS,
        ),
    )
}

STEP_KINDS: dict[str, StepKind] = {kind.key: kind for technique in TECHNIQUES.values() for kind in technique.step_kinds}
"""Every kind of step, by key, in the order of the palette."""
