"""What the steps of a column can be told: its width, the height of its bed, mL in one tube."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from helvor.core.record.parameters import Asked, Parameters
from helvor.core.techniques.planar.parameters import Developing

_Bore = Annotated[float, Field(ge=2, le=300, allow_inf_nan=False)]
_Bed = Annotated[float, Field(ge=10, le=2000, allow_inf_nan=False)]
_Tube = Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False)]


class OfAColumn(Parameters):
    """A column: inside width and height of its silica, mm. With the amount its width grows, not its height."""

    bore: Annotated[_Bore | None, Asked("Column, inside", "mm", words="column {} inside", grows="area")] = None
    bed: Annotated[_Bed | None, Asked("Silica, height", "mm", words="silica {} high")] = None


class OfElution(OfAColumn, Developing):
    """The same, and mL in one tube."""

    fraction: Annotated[_Tube | None, Asked("Volume per tube", "mL", words="{} per tube", grows="amount")] = None
