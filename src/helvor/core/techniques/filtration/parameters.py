"""What the steps of a filtration can be told: how large the paper is."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from helvor.core.record.parameters import PAPERS, Asked, Parameters

_Across = Annotated[float, Field(ge=20, le=500, allow_inf_nan=False)]


class OfAFilter(Parameters):
    """The filter paper's diameter, mm. It grows with the amount as a width does."""

    paper: Annotated[
        _Across | None, Asked("Filter paper", "mm", "diameter", words="filter paper {}", grows="area", sizes=PAPERS)
    ] = None
