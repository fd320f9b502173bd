"""What the steps at the funnel can be told: the pH that a water layer is brought to."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from helvor.core.record.parameters import Asked, Parameters

_Ph = Annotated[float, Field(ge=-1, le=15, allow_inf_nan=False)]


class OfPh(Parameters):
    """The pH that a water layer is brought to."""

    ph: Annotated[_Ph | None, Asked("To pH", words="to pH {}")] = None

    def reaction(self) -> Literal["acid", "base", ""] | None:
        if self.ph is None:
            return None
        return "acid" if self.ph < 6 else "base" if self.ph > 8 else ""
