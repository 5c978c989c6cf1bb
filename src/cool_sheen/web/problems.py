"""From errors to answers, in one place: a page for people, problem+json for programs."""

from collections.abc import Sequence
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from starlette.exceptions import HTTPException

from cool_sheen.core.errors import CoreError
from cool_sheen.service.desk import Refused
from cool_sheen.store.log import Conflict, UnknownTarget
from cool_sheen.web.security import TooLarge
from cool_sheen.web.templating import Pages

_TITLES = {404: "Not found", 405: "Not allowed", 409: "Conflict", 413: "Too large", 422: "Cannot be read", 400: "Refused"}


def problem(status: int, detail: str, errors: Sequence[dict[str, str]] = ()) -> JSONResponse:
    """Return an answer by RFC 9457."""
    body = {"title": _TITLES.get(status, "Refused"), "status": status, "detail": detail, "errors": list(errors)}
    return JSONResponse(body, status, media_type="application/problem+json")


def _field(location: Sequence[Any]) -> str:
    return ".".join(str(part) for part in location if part not in ("body", "query", "path"))


def listed(errors: Sequence[Any]) -> list[dict[str, str]]:
    """Return Pydantic's errors as fields with a sentence each."""
    return [{"field": _field(e["loc"]) or "body", "message": str(e["msg"])} for e in errors]


def install(app: FastAPI, pages: Pages) -> None:
    """Teach an application all its refusals."""

    def answer(request: Request, status: int, detail: str, errors: Sequence[dict[str, str]] = ()) -> Response:
        if request.url.path.startswith("/api/"):
            return problem(status, detail, errors)
        template = "_refusal.html" if request.headers.get("hx-request") else "refusal.html"
        with pages.desk.open() as opened:
            return pages.show(
                request, opened, template, status, title=_TITLES.get(status, "Refused"), detail=detail, errors=errors
            )

    async def on_validation(request: Request, error: RequestValidationError) -> Response:
        errors = listed(error.errors())
        return answer(request, 422, f"{errors[0]['field']}: {errors[0]['message']}", errors)

    async def on_core(request: Request, error: CoreError) -> Response:
        errors = [{"field": error.field, "message": str(error)}] if error.field else []
        return answer(request, 422, str(error), errors)

    async def on_refused(request: Request, error: Refused) -> Response:
        errors = [{"field": field, "message": note} for field, note in error.notes.items()]
        return answer(request, error.status, " ".join([str(error), *error.notes.values()]), errors)

    async def on_conflict(request: Request, error: Exception) -> Response:
        return answer(request, 409, str(error))

    async def on_unknown(request: Request, error: Exception) -> Response:
        return answer(request, 422, str(error))

    async def on_too_large(request: Request, error: Exception) -> Response:
        return answer(request, 413, "More was sent than is read. Send less, in parts.")

    async def on_http(request: Request, error: HTTPException) -> Response:
        detail = "There is nothing at this address." if error.status_code == 404 else str(error.detail)
        return answer(request, error.status_code, detail)

    handlers: dict[Any, Any] = {
        RequestValidationError: on_validation,
        CoreError: on_core,
        Refused: on_refused,
        Conflict: on_conflict,
        UnknownTarget: on_unknown,
        TooLarge: on_too_large,
        HTTPException: on_http,
    }
    for kind, handler in handlers.items():
        app.add_exception_handler(kind, handler)
