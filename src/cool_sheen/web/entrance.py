"""The entrance of a shop that is opened to the network: nobody comes in without its passcode."""

import asyncio
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import timedelta
from pathlib import Path
from time import monotonic
from urllib.parse import quote

from itsdangerous import BadSignature, TimestampSigner
from jinja2 import Environment
from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, PlainTextResponse, RedirectResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from cool_sheen.store.passcode import Passcode, read_passcode
from cool_sheen.web.assets import Assets
from cool_sheen.web.persons import PERSON, person_said
from cool_sheen.web.security import bears_a_token
from cool_sheen.web.templating import bare_environment

SESSION = "session"
LASTS = timedelta(hours=16)  # a long working day since the last page
RENEWED = timedelta(hours=1)
_FREE = re.compile(r"/static/.*|/healthz|/sw\.js")
_PATH = re.compile(r"/(?!/)[\w./?&=%-]*")
_MOST_FIELDS = 8


@dataclass(eq=False)
class Slowed:
    """Wrong passcodes make the next attempt wait: of one address twice as long each time, of all after many."""

    clock: Callable[[], float] = monotonic
    free: int = 3  # wrong ones that cost nothing
    most_s: float = 300.0
    all_free: int = 40
    _wrong: dict[str, tuple[int, float]] = field(default_factory=dict)
    _of_all: list[float] = field(default_factory=list)

    def waits_s(self, address: str) -> float:
        """How long an address has to wait before it may try again. [s]"""
        count, last = self._wrong.get(address, (0, 0.0))
        own = last + min(self.most_s, 2.0 ** (count - self.free)) - self.clock() if count > self.free else 0.0
        lately = [at for at in self._of_all if at > self.clock() - self.most_s]
        everybody = lately[-1] + 5.0 - self.clock() if len(lately) > self.all_free else 0.0
        return max(0.0, own, everybody)

    def wrong(self, address: str) -> None:
        """Note a wrong passcode."""
        count, _ = self._wrong.get(address, (0, 0.0))
        if len(self._wrong) > 2000:  # addresses cost nothing to whoever has many
            self._wrong.clear()
        self._wrong[address] = (count + 1, self.clock())
        self._of_all = [*self._of_all[-200:], self.clock()]

    def right(self, address: str) -> None:
        """Forget what an address got wrong."""
        self._wrong.pop(address, None)


