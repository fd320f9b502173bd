"""What its pages show: a drawing, a form of one field, its sum."""

from markupsafe import Markup

from helvor.web.calculators.address import Route
from helvor.web.calculators.answer import Answer, Calculator, Large, number_of
from helvor.web.calculators.answer import Asked as Field
from helvor.web.run.at_step import OwnField, TechniqueOnPage
from tests.web.steam.technique import KIND, CodistilledIn, Collected, OfSteam, codistilled


def _drawn(at):
    got = sum(said.collected for _, said in at.sheet.run.of(Collected) if said.step == at.seen.step.id)
    wanted = OfSteam.of(at.seen.step).collect or 0
    return Markup('<svg class="steam-still" viewBox="0 0 9 9" role="img" aria-label="{} of {} mL"></svg>').format(
        f"{got:g}", f"{wanted:g}"
    )


def _read(form, run, strikes):
    volume = form.volume("collected", required=True)
    return form.build(Collected, step=form.text("step"), collected=volume.value if volume else None)


def _answer(form, house):
    values = {name: number_of(form, name, name) for name in ("oil_kpa", "water_kpa", "oil_molar")}
    form.check()
    found = codistilled(CodistilledIn(**values))
    return Answer(large=[Large("oil with each g of water", f"{found.oil_per_water:.3f}", "g")])


ON_PAGE = TechniqueOnPage(
    titles={"steam-collected": "Distillate"},
    fields={"steam-collected": (OwnField("collected", "Collected", "mL"),)},
    values=lambda said: {"collected": [f"{said.collected:g}"]},
    readers={"steam-collected": _read},
    instruments={KIND: _drawn},
)
CALCULATORS = (
    "Steam",
    (
        Calculator(
            "steam",
            "Steam distillation",
            "How much oil comes over with the water.",
            (Field("oil_kpa", "Oil, kPa"), Field("water_kpa", "Water, kPa"), Field("oil_molar", "Oil, g/mol")),
            _answer,
        ),
    ),
)
ROUTES = (Route("POST", "/api/steam/oil", "steam", codistilled),)
