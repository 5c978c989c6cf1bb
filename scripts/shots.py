"""Take one picture of each main view of the demo shop, for the README."""

import shutil
import sys
import tempfile
from pathlib import Path
from uuid import uuid4

sys.path[:0] = ["src", "."]

from playwright.sync_api import sync_playwright  # noqa: E402
from tests.browser.conftest import FLAGS, Served  # noqa: E402
from tests.support import T0, ShopOnTrial  # noqa: E402

OUT = Path("docs/screenshots")


MARKS = (
    ("Scroll faces", "other", "weld spatter", "0.3", "0.6"),
    ("Foot", "fibres", "under the lip", "0.7", "0.5"),
    ("Slats below", "support", "two feet", "", ""),
)
View = tuple[str, int, int, bool]  # address, width, height, booth mode


def _views(served: Served) -> dict[str, View]:
    """What is photographed, by the name of its picture; a batch is begun and half poured for it."""
    part = (
        served.shop.http.get("/")
        .text.split('data-name="Headstock casting"')[0]
        .rsplit('data-part="', 1)[1]
        .split('"')[0]
    )
    yard = served.shop.http.get("/weather").text.split(">Yard<")[0].rsplit('value="', 1)[1].split('"')[0]
    bench_end = served.shop.http.get("/jobs").text.split(">Bench end")[0].rsplit('href="', 1)[1].split('"')[0]
    frame = served.shop.http.get("/jobs").text.split(">Frame and fork")[0].rsplit('href="', 1)[1].split('"')[0]
    radiator = served.shop.http.get("/jobs").text.split(">Column radiator")[0].rsplit('href="', 1)[1].split('"')[0]
    head = f"part_{part}=1"
    mix = f"/mix/new?product=clear-two-pack&{head}&tare=38"
    served.shop.http.headers["Origin"] = "http://testserver"
    pouring = {
        "product": "single-stage-two-pack",
        "press": str(uuid4()),
        "how": "ready",
        "amount": "400 ml",
        "cup": "1 l",
    }
    pour = served.shop.http.post("/mix/new", data=pouring).headers["location"]
    for step in ({"gate": "base_stirred"}, {"gate": "colour_checked"}, {"line": "0", "how": "mark"}):
        verb = "stamp" if "gate" in step else "pour"
        served.shop.http.post(f"{pour}/{verb}", data={"press": str(uuid4()), **step})
    served.shop.http.post("/plan", data={"painters": "1", "guns": "1"})
    for zone, what, where, x, y in MARKS:
        named = (
            served.shop.http.get(f"{bench_end}/inspect")
            .text.split(f">{zone}</option>")[0]
            .rsplit('value="', 1)[1]
            .split('"')[0]
        )
        mark = {"press": str(uuid4()), "zone": named, "what": what, "where": where, "x": x, "y": y}
        served.shop.http.post(f"{bench_end}/inspect/mark", data=mark)
    return {
        "mix": (mix, 1280, 900, False),
        "clinic": (f"/parts/{part}/clinic?defect=orange-peel", 1280, 1000, False),
        "inspect": (f"{bench_end}/inspect", 1280, 900, False),
        "plan": ("/plan", 1280, 900, False),
        "stores": ("/stores", 1280, 900, False),
        "bench": ("/", 1280, 800, False),
        "bench-booth": ("/", 1280, 800, True),
        "bench-phone": ("/", 390, 844, False),
        "part": (f"/parts/{part}", 1280, 1000, False),
        "jobs": ("/jobs", 1280, 800, False),
        "weather": (f"/weather?space={yard}&product=primer-one-pack", 1280, 900, False),
        "survey": (f"{bench_end}/survey", 1280, 900, False),
        "builder": (f"{bench_end}/system?layer=barrier", 1280, 900, False),
        "systems": ("/systems", 1280, 900, False),
        "pieces": (f"{radiator}/pieces", 1280, 900, False),
        "story": (f"{frame}/story", 1280, 900, False),
        "shelf": ("/shelf", 1280, 800, False),
        "gun": (f"/gun?part={part}", 1280, 1000, False),
        "field": ("/gun/field?product=clear-two-pack&coats=2&second=across", 1280, 900, False),
    }


def main() -> None:
    """Serve the demo shop at a fixed time and photograph it."""
    served = Served(ShopOnTrial(Path(tempfile.mkdtemp()), demo=True))
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS)
        for name, (address, width, height, booth) in _views(served).items():
            context = browser.new_context(
                viewport={"width": width, "height": height}, timezone_id="Europe/Berlin", base_url=served.address
            )
            if booth:
                context.add_cookies([{"name": "booth", "value": "1", "url": served.address}])
            page = context.new_page()
            page.clock.install(time=T0)
            page.goto(address)
            page.wait_for_timeout(500)
            page.screenshot(path=OUT / f"{name}.png")
            context.close()
        browser.close()
    served.stop()


if __name__ == "__main__":
    main()
