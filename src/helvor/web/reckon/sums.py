"""Every sum there is, in the order of the list."""

from __future__ import annotations

from helvor.web.reckon.amounts import AMOUNTS
from helvor.web.reckon.plates import PLATES

SUMS = (*AMOUNTS, *PLATES)
SUM = {one.key: one for one in SUMS}
