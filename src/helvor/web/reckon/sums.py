"""Every sum there is, in the order of the list."""

from __future__ import annotations

from helvor.web.reckon.amounts import AMOUNTS
from helvor.web.reckon.columns import COLUMNS
from helvor.web.reckon.crystals import CRYSTALS
from helvor.web.reckon.layers import LAYERS
from helvor.web.reckon.plates import PLATES

GROUPS = (
    ("Amounts and filters", AMOUNTS),
    ("Plates and columns", (*PLATES, *COLUMNS)),
    ("Layers and reflux", LAYERS),
    ("Crystals", CRYSTALS),
)
SUMS = (*AMOUNTS, *PLATES, *COLUMNS, *LAYERS, *CRYSTALS)
SUM = {one.key: one for one in SUMS}
