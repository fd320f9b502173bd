"""Instruments: what stands on the bench, what their displays show, a reading taken from one into a field."""

from __future__ import annotations

import base64
import binascii
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Query, Request
from pydantic import BaseModel
from starlette.responses import Response

from helvor.core.devices.line import Taken, called
from helvor.core.quantities.reading import Unreadable
from helvor.exchange.device_line import At, NoLine, Seen, do, look, take
from helvor.notebook.page_errors import NotYours
from helvor.web.forms import Form, SubmittedDep
from helvor.web.may import May, may
from helvor.web.rendering import Shell, html, is_htmx
from helvor.web.security import Visitor, VisitorDep, WriterDep

router = APIRouter()

UNITS = {"C": "°C"}
"""Units as they are shown, where the line writes them in ASCII."""
HANDS: dict[str, tuple[tuple[str, str, str, str], ...]] = {
    "balance": (
        ("load", "On the pan", "g", "32.514"),
        ("celsius", "It is warm", "°C", "22"),
        ("draught", "Air", "", ""),
    ),
    "ph meter": (("ph", "Dip into a liquid of", "pH", "4.00"),),
    "ph paper": (("ph", "Dip into a liquid of", "pH", "2"),),
    "melting block": (
        ("celsius", "Block temperature", "°C", "108"),
        ("rate", "Heat at", "K/min", "2"),
        ("begins", "Sample begins to melt at", "°C", "113.5"),
        ("ends", "and is clear at", "°C", "114.5"),
    ),
    "oven": (("wanted", "Set to", "°C", "80"),),
    "evaporator": (
        ("volume", "In the flask", "mL", "50"),
        ("boiling", "It boils at", "°C", "77.1"),
        ("bath", "Bath", "°C", "40"),
        ("pressure", "Pressure", "mbar", "240"),
    ),
}
"""What a hand does to a simulated instrument: key, words, unit, an example."""
BUTTONS: dict[str, tuple[tuple[str, str], ...]] = {
    "balance": (("zero", "Zero"), ("tare", "Tare")),
    "ph meter": (("calibrate 7", "Buffer 7"), ("calibrate 4", "Buffer 4"), ("calibrate 10", "Buffer 10")),
    "ph paper": (("look universal", "Universal"), ("look litmus", "Litmus"), ("look congo red", "Congo red")),
    "melting block": (("look", "Look at the sample"),),
    "oven": (("open", "Open the door"),),
    "stopwatch": (("start", "Start"), ("stop", "Stop"), ("back", "Back to 0")),
    "evaporator": (("look", "Look at the flask"),),
}
FAULTS = (
    ("none", "works"),
    ("drop", "drops out"),
    ("garbage", "sends garbage"),
    ("freeze", "freezes"),
)


@dataclass(frozen=True, kw_only=True)
class Display:
    """An instrument's display as it looks now."""

    at: At
    kind: str
    shown: str
    unit: str
    state: str
    trouble: str


@dataclass(frozen=True, kw_only=True)
class DisplayShown:
    """The part that is asked for again and again."""

    display: Display


@dataclass(frozen=True, kw_only=True)
class Instruments:
    """The part of the page that follows the instrument."""

    all: list[tuple[str, str]]
    display: Display | None
    hands: tuple[tuple[str, str, str, str], ...]
    buttons: tuple[tuple[str, str], ...]
    faults: tuple[tuple[str, str], ...]
    typed: dict[str, str]
    said: str
    refused: str
    taken: Taken | None
    csrf: str


@dataclass(frozen=True, kw_only=True)
class InstrumentsPage(Shell, Instruments):
    """The same as a page."""


def _all(request: Request) -> tuple[At, ...]:
    found: tuple[At, ...] = request.app.state.settings.devices
    return found


def _at(request: Request, device: str) -> At:
    found = next((one for one in _all(request) if one.name == device), None)
    if found is None:
        raise NotYours
    return found


def set_of(who: Visitor) -> str:
    """Whose set of simulated instruments: everybody has one of their own."""
    return f"a{who.account.id}"


def _display(seen: Seen) -> Display:
    device, now = seen.device, seen.indication
    unit = device.unit if device else ""
    return Display(
        at=seen.at,
        kind=device.kind if device else "",
        shown=now.shown if now else "",
        unit=UNITS.get(unit, unit),
        state=now.state if now else "",
        trouble=seen.trouble,
    )


def _shown(
    request: Request,
    who: Visitor,
    device: str,
    said: str = "",
    refused: str = "",
    taken: Taken | None = None,
    typed: dict[str, str] | None = None,
) -> Instruments:
    there = _all(request)
    chosen = _at(request, device) if device else there[0] if there else None
    display = _display(look(chosen, set_of(who))) if chosen else None
    hands = HANDS.get(display.kind, ()) if display and chosen and chosen.simulated else ()
    return Instruments(
        all=[(one.name, called(one.name)) for one in there],
        display=display,
        hands=hands,
        buttons=BUTTONS.get(display.kind, ()) if display else (),
        faults=FAULTS if chosen and chosen.simulated else (),
        typed=typed or {},
        said=said,
        refused=refused,
        taken=taken,
        csrf=who.csrf,
    )


