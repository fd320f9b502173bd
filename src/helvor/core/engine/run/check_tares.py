"""Findings on empty masses: missing, late, damp, of a spare; and what a wet paper can still be saved by."""

from __future__ import annotations

from collections.abc import Iterator

from helvor.core.engine.run.case import Case, join
from helvor.core.engine.run.entries import Weighed
from helvor.core.engine.run.record import WeighedOn
from helvor.core.quantities.measured import shown
from helvor.core.record.finding import Finding
from helvor.core.record.procedure import Step, same


def tare_before_wetting(case: Case) -> Iterator[Finding]:
    """The next step wets a container that is weighed later and has no tare yet."""
    step = case.run.next_step
    for label in _untared(case, step) if step is not None else ():
        yield Finding(
            "tare-first",
            "caution",
            f"{label}: no tare recorded yet, and the next step fills it.",
            "It is weighed with its contents later; without the empty mass the net mass can never be known.",
            f"Weigh {label} now, empty and dry.",
            about=label,
        )


def tare_gone(case: Case) -> Iterator[Finding]:
    """A container that is weighed later was wetted without a tare: what can still be done, while it can."""
    told: set[str] = set()
    for step in case.run.procedure.steps:
        for label in _untared(case, step) if step.id in case.run.done else ():
            if label.casefold() in told:
                continue
            told.add(label.casefold())
            paper = "paper" in label.casefold()
            yield Finding(
                "tare-gone",
                "caution",
                f"{label} was filled without its tare, and is weighed later.",
                "What it weighed empty cannot be read any more."
                if paper
                else "It can be weighed empty once what is in it is out.",
                "Weigh two or three papers of the same kind now, before they are gone, as spare paper 1, 2 and 3: "
                "their mean is used, marked as an estimate."
                if paper
                else f"Weigh {label} empty, clean and dry, when its contents are out.",
                about=label,
            )


def _untared(case: Case, step: Step) -> list[str]:
    """Of a step's containers those that it wets, that are weighed later, and of which nothing is weighed yet."""
    kind = case.kinds.get(step.kind)
    if kind is None or not (kind.wets or kind.heats) or not step.container:
        return []
    there = case.run.weighings
    found = []
    for label in step.container:
        tare = case.ledger.tares.get(frozenset([label.casefold()]))
        spare = any(on.weighed.name.casefold().startswith(f"spare {label.split()[0].casefold()}") for on in there)
        if (tare is not None and tare.mass is not None) or spare:
            continue
        if not any(label.casefold() in on.weighed.pan for on in there) and _weighed_later(case, step, label):
            found.append(label)
    return found


def _weighed_later(case: Case, step: Step, label: str) -> bool:
    """Whether a later step weighs a container for contents that have no mass yet."""
    later = case.run.procedure.steps[case.run.procedure.steps.index(step) + 1 :]
    return any(
        any(same(label, other) for other in one.container)
        and not one.empty
        and one.kind in case.kinds
        and case.kinds[one.kind].weighs
        and not _known(case, one.on)
        for one in later
    )


def _known(case: Case, name: str) -> bool:
    """Whether a portion has its mass already: with the tare button, or in another container."""
    portion = case.ledger.portion(name) if name else None
    return portion is not None and portion.mass is not None


def tare_late(case: Case) -> Iterator[Finding]:
    """A container was weighed empty only after it had been weighed full."""
    told: set[str] = set()
    for portion in case.ledger.portions.values():
        for net in portion.counted:
            tare, name = net.tare, net.on.weighed.name
            if tare is None or tare.how != "weighed" or portion.basis == "borrowed" or name in told:
                continue
            if not tare.readings or _was_empty_before(case, net.on):
                continue
            told.add(name)
            yield Finding(
                "tare-late",
                "note",
                f"{name} was weighed empty only after {portion.name} had been weighed in it.",
                "That counts as its tare if it was the same container, clean and dry by then."
                if "paper" not in name.casefold()
                else "A used paper keeps grains and moisture, so this tare is an estimate.",
                "Next time weigh it empty first.",
                about=portion.name,
            )


def _was_empty_before(case: Case, full: WeighedOn) -> bool:
    """Whether something of this pan was weighed empty before, also in a reading that was struck out since."""
    return any(
        isinstance(said := line.root.payload, Weighed) and not said.portion and said.pan & full.weighed.pan
        for line in case.run.lines
        if line.root.happened < full.line.root.happened
    )


def tare_missing(case: Case) -> Iterator[Finding]:
    """Something was weighed in a container that has no tare, a damp one, or a spare's."""
    seen: set[str] = set()
    for portion in case.ledger.portions.values():
        for net in portion.nets:
            tare = net.tare
            if tare is None or portion.basis == "borrowed" or net.on.weighed.name in seen:
                continue
            name = net.on.weighed.name
            if tare.how == "missing":
                seen.add(name)
                # A tare is found by labels in lower case; they are said as they were written.
                untared = [label for label in net.on.weighed.container if label.casefold() in tare.missing]
                papers = [label for label in tare.missing if "paper" in label]
                yield Finding(
                    "tare-missing",
                    "caution",
                    f"No empty mass was recorded for {join(untared or list(tare.missing))}, so the net mass of "
                    f"{portion.name} is unknown: {net.on.weighed.mass} is the gross mass.",
                    "The container's mass is still included.",
                    "Weigh two or three spare papers of the same kind (name them “spare paper 1” and so on): "
                    "their mean is used, marked as an estimate."
                    if papers
                    else f"Transfer {portion.name}, then weigh the container clean and dry: that is a valid tare.",
                    about=portion.name,
                )
            elif tare.how == "spare":
                seen.add(name)
                yield Finding(
                    "tare-spare",
                    "note",
                    f"The tare of {name} is the mean of {len(tare.readings)} spare papers.",
                    "Papers from one box differ, so the net mass is an estimate.",
                    about=portion.name,
                )
            elif tare.how == "damp":
                seen.add(name)
                yield Finding(
                    "tare-damp",
                    "caution",
                    f"{name} was damp when weighed empty, so the net mass of {portion.name} is too low.",
                    "The water was counted as glass, and it is missing from the later weighing.",
                    "Weigh it empty and dry once the contents are out.",
                    about=portion.name,
                )


def paper_air_dry(case: Case) -> Iterator[Finding]:
    """A paper was tared air-dry and weighed oven-dry, and nothing says how much water it lost."""
    for portion in case.ledger.portions.values():
        for net in portion.counted:
            tare = net.tare
            if tare is None or not tare.air_dry or net.on.weighed.state != "dried" or portion.basis == "borrowed":
                continue
            if tare.blank is None:
                yield Finding(
                    "paper-air-dry",
                    "caution",
                    f"The paper of {portion.name} was tared air-dry and weighed oven-dry: the net mass is too low.",
                    "Air-dry paper contains several per cent of water, tens of milligrams per sheet.",
                    "Carry a blank filter paper through (name it “blank paper”, weigh it before and after), or dry "
                    "papers "
                    "the same way before taring.",
                    about=portion.name,
                )
            else:
                yield Finding(
                    "blank-paper",
                    "note",
                    f"The tare of {portion.name} is corrected by the blank paper: {shown(tare.blank)} g per sheet.",
                    "Without this, the paper's own water would be missing from the net mass.",
                    about=portion.name,
                )
            break
