"""The containers of a run with their tares."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from helvor.core.engine.run.record import Run
from helvor.core.engine.run.tares import Tare, is_blank
from helvor.core.engine.run.work_out import RunWorksheet
from helvor.core.quantities.measured import shown
from helvor.core.techniques.registered import STEP_KINDS


@dataclass(frozen=True, slots=True)
class TareShown:
    """A container that the run uses, and whether its tare is known; ``registered`` is what the class's register has."""

    label: str
    mass: str
    how: str
    needed: bool
    registered: str = ""


def _pans(run: Run) -> dict[frozenset[str], tuple[str, ...]]:
    """Everything that stands or should stand on a pan, by its labels in lower case; blank papers left out."""
    pans: dict[frozenset[str], tuple[str, ...]] = {}
    for step in run.procedure.steps:
        if step.container and step.kind in STEP_KINDS and STEP_KINDS[step.kind].weighs:
            pans.setdefault(frozenset(label.casefold() for label in step.container), step.container)
    for on in run.weighings:
        if on.weighed.way == "gross":
            pans.setdefault(on.weighed.pan, on.weighed.container)
    return {key: pan for key, pan in pans.items() if not is_blank(key)}


def _has_tare(tare: Tare | None) -> bool:
    return tare is not None and tare.mass is not None


def tares_shown(sheet: RunWorksheet, registered: Mapping[str, str]) -> list[TareShown]:
    """The containers of the run with their tares; what is weighed later and has none is asked for."""
    listed = []
    tares = sheet.ledger.tares
    for key, pan in _pans(sheet.run).items():
        tare = tares.get(key)
        # What stands on the pan in parts that all have a tare needs none of its own.
        if tare is None and len(pan) > 1 and all(_has_tare(tares.get(frozenset([one.casefold()]))) for one in pan):
            continue
        known = _has_tare(tare)
        how = tare.how if tare is not None else "missing"
        mass = shown(tare.mass) if tare is not None and tare.mass is not None else ""
        code = registered.get(pan[0].casefold(), "") if len(pan) == 1 and not known else ""
        listed.append(TareShown(" + ".join(pan), mass, how, not known, code))
    return listed
