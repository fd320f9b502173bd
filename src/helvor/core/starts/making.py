"""Putting a procedure together, step by step, with what the shelf knows of its substances."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from helvor.core.laws.planar.eluent import Eluent
from helvor.core.quantities.reading import Reading
from helvor.core.record.known import Known, with_what_is_known
from helvor.core.record.procedure import Component, Portion, Procedure, Step, Substance, named
from helvor.core.record.step_kinds import StepKind

WORST_FIRST = ("heavy metal", "oxidizing", "halogenated", "solvents", "aqueous")
"""Waste streams: of what is in one liquid the first decides. Common practice, no source."""


def all_of(each: Reading, times: int) -> Reading:
    """The volume of so many portions together."""
    whole = each.value * times
    return each.model_copy(update={"value": whole, "written": f"{whole:g} mL"})


DECIDE_ANYWAY = WORST_FIRST[:2]
"""Streams that decide whatever else is in the liquid."""
UNKNOWN = "unknown"


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
        kept = (called or name)[:40].strip()
        if named(self.substances, kept) is None:
            plain = Substance(name=kept, amount=amount, role=known.role if known is not None else "reagent")
            self.substances.append(with_what_is_known(plain, known).model_copy(update=said))
        return kept

    def mixture(self, eluent: Eluent, amount: Reading) -> str:
        """Take a mixture of solvents in, with the care and the waste of what is in it."""
        parts = [known for part in eluent.components if (known := self.known(part.name)) is not None]
        hazards = "; ".join(dict.fromkeys(f"{one.name}: {one.hazards}" for one in parts if one.hazards))
        return self.substance(
            str(eluent),
            amount,
            role="solvent",
            flammable=any(one.flammable for one in parts),
            hazards=hazards[:400],
            waste=self.stream(*(part.name for part in eluent.components), fallback="solvents"),
        )

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

    def dried(self, portion: str, container: str, celsius: float | None, wet_with: str = "") -> None:
        """Dry a portion in its container, let it cool, and weigh it; in air where no temperature is said.

        Args:
            wet_with: the liquid in it; what is wet with something flammable stands in the hood before the oven.
        """
        here = {"on": portion, "container": (container,)}
        liquid = self.known(wet_with) if wet_with else None
        if celsius is None:
            self.step("dry", "Leave to dry in air", place="air", waits=900, **here)
        else:
            if liquid is not None and liquid.flammable:
                words = f"Let it stand in the hood until it looks dry and no {wet_with} is smelt"
                self.step("evaporate", words, place="hood", waits=20, kit=(), **here)
            self.step("dry", f"Dry in the oven at {celsius:g} °C", celsius=celsius, place="oven", waits=60, **here)
            self.step("cool", "Let it cool to room temperature", **here)
        self.step("weigh", f"Weigh {container} and contents; dry again, weigh again, to constant mass", **here)

    def stream(self, *of: str, fallback: str = "aqueous") -> str:
        """The waste stream that what is in a liquid decides, the worst first; *fallback* where nothing in it is worse
        than water, empty where something is not known: then the plan's check asks for the bottle."""
        found = set()
        for name in of:
            solute = re.sub(r"^\d+(?:\.\d+)?\s*(?:M|%)\s+", "", name)
            known = [one for one in (self.known(name), self.known(solute)) if one is not None]
            found |= {one.waste for one in known} or {UNKNOWN}
        worst = next((one for one in WORST_FIRST if one in found), "")
        if worst in DECIDE_ANYWAY:
            return worst
        return "" if UNKNOWN in found else worst or fallback

    def thrown(self, portion: str, *of: str) -> None:
        """Put a liquid portion into its waste bottle, at the end; *of* is what is in it."""
        self.holds(portion, end="waste")
        words = f"Put the {portion} into its waste bottle, after the product is weighed"
        self.step("discard", words, on=portion, waste=self.stream(*of))

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
