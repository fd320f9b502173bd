"""What the pages of a plate show."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

from markupsafe import Markup

from helvor.core.laws.planar.solvents import Freshness
from helvor.core.quantities.working import WorkingLine
from helvor.core.techniques.planar.plate import Plate
from helvor.core.techniques.planar.results import PlateWorksheet, SpotResult
from helvor.notebook.page_rows import Page
from helvor.web.rendering import Shell
from helvor.web.techniques.planar.drawing import PlateDrawing


@dataclass(frozen=True, kw_only=True)
class Work:
    """The part of the page that every write replaces: drawing, table, findings, working."""

    page: Page
    sheet: PlateWorksheet
    plate: Plate
    drawing: PlateDrawing | None
    rows: Markup
    view: str
    chosen: SpotResult | None
    reference: SpotResult | None
    working: list[WorkingLine]
    crowded: list[WorkingLine]
    csrf: str
    said: str
    fresh: Freshness | None
    tune: str
    column: str
    lights: dict[str, str]
    phases: dict[str, str]
    swatches: dict[str, str]


@dataclass(frozen=True, slots=True, kw_only=True)
class PlatePage(Shell):
    """A plate's page: the form to set it up, or its work once that is done. ``view`` is the light it is seen under."""

    page: Page
    photographed: bool
    view: str
    start: FormShown | None
    work: Markup


@dataclass(frozen=True, slots=True, kw_only=True)
class FormShown:
    """A form with what was typed and what is wrong with it."""

    page: Page
    kind: str
    title: str
    values: dict[str, list[str]]
    errors: dict[str, str]
    plate: Plate
    entry: UUID
    strikes: UUID | None
    view: str
    spot: str
    back: str
    about: str
    csrf: str
    phases: dict[str, str]
    lights: dict[str, str]
    swatches: dict[str, str]


@dataclass(frozen=True, slots=True, kw_only=True)
class FormPage(Shell):
    form: FormShown


@dataclass(frozen=True, slots=True, kw_only=True)
class FormFragment:
    form: FormShown


@dataclass(frozen=True, slots=True, kw_only=True)
class PlateFile:
    drawing: PlateDrawing
    title: str
