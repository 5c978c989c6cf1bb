"""What is served when the shop's file cannot be opened: one page that says why, and tries again."""

from collections.abc import Callable

from starlette.requests import Request
from starlette.responses import JSONResponse
from starlette.routing import Route
from starlette.types import ASGIApp, Receive, Scope, Send

from cool_sheen.store.troubles import Trouble
from cool_sheen.web.assets import Assets
from cool_sheen.web.security import Doorkeeper
from cool_sheen.web.templating import bare_environment
from cool_sheen.web.troubles import Teller


class Closed:
    """Serves the trouble until the shop opens, and the shop from then on."""

    def __init__(self, trouble: Trouble, open_shop: Callable[[], ASGIApp], hosts: list[str]) -> None:
        self.trouble, self.open_shop, self.hosts = trouble, open_shop, hosts
        assets = Assets()
        self._static = Route("/static/{path:path}", assets.serve, methods=["GET", "HEAD"])
        self._teller = Teller(bare_environment(assets))
        self._shop: ASGIApp | None = None
        self._door = Doorkeeper(self._tell, hosts)

    async def __call__(  # noqa: D102 - ASGI
        self, scope: Scope, receive: Receive, send: Send
    ) -> None:
        await (self._shop or self._door)(scope, receive, send)

    async def _tell(self, scope: Scope, receive: Receive, send: Send) -> None:
        path = scope["path"]
        if path.startswith("/static/"):
            await self._static.handle(scope, receive, send)
            return
        if path == "/healthz":
            await JSONResponse({"status": "closed", "detail": str(self.trouble)}, 503)(scope, receive, send)
            return
        if scope["method"] == "GET" and path == "/":
            try:
                self._shop = self.open_shop()
            except Trouble as trouble:
                self.trouble = trouble
            else:
                await self._shop(scope, receive, send)
                return
        then = "The shop is closed until then, and nothing has been changed. When it is done, load this page again."
        answer = self._teller.answer(Request(scope), 503, str(self.trouble), then)
        await answer(scope, receive, send)
