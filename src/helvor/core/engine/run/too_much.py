"""A mass that is too high: which of the usual causes fit it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from helvor.core.engine.run.account import PortionMass, Yield
from helvor.core.engine.run.case import COVERAGE, Case, grams, join
from helvor.core.record.procedure import same


def cause_words(causes: list[tuple[str, str]]) -> str:
    """The likeliest causes as one sentence; empty without one."""
    return f"Most likely {join([cause for cause, _ in causes[:3]])}." if causes else ""


@dataclass(frozen=True, slots=True)
class _Likely:
    """A cause of a mass that is too high; the smaller its rank, the likelier."""

    rank: float
    cause: str
    do: str


def _tares_left_in(case: Case, portions: Sequence[PortionMass], excess: float, near: float) -> Iterator[_Likely]:
    """A container whose tare is just the excess and that stood on a pan without a tare of its own."""
    for portion in portions:
        for net in portion.nets:
            for label in net.on.weighed.container:
                tare = case.ledger.tares.get(frozenset([label.casefold()]))
                if tare and tare.mass and abs(tare.mass.value - excess) <= near and net.on.weighed.way == "net":
                    cause = f"the tare of {label} ({grams(tare.mass)}) in it"
                    yield _Likely(0.0, cause, f"Subtract the tare of {label}.")


PLAUSIBLE, NEAR_IT = (0.05, 1.05), 0.5
"""Parts of what is possible between which a net with a forgotten tare taken off lies, and how far that tare may be from
what there is too much of. Common practice, no source."""


def _tares_forgotten(case: Case, portion: PortionMass, excess: float, possible: float) -> Iterator[_Likely]:
    """A net that was typed without its container, and is a gross: some known tare makes a sensible mass of it."""
    if portion.mass is None:
        return
    for net in portion.counted:
        if net.on.weighed.way != "net" or net.on.weighed.container != ("tared pan",):
            continue
        for pan, tare in case.ledger.tares.items():
            rest = net.on.weighed.mass.value - tare.mass.value if tare.mass is not None else -1.0
            if tare.mass is None or not PLAUSIBLE[0] * possible <= rest <= PLAUSIBLE[1] * possible:
                continue
            if abs(tare.mass.value - excess) > NEAR_IT * possible:
                continue  # it is not what there is too much of
            label = _as_written(case, pan)
            yield _Likely(
                0.1,
                f"the tare of {label} ({grams(tare.mass)}) in it",
                f"If it stood in {label}, correct it to {label} {portion.name} {net.on.weighed.mass.number}.",
            )


def _as_written(case: Case, pan: frozenset[str]) -> str:
    """The name of what stood on a pan, as it was typed."""
    return next((on.weighed.name for on in case.run.weighings if on.weighed.pan == pan), " + ".join(sorted(pan)))


def _still_wet(case: Case, portions: Sequence[PortionMass], portion: PortionMass | None) -> Iterator[_Likely]:
    """What has not been shown to be dry."""
    if portion is not None:
        if not _is_constant(portion):
            yield _Likely(1.0, "still wet", "Dry it again, cool, weigh again after 15 more minutes.")
        return
    ends = {name.casefold() for name in case.ledger.ends}
    wet = [p for p in portions if p.name.casefold() in ends and p.basis in ("dried", "as is") and not _is_constant(p)]
    if wet:
        names = join([p.name for p in wet][:2])
        yield _Likely(1.0, f"still wet ({names} not at constant mass)", f"Dry {names} again and weigh it.")


def _is_constant(portion: PortionMass) -> bool:
    return portion.constancy is not None and portion.constancy.state == "constant"


def _other_component(case: Case, excess: float, near: float) -> Iterator[_Likely]:
    """Another component of which just that much is missing."""
    for account in case.ledger.components:
        if account.taken_g is None or account.found_g is None or case.ledger.reacts:
            continue
        short = account.taken_g.value - account.found_g.value
        if short > 0 and abs(short - excess) <= max(near, 0.1 * excess):
            cause = f"{account.component.name} in it: the same mass is missing there"
            yield _Likely(0.5, cause, "Separate the two again.")


def _of_technique(case: Case, portion: PortionMass) -> Iterator[_Likely]:
    """What the techniques know of a gain of this portion, and how to mend it."""
    for technique in case.techniques.all:
        for find in technique.causes:
            for cause in find(case):
                if cause.sign == "gain" and cause.do and same(cause.portion, portion.name):
                    what = cause.what.rstrip(".")
                    yield _Likely(1.2, what[:1].lower() + what[1:], cause.do)


def likely_causes(
    case: Case, excess: float, u: float, portion: PortionMass | None, made: Yield | None = None
) -> list[tuple[str, str]]:
    """Which usual causes fit a mass that is *excess* g too high; most likely first, with what to do.

    A tare fits if its mass is the excess within its uncertainty; another component fits if
    just that much of it is missing; wet fits as long as constant mass is not shown.
    """
    near = max(COVERAGE * u, 0.02 * excess)
    portions = [portion] if portion is not None else list(case.ledger.portions.values())
    found = [*_tares_left_in(case, portions, excess, near), *_still_wet(case, portions, portion)]
    sample = case.ledger.sample.value if case.ledger.sample is not None else 0.0
    for one in portions:
        whole = one.mass.value - excess if portion is not None and one.mass is not None else sample
        found += _tares_forgotten(case, one, excess, whole)
    if portion is not None:
        found += _of_technique(case, portion)
        found += _other_component(case, excess, near)
    if made is not None and made.excess:
        cause = f"more {made.limiting} taken than recorded"
        found.append(_Likely(2.5, cause, "Check the amounts actually taken."))
    aids = [one.substance.name for one in case.ledger.substances if one.substance.role == "aid" and one.readings]
    found += [_Likely(2.0, f"{name} carried over", f"Filter {name} off again.") for name in aids]
    if not found or (portion is not None and _is_constant(portion)):
        cause = "solvent or reagent trapped in the solid"
        found.append(_Likely(3.0, cause, "Crush it, wash it once more, dry it again."))
    return [(likely.cause, likely.do) for likely in sorted(found, key=lambda one: one.rank)]
