"""What a kind of step can be told beyond what every step has: the pH it is brought to, the size of its plate.

Parameters 1. Each kind of step brings a model of its own; in a procedure its fields stand in
              the step beside those that every step has.
Parameters 2. A field says how it is asked for and shown, and how it grows with the amount.
Parameters 3. What a file of before says in a step whose kind does not know it is kept and not used.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, Protocol, Self, TypeVar

from pydantic import BaseModel, ConfigDict, ValidationError


class OfAKind(Protocol):
    """A step: its kind, and what it says beyond the fields that every step has."""

    @property
    def kind(self) -> str: ...

    @property
    def more(self) -> Mapping[str, Any]: ...


VESSELS = (5, 10, 25, 50, 100, 125, 150, 250, 400, 500, 600, 800, 1000, 2000, 3000, 5000, 10_000, 20_000)
"""mL of beakers, flasks and funnels as they are sold. Common practice, no source."""
PAPERS = (55, 70, 90, 110, 125, 150, 185, 240, 320, 385, 500)
"""mm across of round filter papers as they are sold. Common practice, no source."""


def next_size(wanted: float, sizes: Sequence[float]) -> float:
    """The smallest of some sizes that is large enough; the largest where none is.

    >>> next_size(160, VESSELS), next_size(250, VESSELS)
    (250, 250)
    """
    return next((size for size in sizes if size >= wanted * (1 - 1e-9)), sizes[-1])


@dataclass(frozen=True, slots=True)
class Asked:
    """How a parameter is asked for and shown, and what becomes of it when the amounts are larger.

    Attributes:
        label, hint: beside its field; unit: mm, mL, °C or empty; wide: its field takes two columns.
        words: how it is said in a list, with ``{}`` in the place of the value; the label where it is empty.
        grows: *amount* as the amounts do, *area* as their square root, for widths; empty stays.
        sizes: the sizes there are; it grows to the next of them.
    """

    label: str
    unit: str = ""
    hint: str = ""
    wide: bool = False
    words: str = ""
    grows: Literal["", "amount", "area"] = ""
    sizes: tuple[float, ...] = ()

    def said(self, value: object) -> str:
        """The value in words: ``filter paper 90 mm``."""
        text = (
            ", ".join(map(str, value)) if isinstance(value, tuple) else f"{value:g}" if _number(value) else str(value)
        )
        with_unit = f"{text} {self.unit}".rstrip()
        return self.words.format(with_unit) if self.words else f"{self.label[:1].lower()}{self.label[1:]} {with_unit}"

    def grown(self, value: float, factor: float) -> float:
        """The value for *factor* times the amounts."""
        if not self.grows or factor == 1:
            return value
        larger = value * (factor if self.grows == "amount" else math.sqrt(factor))
        if self.sizes:
            return next_size(larger, self.sizes)
        digits = 1 - math.floor(math.log10(larger))  # two that count
        return round(larger, digits)


VESSEL = Asked("Vessel volume", "mL", grows="amount", sizes=VESSELS)


def _number(value: object) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


class Parameters(BaseModel):
    """The parameters of a kind of step; as it stands, of a kind that has none."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    @classmethod
    def asked(cls) -> dict[str, Asked]:
        """Each field with how it is asked for, in the order of the form."""
        found = {}
        for name, about in cls.model_fields.items():
            said = next((one for one in about.metadata if isinstance(one, Asked)), None)
            found[name] = said or Asked(name.replace("_", " ").capitalize())
        return found

    @classmethod
    def of(cls, step: OfAKind) -> Self:
        """What a step says of these; the defaults for what it does not say, or its kind does not know."""
        more = step.more
        if not more:
            return _silent(cls)
        known = PARAMETERS.get(step.kind, Parameters).model_fields
        said = {name: more[name] for name in cls.model_fields if name in more and name in known}
        return cls.model_validate(said) if said else _silent(cls)

    def words(self) -> Iterator[str]:
        """What is said, in words, for a list."""
        for name, asked in self.asked().items():
            value = getattr(self, name)
            if value not in (None, "", ()):
                yield asked.said(value)

    def grown(self, factor: float) -> dict[str, Any]:
        """The fields that change when the amounts are *factor* times as large."""
        found = {}
        for name, asked in self.asked().items():
            value = getattr(self, name)
            if _number(value) and (larger := asked.grown(value, factor)) != value:
                found[name] = larger
        return found

    def liquids(self) -> Mapping[str, float]:
        """Liquids that stand in the step by its parameters, by the words for them, with their mL; 0 where unknown."""
        return {}

    def reaction(self) -> Literal["acid", "base", ""] | None:
        """What the step leaves its portion: acid, base or neither; None where the parameters say nothing of it."""
        return None


_Model = TypeVar("_Model", bound=Parameters)
_SILENT: dict[type[Parameters], Parameters] = {}


def _silent(model: type[_Model]) -> _Model:
    """The parameters of a step that says none of them; frozen, so that one does for all."""
    known = _SILENT.get(model)
    if known is None:
        known = _SILENT[model] = model()
    assert isinstance(known, model)
    return known


PARAMETERS: dict[str, type[Parameters]] = {}
"""Kind of step → its parameters; filled where a kind is defined."""

OF_BEFORE = (
    "paper",
    "plate_width",
    "plate_height",
    "eluent",
    "eluent_volume",
    "spots",
    "ph",
    "bore",
    "bed",
    "fraction",
)
"""What every step had in the file format 1, whatever its kind."""


def parameters_of(step: OfAKind) -> Parameters:
    """A step's own parameters."""
    return PARAMETERS.get(step.kind, Parameters).of(step)


def described(schema: dict[str, Any]) -> dict[str, Any]:
    """A JSON Schema in which a step has the parameters of every kind, each said to be of its kinds."""
    step = schema.get("$defs", {}).get("Step")
    if step is None:
        return schema
    step["additionalProperties"] = False
    kinds: dict[str, list[str]] = {}
    for kind, model in sorted(PARAMETERS.items()):
        for name, about in model.model_json_schema().get("properties", {}).items():
            kinds.setdefault(name, []).append(kind)
            step["properties"][name] = about | {"description": f"Of the kinds of step: {', '.join(kinds[name])}."}
    return schema


def read_parameters(kind: object, more: Mapping[str, Any]) -> dict[str, Any]:
    """What a step says beyond the fields that every step has, checked by its kind.

    Raises:
        ValueError: a field that its kind does not know, or a value that does not do; the field stands first.
    """
    model = PARAMETERS.get(kind, Parameters) if isinstance(kind, str) else Parameters
    own = {name: value for name, value in more.items() if name in model.model_fields}
    kept = {}
    for name, value in more.items():
        if name in own:
            continue
        if name not in OF_BEFORE:
            raise ValueError(f"{name[:40]}: A step of this kind has no such field.")
        if value not in (None, "", (), []):
            kept[name] = value
    try:
        read = model.model_validate(own)
    except ValidationError as invalid:
        error = invalid.errors()[0]
        where = str(error["loc"][0]) if error["loc"] else ""
        raise ValueError(f"{where}: {error['msg'].removeprefix('Value error, ')}") from invalid
    said = {name: getattr(read, name) for name in model.model_fields if name in own}
    return kept | {name: value for name, value in said.items() if value != model.model_fields[name].default}
