"""What a step gives, by role: which of its portions is the filtrate, which the organic layer.

Outputs 1. A kind of step says the roles of what it gives; a step says which of its portions
           has which role. The order in which they are written decides nothing then.
Outputs 2. Where a step says no roles, as in files of before, its portions have the roles of
           its kind in their order.
Outputs 3. Two layers without roles: the first is the layer of what is added, unless its own
           name says that it is the other ("ether" where a water layer is added).
Outputs 4. A portion is named for good by its step and role; its name may change.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import Literal

from helvor.core.record.procedure import Procedure, Step, Substance, same
from helvor.core.record.step_kinds import AQUEOUS, ORGANIC, Phase, StepKind

Makes = Literal["organic", "aqueous"]

ROLE_OF: Mapping[Makes, str] = {"organic": ORGANIC, "aqueous": AQUEOUS}

_SAYS_ORGANIC = re.compile(
    r"^(organic\b|(di(ethyl|isopropyl) |petroleum )?ether\b|ethyl acetate|(di)?chloro(methane|form)|toluene|xylene"
    r"|pentane|hexanes?\b|heptane|cyclohexane|butanol)",
    re.IGNORECASE,
)
_SAYS_AQUEOUS = re.compile(r"^(aqueous\b|water\b|brine\b|spent brine)", re.IGNORECASE)


def says_layer(name: str) -> Makes | Literal[""]:
    """Which layer a portion's name says that it is; empty where it says neither.

    >>> says_layer("ether after base"), says_layer("Water wash"), says_layer("extract")
    ('organic', 'aqueous', '')
    """
    if _SAYS_ORGANIC.match(name):
        return "organic"
    return "aqueous" if _SAYS_AQUEOUS.match(name) else ""


def roles_of(step: Step, kind: StepKind | None) -> tuple[str, ...]:
    """The role of each portion that a step gives; empty where nothing says it (Outputs 1 and 2)."""
    said = step.roles + ("",) * (len(step.gives) - len(step.roles))
    if any(said) or kind is None or kind.layers:
        return said[: len(step.gives)]
    by_place = [output.role for output in kind.outputs for _ in range(len(step.gives) if output.many else 1)]
    return tuple(by_place[: len(step.gives)]) + ("",) * (len(step.gives) - len(by_place))


def given_as(step: Step, role: str, kind: StepKind | None) -> str:
    """The portion that a step gives in a role; empty where it gives none."""
    return next((name for name, one in zip(step.gives, roles_of(step, kind), strict=True) if one == role), "")


def in_phase(step: Step, kind: StepKind | None, phase: Phase) -> str:
    """The first portion that a step gives as a liquid, a solid or a vapour; empty where it gives none."""
    if kind is None:
        return ""
    roles = {output.role for output in kind.outputs if output.phase == phase}
    return next((name for name, role in zip(step.gives, roles_of(step, kind), strict=True) if role in roles), "")


def layers_of(step: Step, added: Makes) -> tuple[str, str]:
    """The portion that is the layer of what is added, and the one that is left of what was there.

    Empty where the step gives none in that role.

    >>> base = Step(id="s1", kind="extract", gives=("ether", "base extract"))
    >>> layers_of(base, "aqueous")
    ('base extract', 'ether')
    """
    other: Makes = "organic" if added == "aqueous" else "aqueous"
    if any(step.roles):
        by_role = dict(zip(step.roles, step.gives, strict=False))
        return by_role.get(ROLE_OF[added], ""), by_role.get(ROLE_OF[other], "")
    first, second = (*step.gives, "", "")[:2]
    told = says_layer(first), says_layer(second)
    turned = told[0] in (other, "") and told[1] in (added, "") and told != ("", "")
    return (second, first) if turned else (first, second)


def makes_of(substance: Substance) -> Makes | Literal["both", ""]:
    """The layer that a liquid makes in a funnel: as said of it; a solution of something, water and brine make water."""
    if substance.layer:
        return substance.layer
    if substance.molar and substance.formula:
        return "aqueous"
    return "aqueous" if substance.name.casefold() in ("water", "brine") else ""


def added_layer(procedure: Procedure, step: Step) -> Makes | Literal[""]:
    """Which layer what a step adds makes; empty where nothing of it says so."""
    found = [makes_of(s) for name in step.adds if (s := procedure.substance(name)) is not None]
    return "organic" if "organic" in found else "aqueous" if "aqueous" in found else ""


def fresh_name(wanted: str, taken: Iterable[str]) -> str:
    """A name that no other has: "filtrate", else "filtrate 2".

    >>> fresh_name("filtrate", ["Filtrate", "filtrate 2"])
    'filtrate 3'
    """
    names = list(taken)
    free = [wanted, *(f"{wanted} {n}" for n in range(2, len(names) + 3))]
    return next(name for name in free if not any(same(name, other) for other in names))


def first_outputs(kind: StepKind, taken: Iterable[str]) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Names and roles of what a new step of a kind gives; none where it works on something that stays one thing."""
    names = list(taken)
    gives: list[str] = []
    for output in kind.outputs:
        if output.usual:
            gives.append(fresh_name(output.name, [*names, *gives]))
    return tuple(gives), tuple(output.role for output in kind.outputs if output.usual)


def works_on(kind: StepKind, before: Step | None, kinds: Mapping[str, StepKind]) -> str:
    """What a new step works on: of what the step before gives, that which its kind is for."""
    if before is None:
        return ""
    known = kinds.get(before.kind)
    if kind.works_on and (found := in_phase(before, known, kind.works_on)):
        return found
    return before.gives[0] if before.gives else before.on or (before.takes[0] if before.takes else "")