class Entrance:
    """ASGI middleware around a shop: a page without a session leads to the passcode, anything else is refused."""

    def __init__(self, app: ASGIApp, file: Path, *, secure: bool = False, slowed: Slowed | None = None) -> None:
        """Prepare.

        Args:
            app: The shop.
            file: Where the passcode is kept.
            secure: Whether it is served over TLS: the session is sent over nothing else then.
            slowed: What slows wrong attempts down.
        """
        self.app, self.file, self.secure = app, file, secure
        self.slowed = slowed or Slowed()
        self._assets = Assets()
        self._environment: Environment = bare_environment(self._assets)
        self._mark: tuple[int, int] | None = None
        self._kept: Passcode | None = None
        self._at_once = asyncio.Semaphore(2)  # each takes its time and 64 MB, by design

    async def __call__(  # noqa: D102 - ASGI
        self, scope: Scope, receive: Receive, send: Send
    ) -> None:
        if scope["type"] != "http" or _FREE.fullmatch(scope["path"]):
            await self.app(scope, receive, send)
            return
        request = Request(scope, receive)
        if bears_a_token(scope["path"], request.headers):
            await self.app(scope, receive, send)
            return
        kept = self._passcode()
        if scope["path"] == "/enter":
            answer = await self._enter(request, kept)
            await answer(scope, receive, send)
            return
        age = self._age(request, kept)
        if age is None or kept is None:
            await self._refused(request)(scope, receive, send)
            return
        renewed = None if age < RENEWED.total_seconds() else self._cookie(kept)
        await self.app(scope, receive, _with_cookie(send, renewed))

    def _passcode(self) -> Passcode | None:
        """What is kept of the passcode, read again when it was set anew: every request asks."""
        try:
            found = self.file.stat()
        except OSError:
            return None
        mark = (found.st_mtime_ns, found.st_ino)
        if mark != self._mark:
            self._mark, self._kept = mark, read_passcode(self.file)
        return self._kept

    def _age(self, request: Request, kept: Passcode | None) -> int | None:
        """How old a session is [s]; None where there is none, or it has ended."""
        said = request.cookies.get(SESSION, "")
        if kept is None or not said:
            return None
        signer = TimestampSigner(kept.secret)
        try:
            _, at = signer.unsign(said, max_age=int(LASTS.total_seconds()), return_timestamp=True)
        except BadSignature:
            return None
        return signer.get_timestamp() - int(at.timestamp())

    def _refused(self, request: Request) -> Response:
        words = "Enter the passcode of this shop first: load the page again."
        if request.url.path.startswith("/api/"):
            body = {"title": "Not let in", "status": 401, "detail": words, "errors": []}
            return JSONResponse(body, 401, media_type="application/problem+json")
        asks = request.method == "GET" and "text/html" in request.headers.get("accept", "")
        if not asks or request.headers.get("hx-request"):
            return PlainTextResponse(words, 401)
        path = request.url.path + (f"?{request.url.query}" if request.url.query else "")
        return RedirectResponse(f"/enter?to={quote(path, safe='')}", 303)

    async def _enter(self, request: Request, kept: Passcode | None) -> Response:
        if request.method != "POST":
            return self._page(request, 200, "", request.query_params.get("to", "/"))
        async with request.form(max_fields=_MOST_FIELDS, max_files=0, max_part_size=4096) as form:
            said = {name: str(value)[:300] for name, value in form.items()}
        to = said.get("to", "/")
        if "leave" in said:
            answer: Response = RedirectResponse("/enter", 303)
            answer.delete_cookie(SESSION)
            return answer
        address = request.client.host if request.client else "?"
        if (wait := self.slowed.waits_s(address)) > 0:
            words = f"Too many wrong passcodes. Wait {max(1, round(wait))} s, and try again."
            refusal = self._page(request, 429, words, to, said.get("person", ""))
            refusal.headers["Retry-After"] = str(max(1, round(wait)))
            return refusal
        typed = said.get("passcode", "")
        async with self._at_once:
            fits = kept is not None and await asyncio.to_thread(kept.fits, typed)
        if not fits or kept is None:
            self.slowed.wrong(address)
            return self._page(request, 403, "That is not the passcode of this shop.", to, said.get("person", ""))
        self.slowed.right(address)
        answer = RedirectResponse(to if _PATH.fullmatch(to) else "/", 303)
        answer.headers.append("set-cookie", self._cookie(kept))
        if person := person_said(said.get("person", "")):
            answer.set_cookie(PERSON, quote(person), max_age=315_360_000, httponly=True, samesite="strict")
        return answer

    def _cookie(self, kept: Passcode) -> str:
        value = TimestampSigner(kept.secret).sign(b"in").decode()
        ends = f"Max-Age={int(LASTS.total_seconds())}; Path=/; HttpOnly; SameSite=Strict"
        return f"{SESSION}={value}; {ends}{'; Secure' if self.secure else ''}"

    def _page(self, request: Request, status: int, wrong: str, to: str, person: str = "") -> HTMLResponse:
        booth = request.cookies.get("booth") == "1"
        text = self._environment.get_template("enter.html").render(
            wrong=wrong, to=to, person=person, booth=booth, tls=self.secure
        )
        return HTMLResponse(text, status, headers={"Cache-Control": "no-store"})


def _with_cookie(send: Send, cookie: str | None) -> Send:
    async def sending(message: Message) -> None:
        if cookie and message["type"] == "http.response.start":
            message["headers"] = [*message.get("headers", []), (b"set-cookie", cookie.encode())]
        await send(message)

    return sending
