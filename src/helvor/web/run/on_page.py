"""Where the techniques' parts of a run's page are put together; a new technique adds its name here."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from markupsafe import Markup

from helvor.core.record.entry import Payload
from helvor.web.brought import BROUGHT_PAGES
from helvor.web.rendering import fragment
from helvor.web.run.at_step import AtStep, Reader, TechniqueFields, TechniqueForm, TechniqueOnPage
from helvor.web.techniques.column import forms as column_forms
from helvor.web.techniques.column import instrument as column
from helvor.web.techniques.crystallization import forms as crystal_forms
from helvor.web.techniques.crystallization import instrument as crystals
from helvor.web.techniques.extraction import forms as extraction_forms
from helvor.web.techniques.extraction import instrument as extraction
from helvor.web.techniques.filtration import forms as filtration_forms
from helvor.web.techniques.filtration import instrument as filtration

TECHNIQUES_ON_PAGE = (
    TechniqueOnPage(
        titles=filtration_forms.TITLES,
        form="techniques/filtration/form.html",
        values=filtration_forms.values_of,
        readers=filtration_forms.READERS,
        instruments=filtration.INSTRUMENTS,
    ),
    TechniqueOnPage(
        titles=extraction_forms.TITLES,
        form="techniques/extraction/form.html",
        values=extraction_forms.values_of,
        readers=extraction_forms.READERS,
        instruments=extraction.INSTRUMENTS,
    ),
    TechniqueOnPage(
        titles=column_forms.TITLES,
        form="techniques/column/form.html",
        values=column_forms.values_of,
        readers=column_forms.READERS,
        instruments=column.INSTRUMENTS,
    ),
    TechniqueOnPage(
        titles=crystal_forms.TITLES,
        form="techniques/crystallization/form.html",
        values=crystal_forms.values_of,
        readers=crystal_forms.READERS,
        instruments=crystals.INSTRUMENTS,
    ),
    *(technique for module in BROUGHT_PAGES if (technique := getattr(module, "ON_PAGE", None)) is not None),
)

TECHNIQUE_READERS: dict[str, Reader] = {
    kind: read for technique in TECHNIQUES_ON_PAGE for kind, read in technique.readers.items()
}
TECHNIQUE_TITLES: dict[str, str] = {
    kind: title for technique in TECHNIQUES_ON_PAGE for kind, title in technique.titles.items()
}


def technique_fields(kind: str, values: Mapping[str, list[str]], errors: Mapping[str, str]) -> Markup:
    """The fields of a technique's form; nothing for a kind that is no technique's."""
    technique = next((technique for technique in TECHNIQUES_ON_PAGE if kind in technique.titles), None)
    if technique is None:
        return Markup("")
    fields = technique.fields.get(kind, ())
    return fragment(
        technique.form or "run/_own_fields.html", TechniqueForm(form=TechniqueFields(kind, values, errors, fields))
    )


def craft_values(payload: Payload) -> dict[str, list[str]]:
    """A standing entry of a technique as the fields of its form."""
    technique = next((technique for technique in TECHNIQUES_ON_PAGE if payload.kind in technique.titles), None)
    return technique.values(payload) if technique and technique.values else {}


INSTRUMENTS: dict[str, Callable[[AtStep], Markup]] = {
    kind: draw for technique in TECHNIQUES_ON_PAGE for kind, draw in technique.instruments.items()
}
