"""When something goes wrong that is nobody's fault: whether what was pressed was saved, and what to do."""

import logging
from secrets import token_hex

from fastapi import Request
from fastapi.responses import HTMLResponse, JSONResponse, Response
from jinja2 import Environment
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from cool_sheen.service.unit import count_saved
from cool_sheen.store.troubles import told
from cool_sheen.web.security import TooLarge
from cool_sheen.web.turnstile import ASK_AGAIN_S

SAVED = "What was pressed has been saved: load the page again to see it."
NOT_SAVED = (
    "Nothing of it was saved. What was typed still stands on the page before this one: go back, and press again."
)
NOTHING_PRESSED = "Nothing was changed: load the page again."
_UNKNOWN = "Something happened that Cool Sheen was not made for."
_say = logging.getLogger(__name__)


def in_words(method: str, error: BaseException, saved: bool) -> tuple[str, str]:
    """Return what is wrong, and what became of the press."""
    if method in ("GET", "HEAD"):
        return told(error) or _UNKNOWN, NOTHING_PRESSED
    return told(error) or _UNKNOWN, SAVED if saved else NOT_SAVED


class Teller:
    """Answers for trouble; it asks no database, which may be the trouble."""

    def __init__(self, environment: Environment) -> None:
        self.environment = environment

    def trouble(self, request: Request, error: Exception, saved: bool) -> Response:
        """Say what is wrong and whether what was pressed was saved; the console says where."""
        number = token_hex(3)
        known = told(error)
        if known:
            _say.error("%s %s: %s (%s)", request.method, request.url.path, known, number)
        else:
            _say.exception("%s %s failed (%s)", request.method, request.url.path, number, exc_info=error)
        what, then = in_words(request.method, error, saved)
        found = f"The console says more under {number}." if not known else ""
        return self.answer(request, 503 if known else 500, what, " ".join(filter(None, (then, found))))

    async def busy(self, request: Request, before: int) -> Response:
        """Say that others are before; a page asks again by itself."""
        then = f"There are {before} before you."
        again = request.method == "GET" and not request.headers.get("hx-request")
        then += " This page asks again by itself." if again else " Nothing was changed: press again in a moment."
        answer = self.answer(request, 503, "Cool Sheen is busy.", then, again=again)
        answer.headers["Retry-After"] = str(ASK_AGAIN_S)
        return answer

    def answer(self, request: Request, status: int, what: str, then: str, *, again: bool = False) -> Response:
        """Return an answer of the kind that was asked for."""
        if request.url.path.startswith("/api/"):
            body = {"title": "Trouble", "status": status, "detail": f"{what} {then}", "errors": []}
            return JSONResponse(body, status, media_type="application/problem+json")
        template = "_refusal.html" if request.headers.get("hx-request") else "trouble.html"
        text = self.environment.get_template(template).render(
            detail=f"{what} {then}",
            what=what,
            asks={},
            then=then,
            booth=request.cookies.get("booth") == "1",
            again=ASK_AGAIN_S if again else 0,
            safe=request.method in ("GET", "HEAD"),
        )
        return HTMLResponse(text, status)


class Troubles:
    """ASGI middleware: whatever goes wrong inside is told, under the same headers as any page."""

    def __init__(self, app: ASGIApp, teller: Teller) -> None:
        self.app, self.teller = app, teller

    async def __call__(  # noqa: D102 - ASGI
        self, scope: Scope, receive: Receive, send: Send
    ) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        saved = count_saved()
        begun = False

        async def noting(message: Message) -> None:
            nonlocal begun
            begun = begun or message["type"] == "http.response.start"
            await send(message)

        try:
            await self.app(scope, receive, noting)
        except TooLarge as error:
            if begun:
                raise
            await self.teller.answer(Request(scope), 413, str(error), NOT_SAVED)(scope, receive, send)
        except Exception as error:
            if begun:  # half an answer is out: the connection breaks, and whoever asked sees that
                raise
            await self.teller.trouble(Request(scope), error, bool(saved))(scope, receive, send)
