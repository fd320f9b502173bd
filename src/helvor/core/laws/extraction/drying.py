"""Taking the water out of an organic layer.

Drying 1. Water that can be seen is separated again, not dried away. Brine takes the droplets, and of the dissolved
          water what its water activity leaves no room for: a quarter.
Drying 2. A salt is planned with a quarter of what its full hydrate holds: equilibrium is slow and
          what lies at the bottom is caked.
Drying 3. Enough is there when some grains move freely as it is swirled.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from helvor.core.quantities.formula import molar_mass
from helvor.core.quantities.reading import Unreadable, digits

OF_FULL = 0.25
"""Part of the full hydrate's water that is counted on (Drying 2). Common practice."""
BRINE_LEAVES = 0.753
"""Water activity over saturated sodium chloride at 25 °C: a layer in equilibrium with brine holds that part of the
water that it dissolves from pure water. Source: L. Greenspan, J. Res. Natl. Bur. Stand. 81A (1977) 89; from memory."""
LOT = 0.15
"""g of drying agent for each mL of layer from which something else dries it better. Common practice, no source."""


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
        a_lot: so much that brine first, or another agent, does it better.
    """

    dissolved: float
    droplets: float
    agent: float
    portions: tuple[float, ...]
    a_lot: bool = False


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
    dissolved = volume * density * takes_up / 100 * (BRINE_LEAVES if brine else 1.0)
    grams = (dissolved + droplets) / (OF_FULL * agent.holds)
    first = grams / 2
    portions = (round(first, 1), round(first / 2, 1), round(first / 2, 1))
    return Planned(dissolved, droplets, grams, portions, grams > LOT * volume)


def instead_of_a_lot(plan: Planned, agent: Agent, *, brine: bool) -> str:
    """What to do instead of drying with a great deal of an agent, in a sentence.

    >>> plan = agent_for(AGENT["calcium-sulfate"], 60.0, 0.71, 1.3)
    >>> instead_of_a_lot(plan, AGENT["calcium-sulfate"], brine=True)
    '52 g is a lot for this layer: shake once more with brine, or take sodium sulfate, which holds more.'
    """
    better = max(AGENTS, key=lambda one: one.holds)
    first = "shake once more with brine" if brine else "wash with brine first and separate it well"
    other = f"take {better.name}, which holds more" if better is not agent else "separate the water again"
    return f"{digits(plan.agent, 2)} g is a lot for this layer: {first}, or {other}."