def _answer(request: Request, who: Visitor, shown: Instruments, status: int = 200) -> Response:
    if is_htmx(request):
        return html("devices/work.html", shown, status=200)
    fields = {name: getattr(shown, name) for name in Instruments.__dataclass_fields__}
    return html("devices/page.html", InstrumentsPage(visitor=who, place="practice", **fields), status=status)


@router.get("/devices", include_in_schema=False)
@may(May.ANYBODY)
def instruments(request: Request, who: VisitorDep, at: str = "") -> Response:
    """Every instrument, one of them chosen."""
    return _answer(request, who, _shown(request, who, at[:24]))


@router.get("/devices/{device}/display", include_in_schema=False)
@may(May.ANYBODY)
def display(request: Request, device: str, who: VisitorDep) -> Response:
    """What the display shows now: to be seen, not written down."""
    return html("devices/display.html", DisplayShown(display=_display(look(_at(request, device), set_of(who)))))


@router.post("/devices/{device}/do", include_in_schema=False)
@may(May.ANYBODY)
def press(request: Request, device: str, who: WriterDep, fields: SubmittedDep) -> Response:
    """Press a button, or do by hand to a simulated instrument what would be done at the bench."""
    at, form = _at(request, device), Form(fields)
    pressed = form.text("press")
    known = {words for buttons in BUTTONS.values() for words, _ in buttons}
    orders = [pressed] if pressed in known else []
    typed = {key: form.text(key)[:12] for hands in HANDS.values() for key, *_ in hands if key in fields}
    if at.simulated and not pressed:
        orders = [f"set {key} {value.replace(',', '.')}" for key, value in typed.items() if value]
        if form.text("fault") in dict(FAULTS):
            orders.append(f"fault {form.text('fault')}")
    said = refused = ""
    taken = None
    if pressed == "take":
        seen = look(at, set_of(who))
        taken, refused = (take(at, set_of(who), seen.device.unit), "") if seen.device else (None, seen.trouble)
    try:
        for order in orders:
            answer = do(at, set_of(who), order)
            if answer.startswith("no "):
                refused = refused or answer.removeprefix("no ")
            elif answer != "done":
                said = answer
    except NoLine as lost:
        refused = lost.of(device)
    return _answer(request, who, _shown(request, who, device, said, refused, taken, typed), 422 if refused else 200)


# ── JSON ────────────────────────────────────────────────────────────────────────────────────────


class DeviceOut(BaseModel):
    """An instrument that can be asked, with what its display shows; *trouble* where it cannot be seen."""

    name: str
    called: str
    kind: str
    unit: str
    step: float | None
    shown: str
    state: str
    trouble: str
    simulated: bool


class TakenOut(BaseModel):
    """A reading taken, or the doubt for which nothing may be written down."""

    device: str
    shown: str
    unit: str
    doubt: str


@router.get("/api/devices", tags=["devices"])
@may(May.ANYBODY)
def devices_as_json(request: Request, who: VisitorDep) -> list[DeviceOut]:
    """The instruments that whoever runs this told it of."""
    there = _all(request)
    # Side by side: one that does not answer takes its time, and no more than that.
    with ThreadPoolExecutor(max_workers=max(len(there), 1)) as threads:
        displays = list(threads.map(lambda at: look(at, set_of(who)), there))
    return [
        DeviceOut(
            name=one.name,
            called=called(one.name),
            kind=seen.device.kind if seen.device else "",
            unit=seen.device.unit if seen.device else "",
            step=seen.device.step if seen.device else None,
            shown=seen.indication.shown if seen.indication else "",
            state=seen.indication.state if seen.indication else "",
            trouble=seen.trouble,
            simulated=one.simulated,
        )
        for one, seen in zip(there, displays, strict=True)
    ]


@router.get("/api/devices/{device}/reading", tags=["devices"])
@may(May.ANYBODY)
def reading_as_json(request: Request, device: str, who: VisitorDep, unit: str = "g") -> TakenOut:
    """Take a reading: only a steady one in the unit asked for is given; else why not."""
    taken = take(_at(request, device), set_of(who), unit[:8])
    return TakenOut(device=taken.device, shown=taken.shown, unit=taken.unit, doubt=taken.doubt)


class PictureIn(BaseModel):
    """The plate to photograph: compounds, per cent of the stronger part and of acid, level in mm, minutes, a seed."""

    compounds: str = "caffeine,aspirin"
    strong: float = 60
    acid: float = 1
    level: float = 6
    minutes: float = 9
    seed: int = 1

    @property
    def words(self) -> str:
        """As a camera is asked."""
        numbers = f"{self.strong:g} {self.acid:g} {self.level:g} {self.minutes:g} {self.seed}"
        return f"picture {numbers} {self.compounds[:80].replace(' ', '_')}"


@router.get("/api/devices/{device}/picture.jpg", tags=["devices"])
@may(May.ANYBODY)
def picture(request: Request, device: str, who: VisitorDep, plate: Annotated[PictureIn, Query()]) -> Response:
    """A plate of known truth, photographed by a UV cabinet's camera."""
    try:
        answer = do(_at(request, device), set_of(who), plate.words)
    except NoLine as lost:
        raise Unreadable(lost.of(device)) from None
    if not answer.startswith("picture "):
        raise Unreadable(answer.removeprefix("no "))
    try:
        content = base64.b64decode(answer.removeprefix("picture "), validate=True)
    except binascii.Error:
        raise Unreadable("The picture is damaged: take it again.") from None
    return Response(content, media_type="image/jpeg")
