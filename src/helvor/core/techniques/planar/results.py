"""What is worked out of a plate."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from datetime import datetime
from typing import Literal
from uuid import UUID

from helvor.core.laws.planar.identify import Identity
from helvor.core.quantities.reading import Estimate, round_to, round_up_to
from helvor.core.quantities.working import WorkingLine
from helvor.core.record.worksheet import Alarm, InRoom, Worksheet
from helvor.core.techniques.planar.plate import Plate, SpotOnPlate


@dataclass(frozen=True, slots=True)
class FrontHere:
    """The front at one lane, mm over the origin, and where that comes from."""

    distance: float
    u: float
    read: Literal["lane", "plate", "between", "nearest"]


@dataclass(frozen=True, slots=True)
class SpotResult:
    """The numbers of one spot.

    Attributes:
        at: mm from the origin to where the house rule measures a spot; by: which place that is.
        ratio: distance ÷ front, also where it is impossible; for explaining only.
        rf: the Rf, or None without a front and where the spot lies beyond it.
        relative: distance ÷ distance of the chosen reference spot.
        r_m, k: see :mod:`helvor.core.laws.planar.rf`; None at Rf 0 and 1.
        u_spot, u_origin: standard uncertainties of the centre and the origin line, mm.
    """

    key: UUID
    name: str
    lane: str
    on: SpotOnPlate
    front: FrontHere | None
    at: float
    by: str
    u_spot: float
    u_origin: float
    beyond_front: bool
    ratio: Estimate | None
    rf: Estimate | None
    relative: Estimate | None
    r_m: Estimate | None
    k: Estimate | None

    @property
    def rf_shown(self) -> str:
        """Rf with two decimals, as IUPAC recommends; empty without one."""
        return round_to(self.rf.value, 2) if self.rf else ""

    @property
    def u_shown(self) -> str:
        """The uncertainty of Rf, rounded up to two decimals."""
        return round_up_to(self.rf.u, 2) if self.rf else ""

    @property
    def hrf_shown(self) -> str:
        """hRf = 100 Rf, a whole number."""
        return round_to(100 * self.rf.value, 0) if self.rf else ""

    @property
    def relative_shown(self) -> str:
        return round_to(self.relative.value, 2) if self.relative else ""

    def working(self, reference_name: str = "") -> list[WorkingLine]:
        """The arithmetic of this spot, line by line."""
        spot, front = self.on.spot, self.front
        s = spot.distance.number
        lines: list[WorkingLine] = []
        if self.by == "leading" and spot.head is not None:
            s = spot.head.number
            lines.append(WorkingLine("Measured at its leading edge (house rule)", f"{s} mm"))
        elif self.by == "outline" and spot.head is not None and spot.tail is not None:
            s = round_to(self.at, max(1, spot.distance.decimals))
            ends = f"({spot.tail.number} + {spot.head.number}) mm ÷ 2"
            lines.append(WorkingLine("Measured at the middle of its outline (house rule)", f"{ends} = {s} mm"))
        if front is not None and self.ratio is not None:
            f = round_to(front.distance, max(spot.distance.decimals, 1 if front.distance % 1 else 0))
            if self.rf is None:
                lines.append(
                    WorkingLine(
                        f"Spot {self.name} ÷ front",
                        f"{s} mm ÷ {f} mm = {round_to(self.ratio.value, 2)}: above 1, so no Rf",
                    )
                )
            else:
                lines.append(
                    WorkingLine(
                        f"Spot {self.name} ÷ front",
                        f"Rf = {s} mm ÷ {f} mm = {self.rf_shown} ± {self.u_shown}",
                    )
                )
                r = self.rf.value
                lines.append(
                    WorkingLine(
                        "Its uncertainty: centre, front, shared origin",
                        f"u = √({round_to(self.u_spot, 2)}² + ({self.rf_shown}·{round_to(front.u, 2)})² + "
                        f"({round_to(1 - r, 2)}·{round_to(self.u_origin, 2)})²) mm ÷ {f} mm = {round_to(self.rf.u, 4)}",
                    )
                )
                lines.append(WorkingLine("As a percentage", f"hRf = 100 × {self.rf_shown} = {self.hrf_shown}"))
                if front.read == "between":
                    lines.append(
                        WorkingLine("Front in this lane", f"{f} mm, interpolated between the lanes that were read")
                    )
        if self.relative is not None and reference_name:
            reference_distance = self.at / self.relative.value if self.relative.value else 0.0
            if self.relative.value:
                lines.append(
                    WorkingLine(
                        f"Against {reference_name}",
                        f"{s} mm ÷ {round_to(reference_distance, 1)} mm = {self.relative_shown} "
                        f"± {round_up_to(self.relative.u, 2)}",
                    )
                )
        if self.r_m is not None and self.k is not None and self.rf is not None:
            lines.append(
                WorkingLine(
                    "R_M",
                    f"log((1 − {self.rf_shown}) ÷ {self.rf_shown}) = {_with_u(self.r_m)}",
                )
            )
            lines.append(WorkingLine("k", f"(1 − {self.rf_shown}) ÷ {self.rf_shown} = {_with_u(self.k)}"))
        return lines


def _with_u(estimate: Estimate) -> str:
    """Value ± u with the decimals that the uncertainty's first digit allows, at most three."""
    decimals = 3 if estimate.u <= 0 else min(3, max(0, -math.floor(math.log10(estimate.u))))
    return f"{round_to(estimate.value, decimals).replace('-', '−')} ± {round_up_to(estimate.u, decimals)}"


