"""What is to be said of something that was practised."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Feedback:
    """What is seen or follows: level (*good*, *note*, *caution*, *stop*), the sentence, its working; empty without.

    ``danger`` where somebody could have been hurt, whatever came of the product.
    """

    level: str
    what: str
    working: str = ""
    danger: bool = False
