"""What calculators are asked with: the base of their inputs, and numbers within what can be meant."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

Positive = Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
"""A number above 0."""
NotNegative = Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)]
"""A number from 0."""
Formula = Annotated[str, Field(max_length=60)]
Name = Annotated[str, Field(min_length=1, max_length=40)]
Typed = Annotated[str, Field(max_length=120)]
"""A line as somebody types it."""


class Asked(BaseModel):
    """The input of a calculator: its fields and no others."""

    model_config = ConfigDict(extra="forbid", frozen=True)