@dataclass(frozen=True, slots=True)
class Neighbours:
    """Two spots next to each other in a lane. Lengths and distance in mm."""

    upper: str
    lower: str
    upper_key: UUID
    lower_key: UUID
    apart: float
    length_upper: float
    length_lower: float
    resolution: float

    @property
    def working(self) -> WorkingLine:
        mean = (self.length_upper + self.length_lower) / 2
        return WorkingLine(
            f"{self.upper} and {self.lower}, distance over mean length",
            f"Rs = {round_to(self.apart, 1)} mm ÷ {round_to(mean, 1)} mm = {round_to(self.resolution, 1)}",
        )


@dataclass(frozen=True, slots=True)
class Arriving:
    """When the front will be where the plate is taken out.

    Attributes:
        stop: mm over the origin; minutes: since the plate went in; due: that moment.
        kappa: mm² a minute; height: of the origin over the liquid, mm.
    """

    stop: float
    minutes: Estimate
    due: datetime
    kappa: Estimate
    height: float

    @property
    def within(self) -> int:
        """Its uncertainty for people who wait: whole minutes, at least one."""
        return max(1, math.ceil(self.minutes.u))

    @property
    def working(self) -> WorkingLine:
        return WorkingLine(
            "Front at the stopping line",
            f"({round_to(self.stop, 0)} + {self.height:g})² ÷ {round_to(self.kappa.value, 0)} mm²/min = "
            f"{round_to(self.minutes.value, 1)} ± {round_up_to(self.minutes.u, 1)} min",
        )


@dataclass(frozen=True, slots=True)
class PlateWorksheet(Worksheet):
    """A plate, worked out."""

    plate: Plate
    fronts: dict[UUID, FrontHere | None]
    spots: list[SpotResult]
    neighbours: list[Neighbours]
    identities: list[Identity] = field(default_factory=list)
    arriving: Arriving | None = None

    @property
    def title(self) -> str:
        return self.plate.set_up.about if self.plate.set_up else ""

    @property
    def in_room(self) -> InRoom:
        """While the front rises: when it will be where the plate is taken out."""
        if self.arriving is None:
            return InRoom()
        return InRoom((Alarm("front at the stopping line", self.arriving.due),), ("chamber",))
