"""A real browser on a real server whose clock stands at T0 until it is turned."""

import shutil
import threading
import time
from types import SimpleNamespace

import pytest
import uvicorn
from playwright.sync_api import sync_playwright
from tests.support import T0, ShopOnTrial, demo_laid

from cool_sheen.settings import Settings
from cool_sheen.store import photos
from cool_sheen.web.premises import Premises

FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip


@pytest.fixture(scope="session")
def browser():
    with sync_playwright() as playwright:
        started = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS)
        yield started
        started.close()


class Served:
    """A shop behind an address."""

    def __init__(self, shop: ShopOnTrial) -> None:
        self.shop = shop
        config = uvicorn.Config(shop.http.app, port=0, log_level="error")
        self.server = uvicorn.Server(config)
        self.thread = threading.Thread(target=self.server.run, daemon=True)
        self.thread.start()
        while not self.server.started:
            time.sleep(0.01)
        self.address = f"http://127.0.0.1:{self.server.servers[0].sockets[0].getsockname()[1]}"

    def stop(self) -> None:
        self.server.should_exit = True
        self.thread.join(5)


@pytest.fixture
def served(request, tmp_path):
    """The demo shop, or another by ``@pytest.mark.parametrize("served", [{...}], indirect=True)``."""
    asked = dict(getattr(request, "param", {"demo": True}))
    if asked.pop("premises", False):
        settings = Settings(data=tmp_path)
        settings.demo_database.parent.mkdir()
        shutil.copy(demo_laid(T0), settings.demo_database)
        photos.bring(demo_laid(T0), settings.demo_database)
        premises = Premises(settings, clock=lambda: T0)
        shop = SimpleNamespace(http=SimpleNamespace(app=premises.open()))
    else:
        premises, shop = None, ShopOnTrial(tmp_path, **asked)
    running = Served(shop)
    yield running
    running.stop()
    if premises is not None:
        premises.close()


@pytest.fixture
def page(browser, served, request):
    """A page at T0 that fails on any refusal of the policy and on any error of a script.

    What works without the program is tried where it is asked for: elsewhere nothing is fetched ahead for it.
    """
    works_without = "several_devices" in request.module.__name__
    context = browser.new_context(
        viewport={"width": 1280, "height": 800},
        locale="en-GB",
        timezone_id="Europe/Berlin",
        base_url=served.address,
        service_workers="allow" if works_without else "block",
    )
    opened = context.new_page()
    wrong = []
    opened.on("pageerror", lambda error: wrong.append(str(error)))
    opened.on(
        "console",
        lambda m: wrong.append(m.text) if "Content Security Policy" in m.text or "evalDisallowed" in m.text else None,
    )
    opened.clock.install(time=T0)
    yield opened
    opened.unroute_all(behavior="ignoreErrors")  # an answer that is still held back is no trouble of the next test
    context.close()
    assert not wrong
