"""Short cases over the decisions of the work: made from a seed, answered by doing, told why at once.

Drill 1. A case is wholly its topic, its level and its seed; nothing of it is kept.
Drill 2. Its key is computed by the functions that judge real work: plates by
         :mod:`helvor.core.practice.virtual_plate`, layers by :mod:`helvor.core.laws.extraction.layers`, drying by
         :mod:`helvor.core.laws.constant_mass`, amounts by :mod:`helvor.core.quantities.formula`, tubes by
         :mod:`helvor.core.laws.column.pools`, mistakes by carrying the procedure out with one in it.
Drill 3. No case is a close call: cases that are too near are drawn again from the same seed.
Drill 4. What comes next follows the Leitner boxes (:mod:`helvor.core.practice.boxes`).
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

from helvor.core.practice.drills.case import LEVELS, Verdict
from helvor.core.practice.drills.dry import NOT_YET, Dry, dry
from helvor.core.practice.drills.eluents import WINDOW, Eluent, eluent
from helvor.core.practice.drills.layers import MIXED, ORGANIC, PLACES, Layers, layers
from helvor.core.practice.drills.limiting import Limiting, limiting
from helvor.core.practice.drills.order import Order, order
from helvor.core.practice.drills.plate import MARK_WITHIN, Reading, reading
from helvor.core.practice.drills.pool import Tubes, tubes
from helvor.core.practice.drills.weigh import Empty, empty
from helvor.core.practice.drills.wrong import Wrong, wrong
from helvor.core.quantities.reading import Unreadable

__all__ = [
    "LEVELS",
    "MARK_WITHIN",
    "MIXED",
    "NOT_YET",
    "ORGANIC",
    "PLACES",
    "TOPICS",
    "WINDOW",
    "Drill",
    "Dry",
    "Eluent",
    "Empty",
    "Layers",
    "Limiting",
    "Order",
    "Reading",
    "Topic",
    "Tubes",
    "Verdict",
    "Wrong",
    "drill",
]

Topic = Literal["read", "eluent", "pool", "layer", "dry", "weigh", "order", "limiting", "wrong"]
TOPICS: dict[Topic, str] = {
    "read": "Read a plate",
    "eluent": "Stronger or weaker",
    "pool": "Pooling fractions",
    "layer": "Which layer",
    "dry": "Dry enough",
    "weigh": "Tare first",
    "order": "Order of steps",
    "limiting": "Limiting reagent",
    "wrong": "What went wrong",
}
Drill = Reading | Eluent | Tubes | Layers | Dry | Empty | Order | Limiting | Wrong
_MAKERS: dict[Topic, Callable[[int, int], Drill]] = {
    "read": reading,
    "eluent": eluent,
    "pool": tubes,
    "layer": layers,
    "dry": dry,
    "weigh": empty,
    "order": order,
    "limiting": limiting,
    "wrong": wrong,
}


def drill(topic: Topic, level: int, seed: int) -> Drill:
    """The case of a topic at a level, the same for a seed.

    Raises:
        Unreadable: there is no such topic, or no such level.
    """
    if topic not in _MAKERS or level not in LEVELS:
        raise Unreadable("There is no such drill.")
    return _MAKERS[topic](level, seed)
