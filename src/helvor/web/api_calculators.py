"""Calculators as JSON: each address is one function of the core, with its typed input and result."""

from __future__ import annotations

from fastapi import APIRouter

from helvor.core.techniques.column import calculators as column
from helvor.core.techniques.crystallization import calculators as crystallization
from helvor.core.techniques.extraction import calculators as extraction
from helvor.core.techniques.filtration import calculators as filtration
from helvor.core.techniques.planar import calculators as planar
from helvor.core.techniques.precipitation import calculators as precipitation
from helvor.core.techniques.precipitation import solutions
from helvor.web.brought import BROUGHT_PAGES
from helvor.web.calculators.address import Route
from helvor.web.may import May, may

ROUTES: tuple[Route, ...] = (
    Route("POST", "/api/equation/balance", "sums", precipitation.balanced),
    Route("POST", "/api/reaction", "sums", precipitation.reaction),
    Route("POST", "/api/reagent", "sums", precipitation.reagent),
    Route("POST", "/api/solution/make", "sums", precipitation.make),
    Route("POST", "/api/solution/dilute", "sums", precipitation.dilution),
    Route("POST", "/api/solution/concentration", "sums", solutions.concentration),
    Route("POST", "/api/solution/series", "sums", solutions.dilution_series),
    Route("POST", "/api/solution/buffer", "sums", solutions.buffer),
    Route("POST", "/api/solution/standardize", "sums", solutions.standardization),
    Route("POST", "/api/formula/hydrate", "sums", solutions.hydrate),
    Route("POST", "/api/formula/composition", "sums", solutions.composition),
    Route("POST", "/api/precipitate/solubility", "sums", precipitation.solubility),
    Route("POST", "/api/precipitate/factor", "sums", precipitation.gravimetric_factor),
    Route("POST", "/api/precipitate/parallels", "sums", precipitation.beside),
    Route("POST", "/api/filter/choose", "sums", filtration.which_filter),
    Route("GET", "/api/filter/cone", "sums", filtration.cone),
    Route("GET", "/api/filter/fold", "sums", filtration.fold),
    Route("POST", "/api/filter/wash", "sums", filtration.wash),
    Route("POST", "/api/drying/limits", "sums", filtration.drying_limits),
    Route("POST", "/api/planar/rf-table", "planar chromatography", planar.rf_table),
    Route("POST", "/api/planar/tune", "planar chromatography", planar.tune),
    Route("POST", "/api/planar/arrival", "planar chromatography", planar.arrival),
    Route("POST", "/api/planar/identify", "planar chromatography", planar.what_it_may_be),
    Route("POST", "/api/planar/cut", "planar chromatography", planar.cutting),
    Route("POST", "/api/planar/recipe", "planar chromatography", planar.eluent_recipe),
    Route("POST", "/api/planar/level", "planar chromatography", planar.eluent_level),
    Route("POST", "/api/planar/lanes", "planar chromatography", planar.lanes),
    Route("POST", "/api/planar/spotting", "planar chromatography", planar.spotting_solution),
    Route("POST", "/api/column/draft", "planar chromatography", column.draft_column),
    Route("POST", "/api/column/elution", "columns", column.elution),
    Route("POST", "/api/column/pools", "columns", column.pools),
    Route("POST", "/api/column/fraction-plate", "columns", column.fraction_plate),
    Route("POST", "/api/column/peaks", "columns", column.peaks_beside),
    Route("POST", "/api/crystals/mixture", "crystals", crystallization.mixture),
    Route("POST", "/api/crystals/two-solvents", "crystals", crystallization.two_solvents),
    Route("POST", "/api/boiling", "sums", crystallization.boiling),
    Route("POST", "/api/cooling", "sums", crystallization.cooling),
    Route("POST", "/api/crystals/solubility", "crystals", crystallization.solubility),
    Route("POST", "/api/crystals/plan", "crystals", crystallization.plan),
    Route("POST", "/api/crystals/solvents", "crystals", crystallization.solvents),
    Route("POST", "/api/crystals/melting", "crystals", crystallization.melting),
    Route("POST", "/api/extraction/density", "layers", extraction.density),
    Route("POST", "/api/extraction/portions", "layers", extraction.portions),
    Route("POST", "/api/extraction/trial", "layers", extraction.trial),
    Route("POST", "/api/extraction/distribution", "layers", extraction.distribution),
    Route("POST", "/api/extraction/ph", "layers", extraction.water_ph),
    Route("POST", "/api/extraction/to-ph", "layers", extraction.to_a_ph),
    Route("POST", "/api/extraction/base-needed", "layers", extraction.needed),
    Route("POST", "/api/extraction/paper", "layers", extraction.paper),
    Route("POST", "/api/extraction/cut", "layers", extraction.cut),
    Route("POST", "/api/extraction/reflux", "layers", extraction.reflux),
    Route("POST", "/api/extraction/mol", "layers", extraction.mol),
)

BROUGHT_ROUTES = tuple(route for module in BROUGHT_PAGES for route in getattr(module, "ROUTES", ()))

router = APIRouter()
for route in (*ROUTES, *BROUGHT_ROUTES):
    endpoint = may(May.PUBLIC)(route.calculator)
    router.add_api_route(route.path, endpoint, methods=[route.method], tags=[route.tag])
