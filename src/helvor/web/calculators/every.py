"""Every sum there is, in the order of the list."""

from __future__ import annotations

from helvor.web.brought import BROUGHT_PAGES
from helvor.web.calculators.amounts import AMOUNTS
from helvor.web.calculators.columns import COLUMNS
from helvor.web.calculators.crystals import CRYSTALS
from helvor.web.calculators.heat_and_cold import HEAT_AND_COLD, PAIRS_AND_MIXTURES
from helvor.web.calculators.layers import LAYERS
from helvor.web.calculators.plates import PLATES
from helvor.web.calculators.readings import RF_TABLE, UNIT_CONVERSION
from helvor.web.calculators.solutions import SOLUTIONS

GROUPS = (
    ("Amounts and filters", AMOUNTS),
    ("Solutions and formulas", SOLUTIONS),
    ("Plates and columns", (RF_TABLE, *PLATES, *COLUMNS)),
    ("Layers and reflux", LAYERS),
    ("Crystals", (*CRYSTALS, *PAIRS_AND_MIXTURES)),
    ("Heat, cold, units", (*HEAT_AND_COLD, UNIT_CONVERSION)),
    *((module.CALCULATORS[0], module.CALCULATORS[1]) for module in BROUGHT_PAGES if hasattr(module, "CALCULATORS")),
)
CALCULATORS = tuple(calculator for _, group in GROUPS for calculator in group)
CALCULATOR = {one.key: one for one in CALCULATORS}
