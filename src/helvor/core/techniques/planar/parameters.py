"""What the steps of a plate or strip can be told: its size, what it stands in, what is spotted beside the sample."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Annotated

from pydantic import AfterValidator, Field, StringConstraints

from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.record.parameters import Asked, Parameters
from helvor.core.record.procedure import Name


def _eluent(text: str) -> str:
    if text:
        parse_eluent(text)
    return text


Eluent = Annotated[str, StringConstraints(strip_whitespace=True, max_length=120), AfterValidator(_eluent)]
_Length = Annotated[float, Field(ge=5, le=600, allow_inf_nan=False)]
_Volume = Annotated[float, Field(gt=0, le=2000, allow_inf_nan=False)]


class Developing(Parameters):
    """What a layer or column stands in, as words; mL of it for one chamber."""

    eluent: Annotated[Eluent, Asked("Eluent", hint="heptane : ethyl acetate 4 : 1", wide=True, words="in {}")] = ""
    eluent_volume: Annotated[_Volume | None, Asked("Volume per chamber", "mL", words="{} per chamber")] = None

    def liquids(self) -> Mapping[str, float]:
        return {self.eluent: self.eluent_volume or 0.0} if self.eluent else {}


class OfAPlate(Developing):
    """A plate or strip: mm wide and high; *spots* is what is spotted beside the sample."""

    plate_width: Annotated[_Length | None, Asked("Plate, width", "mm")] = None
    plate_height: Annotated[_Length | None, Asked("Plate, height", "mm")] = None
    spots: Annotated[
        tuple[Name, ...], Field(max_length=20), Asked("References on the plate", wide=True, words="beside {}")
    ] = ()

    def words(self) -> Iterator[str]:
        if self.plate_width is not None and self.plate_height is not None:
            yield f"plate {self.plate_width:g} × {self.plate_height:g} mm"
        if self.eluent:
            yield f"in {self.eluent}" + (f", {self.eluent_volume:g} mL" if self.eluent_volume else "")
        if self.spots:
            yield "beside " + ", ".join(self.spots)
