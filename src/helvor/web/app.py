"""The application, put together."""

from __future__ import annotations

import gc
import json
from typing import Any

from fastapi import FastAPI
from psycopg_pool import ConnectionPool
from starlette.middleware.gzip import GZipMiddleware
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.responses import Response
from starlette.staticfiles import StaticFiles
from starlette.types import Scope

from helvor import __version__
from helvor.web import (
    api,
    api_calculators,
    api_column,
    api_crystals,
    api_extraction,
    api_handout,
    api_meeting,
    api_planar,
    api_practice,
    api_prep,
    api_review,
    api_run,
    class_set_up,
    containers,
    devices,
    errors,
    health,
    joining,
    live,
    meeting,
    members,
    people,
    places,
    search,
    starts,
    today,
    unknowns,
)
from helvor.web.bodies import Bodies
from helvor.web.calculators import as_json
from helvor.web.calculators import routes as calculators
from helvor.web.drawings import Drawings
from helvor.web.may import check
from helvor.web.old_addresses import OldAddresses
from helvor.web.practice import drills
from helvor.web.practice import plate as virtual_plate
from helvor.web.practice import runs as practice_runs
from helvor.web.prep import routes as prep
from helvor.web.procedures import handout, library
from helvor.web.procedures import routes as plan
from helvor.web.reference_data import routes as shelf
from helvor.web.rendering import STATIC
from helvor.web.review import answers as answer_sheets
from helvor.web.review import class_page as review
from helvor.web.review import exports, imports, reports
from helvor.web.run import files as run_files
from helvor.web.run import routes as run
from helvor.web.security import Hardening, visitor
from helvor.web.settings import Settings
from helvor.web.techniques.column import routes as fraction_plates
from helvor.web.techniques.planar import compare, photographs
from helvor.web.techniques.planar import routes as plates

__all__ = ["Settings", "calm_collector", "create_app"]


PARTS = (
    run,
    plates,
    live,
    answer_sheets,
    class_set_up,
    meeting,
    run_files,
    photographs,
    fraction_plates,
    compare,
    today,
    places,
    joining,
    containers,
    unknowns,
    prep,
    review,
    exports,
    imports,
    reports,
    search,
    handout,
    library,
    starts,
    plan,
    calculators,
    as_json,
    virtual_plate,
    drills,
    practice_runs,
    devices,
    shelf,
    health,
    people,
    members,
    api,
    api_run,
    api_planar,
    api_column,
    api_crystals,
    api_extraction,
    api_practice,
    api_handout,
    api_prep,
    api_calculators,
    api_review,
    api_meeting,
)
"""Every module with routes, those that a class asks for all day first: an address is looked for in this order.
The access test walks the same list."""


class _KeptFiles(StaticFiles):
    """Static files; their addresses carry a hash of the content, so browsers may keep them."""

    async def get_response(self, path: str, scope: Scope) -> Response:
        response = await super().get_response(path, scope)
        named_by_content = b"v=" in scope["query_string"] or path.startswith("fonts")
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable" if named_by_content else "no-cache"
        return response


def calm_collector() -> None:
    """Let the garbage collector look less often, for a process that only serves.

    Pages once read stay in memory and hold no cycles; looking through all of them every few
    hundred new objects took a fifth of a request.
    """
    gc.collect()
    gc.freeze()
    gc.set_threshold(50_000, 20, 50)


class _Application(FastAPI):
    """FastAPI with names of our own for the bodies of forms, which it calls after paths."""

    def openapi(self) -> dict[str, Any]:
        """The description of the JSON interface."""
        if self.openapi_schema is None:
            written = json.dumps(super().openapi())
            for name in json.loads(written)["components"]["schemas"]:
                if name.startswith("Body_"):
                    words = name.removeprefix("Body_").partition("_api_")[0].split("_")
                    written = written.replace(f'{name}"', f'{"".join(map(str.capitalize, words))}Form"')
            self.openapi_schema = json.loads(written)
        return self.openapi_schema


def create_app(settings: Settings, pool: ConnectionPool) -> FastAPI:
    """The web application over an open pool.

    Raises:
        NotDeclared: a route does not say who may use it.
    """
    app = _Application(
        title="Helvor", version=__version__, docs_url=None, redoc_url=None, openapi_url="/api/openapi.json"
    )
    app.state.settings = settings
    app.state.pool = pool
    app.mount("/static", _KeptFiles(directory=STATIC), name="static")
    for part in PARTS:
        check(part.router.routes, visitor)
        app.include_router(part.router)
    errors.install(app)
    app.add_middleware(Drawings)
    app.add_middleware(Bodies)
    app.add_middleware(OldAddresses)
    app.add_middleware(Hardening)
    app.add_middleware(GZipMiddleware, minimum_size=800, compresslevel=2)
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=settings.allowed_hosts)
    return app
