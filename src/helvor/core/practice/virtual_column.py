"""A column as it was packed and run: tubes with their true content.

Virtual column 1. Bands leave by :mod:`helvor.core.laws.column.model`: their place from the Rf in each eluent,
                  their width from N, the volume of the sample and its mass.
Virtual column 2. N is 150 of a bed packed as a slurry and tapped; 40 where bubbles stand in it; 15 where it ran dry and
                  cracked. Sizes: common practice.
Virtual column 3. What was not out when the last tube was full is on the silica; 1.5 % of each compound stays there for
                  good. Size: common practice.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from helvor.core.laws.column.model import Band, Compound, bands, column_volume, in_tubes
from helvor.core.laws.column.pools import Tube, propose
from helvor.core.quantities.reading import Unreadable

PLATES = {"slurry": 150.0, "bubbles": 40.0, "dry": 15.0}
STAYS = 0.015


@dataclass(frozen=True, slots=True)
class Run:
    """A column that was run.

    Attributes:
        tubes: for each tube, compound → mg that is really in it; on_silica: compound → mg; bands: as they leave.
        ml: in each tube.
    """

    tubes: tuple[dict[str, float], ...]
    on_silica: dict[str, float]
    bands: tuple[Band, ...]
    ml: float

    @property
    def seen(self) -> list[dict[str, int]]:
        """For each tube, compound → how strong its spot is, 0 to 4."""
        return [{name: strength(mg, self.ml) for name, mg in tube.items()} for tube in self.tubes]

    def pure(self, compound: str) -> list[int]:
        """Tubes that show the compound and nothing else, by the proposal that real racks get."""
        tubes = [
            Tube(n, n * self.ml, self.ml, seen={name: one for name, one in spots.items() if one})
            for n, spots in enumerate(self.seen, 1)
        ]
        pools = propose(tubes, {})
        return [n for pool in pools if pool.kind == "pure" and pool.compounds == (compound,) for n in pool.tubes]

    def purity(self, first: int, last: int, compound: str) -> float | None:
        """Part of what is in the tubes from *first* to *last* that is the compound; None where they are empty."""
        whole = sum(sum(tube.values()) for tube in self.tubes[first - 1 : last])
        return sum(tube.get(compound, 0.0) for tube in self.tubes[first - 1 : last]) / whole if whole > 1e-9 else None


def run(
    compounds: Sequence[Compound],
    volumes: Sequence[float],
    *,
    bore: float,
    bed: float,
    packed: str = "slurry",
    tube: float = 5.0,
    sample_ml: float = 0.5,
    capacity: float | None = None,
) -> Run:
    """Run a column to its last tube.

    Args:
        compounds: with an Rf for each eluent, and mg; volumes: mL of each eluent, in order.
        bore, bed: mm; tube: mL in each; sample_ml: that the sample was put on in; capacity: mg that part well.

    Raises:
        Unreadable: the bed is not known, or as :func:`helvor.core.laws.column.model.bands`.
    """
    if packed not in PLATES:
        raise Unreadable(f"Choose a packing: {', '.join(PLATES)}.")
    if not tube > 0:
        raise Unreadable("Enter a tube volume above 0 mL.")
    v_m = column_volume(bore, bed)
    left = bands(compounds, volumes, v_m, plates=PLATES[packed], sample_ml=sample_ml, capacity=capacity)
    count = int(sum(volumes) / tube + 1e-9)
    ends = [tube * (n + 1) for n in range(count)]
    content = {band.name: [(1 - STAYS) * mg for mg in in_tubes(band, ends)] for band in left}
    tubes = tuple({name: each[n] for name, each in content.items()} for n in range(count))
    rest = {band.name: band.mass - sum(content[band.name]) for band in left}
    return Run(tubes, rest, tuple(left), tube)


SEEN = ((0.5, 0), (2.0, 1), (6.0, 2), (14.0, 3))
"""mg in a tube of 5 mL below which a spot is none, a trace, weak, clear; from there strong. Common practice."""


def strength(mg: float, ml: float = 5.0) -> int:
    """How strong a tube's spot is on its plate, 0 to 4, as a person writes it down."""
    at = mg * 5.0 / ml
    return next((word for below, word in SEEN if at < below), 4)
