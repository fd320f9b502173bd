"""Where the crafts' parts of a run's page are put together; a new craft adds its name here."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from markupsafe import Markup

from helvor.core.record.entry import Payload
from helvor.web.rendering import fragment
from helvor.web.run.crafts import AtStep, CraftFields, CraftForm, CraftOnPage, Reader
from helvor.web.techniques.column import forms as column_forms
from helvor.web.techniques.column import instrument as column
from helvor.web.techniques.crystallization import forms as crystal_forms
from helvor.web.techniques.crystallization import instrument as crystals
from helvor.web.techniques.extraction import forms as extraction_forms
from helvor.web.techniques.extraction import instrument as extraction
from helvor.web.techniques.filtration import forms as filtration_forms
from helvor.web.techniques.filtration import instrument as filtration

CRAFTS_ON_PAGE = (
    CraftOnPage(
        titles=filtration_forms.TITLES,
        form="techniques/filtration/form.html",
        values=filtration_forms.values_of,
        readers=filtration_forms.READERS,
        instruments=filtration.INSTRUMENTS,
    ),
    CraftOnPage(
        titles=extraction_forms.TITLES,
        form="techniques/extraction/form.html",
        values=extraction_forms.values_of,
        readers=extraction_forms.READERS,
        instruments=extraction.INSTRUMENTS,
    ),
    CraftOnPage(
        titles=column_forms.TITLES,
        form="techniques/column/form.html",
        values=column_forms.values_of,
        readers=column_forms.READERS,
        instruments=column.INSTRUMENTS,
    ),
    CraftOnPage(
        titles=crystal_forms.TITLES,
        form="techniques/crystallization/form.html",
        values=crystal_forms.values_of,
        readers=crystal_forms.READERS,
        instruments=crystals.INSTRUMENTS,
    ),
)

CRAFT_READERS: dict[str, Reader] = {kind: read for craft in CRAFTS_ON_PAGE for kind, read in craft.readers.items()}
CRAFT_TITLES: dict[str, str] = {kind: title for craft in CRAFTS_ON_PAGE for kind, title in craft.titles.items()}


def craft_fields(kind: str, values: Mapping[str, list[str]], errors: Mapping[str, str]) -> Markup:
    """The fields of a craft's form; nothing for a kind that is no craft's."""
    craft = next((craft for craft in CRAFTS_ON_PAGE if kind in craft.titles), None)
    return fragment(craft.form, CraftForm(form=CraftFields(kind, values, errors))) if craft else Markup("")


def craft_values(payload: Payload) -> dict[str, list[str]]:
    """A standing entry of a craft as the fields of its form."""
    craft = next((craft for craft in CRAFTS_ON_PAGE if payload.kind in craft.titles), None)
    return craft.values(payload) if craft and craft.values else {}


INSTRUMENTS: dict[str, Callable[[AtStep], Markup]] = {
    kind: draw for craft in CRAFTS_ON_PAGE for kind, draw in craft.instruments.items()
}
