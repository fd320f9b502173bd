"""Taking the water out of an organic layer.

Drying 1. Water that can be seen is separated again, not dried away; brine takes most of the rest.
Drying 2. A salt is planned with a quarter of what its full hydrate holds: equilibrium is slow and
          what lies at the bottom is caked.
Drying 3. Enough is there when some grains move freely as it is swirled.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from helvor.core.quantities.formula import molar_mass
from helvor.core.quantities.reading import Unreadable

OF_FULL = 0.25
"""Part of the full hydrate's water that is counted on (Drying 2). Common practice."""
BRINE_TAKES = 0.6
"""Part of the dissolved water that a brine wash takes with it. Common practice; solvents differ."""


@dataclass(frozen=True, slots=True)
class Agent:
    """A drying agent.

    Attributes:
        salt, waters: its formula, and mol of water that a mol takes up in the full hydrate.
        minutes: how long it needs at least.
        off: how it is taken off best; words: what it is like; never: what it takes along or reacts with.
    """

    key: str
    name: str
    salt: str
    waters: float
    minutes: int
    off: str
    words: str
    never: str = ""

    @property
    def holds(self) -> float:
        """g of water per g at the full hydrate, from the formulas."""
        return self.waters * molar_mass("H2O") / molar_mass(self.salt)


AGENTS: tuple[Agent, ...] = (
    Agent("sodium-sulfate", "sodium sulfate", "Na2SO4", 10, 10, "decant", "slow and coarse; settles"),
    Agent(
        "magnesium-sulfate",
        "magnesium sulfate",
        "MgSO4",
        7,
        3,
        "filter",
        "fast and fine; slightly acidic",
        "acid-sensitive compounds",
    ),
    Agent(
        "calcium-chloride",
        "calcium chloride",
        "CaCl2",
        6,
        10,
        "decant",
        "for hydrocarbons and halides",
        "alcohols, amines, phenols or acids: it binds them",
    ),
    Agent(
        "potassium-carbonate",
        "potassium carbonate",
        "K2CO3",
        1.5,
        10,
        "decant",
        "for amines and alcohols",
        "acids or phenols: it forms their salts",
    ),
    Agent("calcium-sulfate", "calcium sulfate", "CaSO4", 0.5, 3, "filter", "fast, holds little; after another", ""),
)
AGENT = {agent.key: agent for agent in AGENTS}


def agent_named(text: str) -> Agent | None:
    """The agent that a name or formula in somebody's words means, or None."""
    words = re.sub(r"\banhydrous\b|,", "", text.casefold()).split()
    said = " ".join(words)
    for agent in AGENTS:
        if said in (agent.name, agent.key, agent.salt.casefold()):
            return agent
    return None


@dataclass(frozen=True, slots=True)
class Planned:
    """How much drying agent for a layer.

    Attributes:
        dissolved, droplets: g of water in the layer; agent: g of salt; portions: in which it is added, g.
    """

    dissolved: float
    droplets: float
    agent: float
    portions: tuple[float, ...]


def agent_for(
    agent: Agent, volume: float, density: float, takes_up: float, *, brine: bool = False, droplets: float = 0.3
) -> Planned:
    """How much of an agent dries a layer (Drying 2).

    Args:
        agent: which.
        volume: of the layer, mL; density: g/mL.
        takes_up: water that the solvent dissolves, % by mass.
        brine: it was washed with brine before.
        droplets: mL of water that came along unseen.

    Raises:
        Unreadable: a volume or density is not above 0, or the water is below 0.

    >>> round(agent_for(AGENT["sodium-sulfate"], 60.0, 0.71, 1.3).agent, 1)
    2.7
    """
    if not (volume > 0 and density > 0):
        raise Unreadable("Enter a volume and a density above 0.")
    if takes_up < 0 or droplets < 0:
        raise Unreadable("The amount of water cannot be negative: enter 0 or more.")
    dissolved = volume * density * takes_up / 100 * ((1 - BRINE_TAKES) if brine else 1.0)
    grams = (dissolved + droplets) / (OF_FULL * agent.holds)
    first = grams / 2
    return Planned(dissolved, droplets, grams, (round(first, 1), round(first / 2, 1), round(first / 2, 1)))
