"""Putting a procedure together, step by step, with what the shelf knows of its substances."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any

from helvor.core.quantities.reading import Reading
from helvor.core.record.procedure import Component, Portion, Procedure, Step, Substance, named
from helvor.core.record.step_kinds import StepKind

Known = Callable[[str], Substance | None]
"""What the shelf knows of a substance under a name; None for nothing."""

_OF_THE_SHELF = ("formula", "molar", "density", "melts", "boils", "layer", "flammable", "hazards", "waste")


class Making:
    """A procedure while it is put together.

    Args:
        kinds: every kind of step by key.
        known: what the shelf knows of a name.
    """

    def __init__(self, title: str, kinds: Mapping[str, StepKind], known: Known) -> None:
        self.title = (title[:1].upper() + title[1:])[:40].strip()
        self.kinds, self.known = kinds, known
        self.substances: list[Substance] = []
        self.components: list[Component] = []
        self.portions: list[Portion] = []
        self.steps: list[Step] = []
        self.meeting = 1

    def substance(self, name: str, amount: Reading | None = None, called: str = "", **said: Any) -> str:
        """Take a substance in; its name in the procedure.

        Args:
            called: its name here, where it goes in more than once: *wash water*.
            said: fields of :class:`Substance` that are known.
        """
        known = self.known(name)
        fields: dict[str, Any] = {"role": known.role if known is not None else "reagent"}
        if known is not None:
            fields |= {field: getattr(known, field) for field in _OF_THE_SHELF}
        kept = (called or name)[:40].strip()
        if named(self.substances, kept) is None:
            self.substances.append(Substance(name=kept, amount=amount, **(fields | said)))
        return kept

    def follows(self, name: str, **said: Any) -> str:
        """Follow a component through the separation."""
        self.components.append(Component(name=name[:40], **said))
        return name[:40]

    def holds(self, portion: str, **said: Any) -> None:
        """Say what a portion holds, or what becomes of it."""
        self.portions.append(Portion(name=portion[:40], **said))

    def step(self, kind: str, says: str, **said: Any) -> Step:
        """Add a step; what its kind usually asks, takes up and lasts is filled in."""
        known = self.kinds[kind]
        fields: dict[str, Any] = {"kit": known.kit, "hands": known.hands, "waits": known.waits, "asks": known.asks}
        fields["meeting"] = self.meeting
        if kind == "weigh":
            fields["asks"] = ("mass",)
        step = Step(id=f"s{len(self.steps) + 1}", kind=kind, says=says, **(fields | said))
        self.steps.append(step)
        return step

    def tare(self, container: str, words: str = "") -> None:
        """Weigh a container empty."""
        self.step("weigh", words or f"Weigh the {container}, empty and dry", container=(container,), empty=True)

    def dried(self, portion: str, container: str, celsius: float | None) -> None:
        """Dry a portion in its container, let it cool, and weigh it; in air where no temperature is said."""
        if celsius is None:
            self.step("dry", "Leave to dry in air", on=portion, container=(container,), place="air", waits=900)
        else:
            words = f"Dry in the oven at {celsius:g} °C"
            self.step("dry", words, on=portion, container=(container,), celsius=celsius, place="oven", waits=60)
            self.step("cool", "Let it cool to room temperature", on=portion, container=(container,))
        words = f"Weigh {container} and contents; dry again, weigh again, to constant mass"
        self.step("weigh", words, on=portion, container=(container,))

    def thrown(self, portion: str, of: str, fallback: str = "aqueous") -> None:
        """Put a portion into the waste bottle of the liquid that it is, at the end; *fallback* where none is known."""
        solute = re.sub(r"^\d+(?:\.\d+)?\s*(?:M|%)\s+", "", of)
        streams = [known.waste for name in (of, solute) if name and (known := self.known(name)) is not None]
        stream = next((one for one in streams if one and one != "sink"), fallback)
        self.holds(portion, end="waste")
        words = f"Put the {portion} into its waste bottle, after the product is weighed"
        self.step("discard", words, on=portion, waste=stream)

    def done(self, aim: str = "", hazards: str = "") -> Procedure:
        return Procedure(
            title=self.title,
            aim=aim[:400],
            hazards=hazards[:400],
            substances=tuple(self.substances),
            components=tuple(self.components),
            portions=tuple(self.portions),
            steps=tuple(self.steps),
        )
