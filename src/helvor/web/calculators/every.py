"""Every sum there is, in the order of the list."""

from __future__ import annotations

from helvor.web.brought import BROUGHT_PAGES
from helvor.web.calculators.amounts import AMOUNTS
from helvor.web.calculators.columns import COLUMNS
from helvor.web.calculators.crystals import CRYSTALS
from helvor.web.calculators.layers import LAYERS
from helvor.web.calculators.plates import PLATES

GROUPS = (
    ("Amounts and filters", AMOUNTS),
    ("Plates and columns", (*PLATES, *COLUMNS)),
    ("Layers and reflux", LAYERS),
    ("Crystals", CRYSTALS),
    *((module.CALCULATORS[0], module.CALCULATORS[1]) for module in BROUGHT_PAGES if hasattr(module, "CALCULATORS")),
)
CALCULATORS = tuple(calculator for _, group in GROUPS for calculator in group)
CALCULATOR = {one.key: one for one in CALCULATORS}
