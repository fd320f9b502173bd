"""Where techniques are registered.

The notebook, the board and the procedure builder know a technique only through what
stands here. One of ours adds its name to ``TECHNIQUES``; one that a house brings itself
is a package of its own, named in the environment.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from importlib import import_module
from typing import Annotated, Any, Union
from uuid import UUID

from pydantic import Field, TypeAdapter

from helvor.core.engine.run import entries as run_entries
from helvor.core.engine.run import record as run_record
from helvor.core.engine.run import work_out as run_work_out
from helvor.core.engine.technique import Techniques
from helvor.core.record.entry import Entry, Payload
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.step_kinds import StepKind
from helvor.core.record.worksheet import Worksheet
from helvor.core.techniques.column import technique as column
from helvor.core.techniques.crystallization import technique as crystallization
from helvor.core.techniques.extraction import technique as extraction
from helvor.core.techniques.filtration import technique as filtration
from helvor.core.techniques.planar import plate as planar
from helvor.core.techniques.planar import work_out as planar_work_out
from helvor.core.techniques.precipitation import technique as precipitation
from helvor.core.techniques.safety import technique as safety
from helvor.core.techniques.solids import technique as solids


@dataclass(frozen=True)
class PageKind:
    """What the rest of the house needs to know of a technique.

    Attributes:
        key: its short name, kept in the notebook.
        title: what a page of it is called, such as ``Plate``.
        address: where its pages are on the web, such as ``/plates``.
        payloads: reads any of its kinds of entry.
        gather: folds entries into the state that the checks look at; its ``lines`` are the lines of ink.
        check: refuses an entry that this state cannot hold (:class:`~helvor.core.record.entry.Problem`).
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


BROUGHT = tuple(os.environ.get("HELVOR_TECHNIQUES", "").split())
"""Packages of techniques that a house brings itself. Each has a module ``technique`` with its ``TECHNIQUE``,
and may have one ``page`` with what the web shows of it (``ON_PAGE``, ``CALCULATORS``, ``ROUTES``)."""

TECHNIQUES = Techniques(
    (
        safety.TECHNIQUE,
        filtration.TECHNIQUE,
        precipitation.TECHNIQUE,
        solids.TECHNIQUE,
        extraction.TECHNIQUE,
        column.TECHNIQUE,
        crystallization.TECHNIQUE,
        *(import_module(f"{name}.technique").TECHNIQUE for name in BROUGHT),
    ),
    more_kinds=planar.STEP_KINDS,
)
"""Techniques that are carried out inside a run. A new one adds its name here."""

RUN_PAYLOADS = (*run_entries.GENERAL, *(payload for technique in TECHNIQUES.all for payload in technique.payloads))
RunPayload: Any = Annotated[Union[RUN_PAYLOADS], Field(discriminator="kind")]  # noqa: UP007  built from a list
"""Any kind of entry that can be written on a run's page."""


def _work_out_run(entries: Iterable[Entry], rules: HouseRules, rank: Mapping[str, int]) -> Worksheet:
    return run_work_out.work_out(entries, rules, TECHNIQUES)


PAGE_KINDS: dict[str, PageKind] = {
    technique.key: technique
    for technique in (
        PageKind(
            key="run",
            title="Run",
            address="/runs",
            payloads=TypeAdapter(RunPayload),
            gather=run_record.gather,
            check=run_record.check,
            twin=run_record.standing_twin,
            work_out=_work_out_run,
        ),
        PageKind(
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

STEP_KINDS: Mapping[str, StepKind] = TECHNIQUES.kinds
"""Every kind of step, by key, in the order of the palette."""
