"""What a pool of a column weighs: more than was loaded is silica, grease or solvent."""

from __future__ import annotations

from collections.abc import Iterator

from helvor.core.engine.run.account import PortionMass
from helvor.core.engine.run.case import COVERAGE, Case
from helvor.core.engine.technique import Cause
from helvor.core.quantities.reading import digits
from helvor.core.record.finding import Finding
from helvor.core.record.procedure import same
from helvor.core.techniques.column.rack import ELUTE, Column, column_of


def columns(case: Case) -> Iterator[tuple[int, Column]]:
    """Each eluting step with its column."""
    for number, step in enumerate(case.run.procedure.steps, 1):
        if step.kind == ELUTE:
            yield number, column_of(case.run, case.ledger, step)


def check_products(case: Case) -> Iterator[Finding]:
    """A pool heavier than all its compound: silica or solvent in it."""
    for portion, over in _too_heavy(case):
        dry = portion.constancy is not None and portion.constancy.state == "constant"
        yield Finding(
            "silica-in-product",
            "caution",
            f"{portion.name}: {digits(over, 2)} mg more than was loaded of {portion.said.component}.",
            "It contains silica or grease: it is at constant mass, so it is hardly solvent."
            if dry
            else "It contains solvent, silica or grease.",
            FILTER_AGAIN if dry else f"Evaporate to constant mass first. If it stays too heavy: {FILTER_AGAIN.lower()}",
            about=portion.name,
        )


FILTER_AGAIN = "Take it up in a little eluent, filter through cotton and a fine paper, evaporate again."


def silica_in_it(case: Case) -> Iterator[Cause]:
    """A pool that is heavier than what was loaded of its compound holds silica or grease."""
    for portion, over in _too_heavy(case):
        what = "Silica or grease of the column is in it."
        points = (f"{digits(over, 2)} mg more than was loaded",)
        yield Cause("silica-in-product", "gain", what, points, 0.7, over / 1000, portion=portion.name, do=FILTER_AGAIN)


def _too_heavy(case: Case) -> Iterator[tuple[PortionMass, float]]:
    """The products of a column that weigh more than all that was loaded of their compound, and by how many mg."""
    masses: dict[str, float] = {}
    for _, column in columns(case):
        masses |= column.masses
    for portion in case.ledger.portions.values():
        if portion.said.end != "product" or portion.mass is None:
            continue
        known = next((mg for name, mg in masses.items() if same(name, portion.said.component)), None)
        if known is None:
            continue
        over = 1000 * portion.mass.value - known
        if over > COVERAGE * 1000 * portion.mass.u:
            yield portion, over
