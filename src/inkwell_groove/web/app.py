"""The application: routes under /api/v1, pages on problems, and the front end for every other address."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from fastapi import Depends, FastAPI
from fastapi.responses import FileResponse, HTMLResponse, Response

from inkwell_groove import __version__
from inkwell_groove.clock import WALL, Clock
from inkwell_groove.store.disk import FreeBytes, free_bytes_of_disk
from inkwell_groove.store.settings import Settings, settings
from inkwell_groove.web import access, forwarding, once, problem_types, problems
from inkwell_groove.web.assets import Assets
from inkwell_groove.web.guard import Guard
from inkwell_groove.web.headers import SecureHeaders
from inkwell_groove.web.leaving import LeavingEndsStreams
from inkwell_groove.web.measured import Measured
from inkwell_groove.web.routes import (
    artwork,
    collection,
    discs,
    dockets,
    duplicates,
    files,
    fixity,
    headings,
    house,
    intake,
    jobs,
    ledger,
    operations,
    parcels,
    people,
    plans,
    repairs,
    reports,
    restoring,
    sealing,
    sources,
    survey,
    takes,
    transfer,
    workers,
)
from inkwell_groove.web.supervised import supervised
from inkwell_groove.workroom.room import Workroom


def make_app(
    given: Settings | None = None, *, clock: Clock = WALL, free_bytes: FreeBytes = free_bytes_of_disk
) -> FastAPI:
    """Returns the whole application for one set of settings.

    Devices and recordings go by the clock; `free_bytes` tells how much room the disk has.
    """
    chosen = given or settings()

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        room = Workroom(chosen, clock=clock, free_bytes=free_bytes)
        app.state.workroom = room
        room.start()
        async with supervised():
            yield
        room.close()

    app = FastAPI(
        title="Inkwell Groove",
        version=__version__,
        lifespan=lifespan,
        openapi_url="/api/v1/openapi.json",
        docs_url=None,
        redoc_url=None,
    )
    problems.install(app)
    forwarding.install(app, chosen)
    for part in (
        people,
        dockets,
        intake,
        transfer,
        discs,
        takes,
        plans,
        repairs,
        restoring,
        sources,
        survey,
        collection,
        duplicates,
        headings,
        house,
        reports,
        artwork,
        sealing,
        fixity,
        parcels,
        files,
        jobs,
        operations,
        workers,
        ledger,
    ):
        app.include_router(
            part.router, prefix="/api/v1", dependencies=[Depends(access.check)], responses=problems.REFUSALS
        )
    problems.tell_in(app)
    access.tell_in(app)
    once.tell_in(app)
    _serve_frontend(app, chosen)
    app.add_middleware(LeavingEndsStreams)
    app.add_middleware(Guard, given=chosen)
    app.add_middleware(SecureHeaders)
    app.add_middleware(Measured)
    return app


def _serve_frontend(app: FastAPI, chosen: Settings) -> None:
    index = chosen.frontend_root / "index.html"
    if (chosen.frontend_root / "assets").is_dir():
        app.mount("/assets", Assets(directory=chosen.frontend_root / "assets"), name="assets")

    @app.get("/api/{rest:path}", include_in_schema=False)
    def nothing(rest: str) -> Response:
        return problems.problem(404, f"there is nothing at /api/{rest}")

    @app.get("/problems/{name:path}", include_in_schema=False)
    def problem_type(name: str) -> Response:
        """What the `type` of a refusal leads to."""
        text = problem_types.page(name)
        return HTMLResponse(text) if text else problems.problem(404, f"there is no type of problem called {name}")

    @app.get("/{rest:path}", include_in_schema=False)
    def page(rest: str) -> Response:
        """Every address of the interface is the same page; the page reads its address."""
        if rest == "favicon.svg" and (chosen.frontend_root / rest).is_file():
            return FileResponse(chosen.frontend_root / rest)
        if not index.is_file():
            return problems.problem(503, "the front end is not built", remedy="Run ./inkwell setup")
        return FileResponse(index, headers={"Cache-Control": "no-cache"})
