"""Puts the application together; importing this module starts nothing."""

from fastapi import FastAPI
from fastapi.responses import JSONResponse, Response
from starlette.middleware.gzip import GZipMiddleware
from starlette.routing import Route

from cool_sheen import __version__
from cool_sheen.service.unit import Workshop
from cool_sheen.settings import Settings
from cool_sheen.web import problems
from cool_sheen.web.api import climate, coatings, drying, film, materials, mixing, planning
from cool_sheen.web.api import gun as gun_calls
from cool_sheen.web.api import parts as parts_calls
from cool_sheen.web.assets import Assets
from cool_sheen.web.depends import Premises
from cool_sheen.web.pages import (
    alarms,
    away,
    bench,
    carry,
    clinic,
    components,
    correct,
    data,
    device,
    gun,
    gun_field,
    gun_rack,
    gun_trainer,
    handbook,
    inspect,
    job_sheet,
    jobs,
    mishap,
    mix,
    news,
    next_time,
    part,
    part_dialogs,
    part_presses,
    people,
    photos,
    pieces,
    plan,
    plan_lines,
    plan_making,
    plan_tighten,
    projects,
    records,
    scale,
    scripts,
    sheets,
    shelf,
    shop,
    side_by_side,
    spaces,
    start,
    statistics,
    stores,
    story,
    survey,
    systems,
    tend,
    weather,
    what_if,
)
from cool_sheen.web.security import Doorkeeper
from cool_sheen.web.templating import Pages
from cool_sheen.web.troubles import Teller, Troubles
from cool_sheen.web.turnstile import Turnstile


def create_app(workshop: Workshop, settings: Settings | None = None, premises: Premises | None = None) -> FastAPI:
    """Return the application over a workshop.

    Args:
        workshop: The shop that it serves.
        settings: Under which names it is served, and with which pages.
        premises: What goes to the demo and back; None where there is nowhere to go.
    """
    settings = settings or Settings()
    app = FastAPI(
        title="Cool Sheen",
        version=__version__,
        description="Every calculation that a screen shows, over JSON.",
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        separate_input_output_schemas=False,
    )
    assets = Assets()
    app.state.workshop, app.state.pages = workshop, Pages(workshop, assets, has_demo=premises is not None)
    app.state.premises = premises
    problems.install(app, app.state.pages)
    app.router.routes.append(Route("/static/{path:path}", assets.serve, methods=["GET", "HEAD"]))
    for module in (  # what is pressed and looked at all day long is found first
        bench,
        alarms,
        part,
        part_presses,
        away,
        carry,
        jobs,
        scale,
        mix,
        stores,
        records,
        statistics,
        job_sheet,
        side_by_side,
        clinic,
        survey,
        systems,
        what_if,
        tend,
        people,
        projects,
        correct,
        next_time,
        photos,
        pieces,
        story,
        inspect,
        mishap,
        news,
        part_dialogs,
        plan_making,
        plan_lines,
        plan_tighten,
        plan,
        sheets,
        shelf,
        scripts,
        shop,
        spaces,
        weather,
        start,
        data,
        device,
        handbook,
        gun_rack,
        gun_field,
        gun_trainer,
        gun,
    ):
        app.include_router(module.router, include_in_schema=False)
    if settings.dev:
        app.include_router(components.router, include_in_schema=False)
    for calculators in (climate, coatings, drying, film, gun_calls, materials, mixing, planning):
        app.include_router(calculators.router, prefix="/api/v1", responses={422: problems.DESCRIBED})

    app.include_router(parts_calls.router, prefix="/api/v1", responses=problems.NOT_LET_IN)
    worker = away.worker_script(assets)

    @app.get("/sw.js", include_in_schema=False)
    async def service_worker() -> Response:
        """Send the script that shows a page when the program is out of reach; at the root, for all pages."""
        return Response(worker, media_type="text/javascript", headers={"Cache-Control": "no-cache"})

    @app.get("/healthz", tags=["health"])
    async def healthz() -> JSONResponse:
        """Say whether the application can serve."""
        return JSONResponse({"status": "ok"})

    teller = Teller(app.state.pages.environment)
    app.add_middleware(GZipMiddleware, minimum_size=800, compresslevel=3)
    app.add_middleware(Turnstile, busy=teller.busy)
    app.add_middleware(Troubles, teller=teller)
    app.add_middleware(Doorkeeper, hosts=settings.host_names)
    return app
