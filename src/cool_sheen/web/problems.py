"""From errors to answers, in one place: a page for people, problem+json for programs."""

from collections.abc import Sequence
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, RedirectResponse, Response
from pydantic import BaseModel
from starlette.exceptions import HTTPException
from starlette.routing import Match

from cool_sheen.core.complaints import complaint
from cool_sheen.core.errors import CoreError
from cool_sheen.service.unit import Refused
from cool_sheen.store.log import Conflict, UnknownTarget
from cool_sheen.web.depends import NoShop
from cool_sheen.web.templating import Pages

_TITLES = {
    404: "Not found",
    405: "Not allowed",
    409: "Conflict",
    413: "Too large",
    422: "Cannot be read",
    401: "Not let in",
    403: "Not let in",
    400: "Refused",
}


class Wrong(BaseModel):
    """One field that is wrong."""

    field: str
    message: str


class Problem(BaseModel):
    """An answer by RFC 9457."""

    title: str
    status: int
    detail: str
    errors: list[Wrong]


DESCRIBED: dict[str, Any] = {
    "description": "Bad input",
    "content": {"application/problem+json": {"schema": Problem.model_json_schema()}},
}


# What a script meets beside bad input: no token, no right to write, no such part, and what is asked back.
NOT_LET_IN: dict[int | str, dict[str, Any]] = {
    status: DESCRIBED | {"description": words}
    for status, words in (
        (401, "No token"),
        (403, "Only reads"),
        (404, "Not here"),
        (409, "Asked back"),
        (422, "Bad input"),
    )
}


def problem(status: int, detail: str, errors: Sequence[dict[str, str]] = ()) -> JSONResponse:
    """Return an answer by RFC 9457."""
    body = {"title": _TITLES.get(status, "Refused"), "status": status, "detail": detail, "errors": list(errors)}
    return JSONResponse(body, status, media_type="application/problem+json")


def _field(location: Sequence[Any]) -> str:
    return ".".join(str(part) for part in location if part not in ("body", "query", "path"))


def listed(errors: Sequence[Any]) -> list[dict[str, str]]:
    """Return Pydantic's errors as fields with a sentence each."""
    return [{"field": _field(e["loc"]) or "body", "message": complaint(e)} for e in errors]


def _explain(error: Any) -> tuple[int, str, list[dict[str, str]]]:
    """Return status, sentence and fields of an error."""
    if isinstance(error, RequestValidationError):
        errors = listed(error.errors())
        return 422, f"{errors[0]['field']}: {errors[0]['message']}", errors
    if isinstance(error, Refused):
        errors = [{"field": field, "message": note} for field, note in error.notes.items()]
        return error.status, " ".join([str(error), *error.notes.values()]), errors
    if isinstance(error, CoreError):
        return 422, str(error), [{"field": error.field, "message": str(error)}] if error.field else []
    if isinstance(error, HTTPException):
        missing = error.status_code == 404
        return error.status_code, "There is nothing at this address." if missing else str(error.detail), []
    return _STATUS[type(error)], str(error), []


def _form_of(app: FastAPI, request: Request) -> str:
    """Where the form stands whose address was loaded again: the nearest page above it."""
    path = request.url.path
    while path:
        path = path.rpartition("/")[0]
        scope = {**request.scope, "path": path or "/", "method": "GET"}
        if any(route.matches(scope)[0] is Match.FULL for route in app.router.routes):
            return path or "/"
    return "/"


_STATUS = {Conflict: 409, UnknownTarget: 422}


def install(app: FastAPI, pages: Pages) -> None:
    """Teach an application all its refusals."""

    def answer(request: Request, error: Exception) -> Response:  # in a thread: it asks the database
        is_call = request.url.path.startswith("/api/")
        if getattr(error, "status_code", 0) == 405 and request.method == "GET" and not is_call:
            return RedirectResponse(_form_of(app, request), 303)
        status, detail, errors = _explain(error)
        if is_call:
            return problem(status, detail, errors)
        template = "_refusal.html" if request.headers.get("hx-request") else "refusal.html"
        title = _TITLES.get(status, "Refused")
        with pages.workshop.read() as unit:
            return pages.show(
                request,
                unit,
                template,
                status,
                title=title,
                detail=detail,
                errors=errors,
                asks=getattr(error, "asks", {}),
                typed_before=getattr(request.state, "typed", {}),
            )

    async def to_the_start(request: Request, error: Exception) -> Response:
        return RedirectResponse("/start", 303)

    for kind in (RequestValidationError, Refused, CoreError, HTTPException, *_STATUS):
        app.add_exception_handler(kind, answer)
    app.add_exception_handler(NoShop, to_the_start)
