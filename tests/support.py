"""What the tests share: worked examples, a shop with a clock that can be turned, and steady climates."""

import json
import re
import shutil
import socket
import tempfile
from collections import deque
from collections.abc import Mapping
from contextlib import ExitStack
from datetime import UTC, datetime, timedelta
from functools import cache
from pathlib import Path
from typing import Any
from uuid import UUID, uuid4

from fastapi.testclient import TestClient
from sqlalchemy import event

from cool_sheen.core.climate.series import Series
from cool_sheen.core.press.contradictions import CHECKS
from cool_sheen.demo import shop as demo_shop
from cool_sheen.service.confirmations import offer_of
from cool_sheen.service.jobs import spaces_by_id
from cool_sheen.service.opening import open_workshop
from cool_sheen.service.own_ways import Ways, ways_of
from cool_sheen.service.part_now import part_now
from cool_sheen.service.shops import NewSpace, set_up
from cool_sheen.service.unit import Unit
from cool_sheen.settings import Settings
from cool_sheen.store import photos
from cool_sheen.store.engine import session
from cool_sheen.store.opening import close, open_engine
from cool_sheen.web.app import create_app
from cool_sheen.web.forms import mark
from cool_sheen.web.pages.part_dialogs import row_for, zones_named
from cool_sheen.web.pages.shop_form import values_of

EXAMPLES = Path(__file__).parent / "examples"
T0 = datetime(2026, 6, 8, 8, 0, tzinfo=UTC)
# What was asked is reported by the benches; they fail only where no busy or slow machine explains it.
A_SLOW_MACHINE = 3.0
_LOOKS = 8  # how many parts a test looks at while it compares them
ORIGIN = {"Origin": "http://testserver"}


def examples(name: str) -> list[dict[str, Any]]:
    """Read a file of worked examples."""
    return json.loads((EXAMPLES / f"{name}.json").read_text())


def worked(name: str) -> list[dict[str, Any]]:
    """Read the examples that have figures; refusals are the contract's."""
    return [case for case in examples(name) if "status" not in case["response"]]


def steady(air_temp_c: float, rh_pct: float, at: datetime = T0, surface: float | None = None) -> Series:
    """A climate that stays as it is."""
    return Series.of([at], [air_temp_c], [rh_pct], [surface])


def series_of(points: list[dict[str, Any]]) -> Series:
    """A series from an example's points."""
    return Series.of(
        [datetime.fromisoformat(p["at"]) for p in points],
        [p["air_temp_c"] for p in points],
        [p["rh_pct"] for p in points],
        [p.get("surface_temp_c") for p in points],
    )


# Beside these, white space does not show: how a template breaks its lines is nothing that a test should hang on.
_BLOCKS = (
    "html|head|body|main|header|footer|nav|section|article|aside|div|p|ul|ol|li|dl|dt|dd|table|thead|tbody|tfoot|tr|th|td|"
    "caption|form|fieldset|legend|option|optgroup|datalist|figure|figcaption|h[1-6]|hr|details|summary|dialog|template|meta|"
    "link|svg|g|path|line|rect|circle|ellipse|polygon|polyline|defs|use|stop|mask|pattern|text|desc|label|input|select|button|"
    "progress|clipPath|linearGradient"
)
_BESIDE = re.compile(rf" ?(</?(?:{_BLOCKS})(?=[ />])[^>]*>) ?")
_KEPT = re.compile(r"(<textarea.*?</textarea>|<pre.*?</pre>)", re.DOTALL)


def as_seen(html: str) -> str:
    """A page as it is laid out: without the white space that does not show."""
    out = []
    for piece in _KEPT.split(html):
        out.append(piece if _KEPT.match(piece) else _BESIDE.sub(r"\1", re.sub(r"\s+", " ", piece)).replace(" >", ">"))
    return "".join(out)


# What Pydantic and Python say, and names of fields and keys: no page says it.
PHRASES = re.compile(
    r"Field required|Input should|String should|should match pattern|Value error|pydantic|Traceback|NoneType|UUID\("
)
_CODE_WORDS = re.compile(r"\b[a-z]+_[a-z0-9_]*[a-z0-9]\b")
_SAID = re.compile(r'(?:aria-label|placeholder|title|alt)="([^"]*)"')
# Not what a page says: scripts, and what stands in somebody else's file, word for word.
_UNSAID = re.compile(
    r'<(script|style|code|pre)\b.*?</\1>|<(table|td) class="[^"]*mono".*?</\2>|<[^>]*>|\{&#34;.*?\}', re.S
)


def code_words(page: str) -> list[str]:
    """What of a page's words is a machine's."""
    words = [_UNSAID.sub(" ", page), *_SAID.findall(page)]
    return [found[0] for text in words for found in re.finditer(f"{PHRASES.pattern}|{_CODE_WORDS.pattern}", text)]


def _seen(response: Any) -> None:
    """Give a test the page as it is laid out."""
    if "text/html" in response.headers.get("content-type", ""):
        response.read()
        assert not (strange := code_words(response.text)), f"{response.request.url} says {strange}"
        response._content = as_seen(response.text).encode()
        if hasattr(response, "_text"):
            del response._text


def free_port() -> int:
    """A port that nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


class TurnedClock:
    """A clock that stands until it is turned."""

    def __init__(self, at: datetime = T0) -> None:
        self.at = at

    def __call__(self) -> datetime:
        return self.at

    def turn(self, **by: float) -> None:
        self.at += timedelta(**by)


@cache
def demo_laid(at: datetime) -> Path:
    """Lay the demo shop once for this process; every shop on trial starts from a copy of the file."""
    file = Path(tempfile.mkdtemp()) / "demo.sqlite3"
    workshop = open_workshop(open_engine(file), TurnedClock(at))
    with workshop.write() as unit:
        demo_shop.lay(unit)
    close(workshop.engine)
    return file


@cache
def empty_made() -> Path:
    """Make an empty shop's file once for this process: all its tables, and nothing in them."""
    file = Path(tempfile.mkdtemp()) / "empty.sqlite3"
    close(open_engine(file))
    return file


def _without_waiting_for_the_disk(connection, _record, _proxy) -> None:
    """Nobody pulls the plug of a shop on trial; programs that are killed are tried with all that they do."""
    connection.execute("PRAGMA synchronous=OFF")


SURE = ",".join(sorted({"offer", "test", "film", "tested", *(check.code for check in CHECKS)}))  # of whatever is asked


ANY_ROW = {"offered": "1:any", "sure": SURE}  # whoever presses on and on, whatever is next, and confirms all


def zones_in(dialog: str) -> dict[str, str]:
    """All zones that a dialog lists, as a press names them; nothing for a part of one zone."""
    return dict.fromkeys(re.findall(r'name="(zone_[0-9a-f-]{36})"', dialog), "1")


class ShopOnTrial:
    """An application over a database of its own, driven over HTTP."""

    def __init__(self, folder: Path, *, demo: bool = False, empty: bool = False, at: datetime = T0) -> None:
        self.clock = TurnedClock(at)
        self._looks: deque[ExitStack] = deque()
        shutil.copy(demo_laid(at) if demo else empty_made(), folder / "shop.sqlite3")
        if demo:
            photos.bring(demo_laid(at), folder / "shop.sqlite3")
        engine = open_engine(folder / "shop.sqlite3")
        event.listen(engine, "checkout", _without_waiting_for_the_disk)
        self.workshop = open_workshop(engine, self.clock)
        self.http = TestClient(
            create_app(self.workshop, Settings(dev=True, hosts="testserver,127.0.0.1,localhost")),
            headers=ORIGIN,
            follow_redirects=False,
        )
        self.http.event_hooks = {"request": [], "response": [_seen]}
        with self.workshop.write() as unit:
            if not demo and not empty:
                shop = Ways(name="Trial shop", time_zone="Europe/Berlin")
                room = NewSpace(name="Room", kind="insulated_shop", heater_min_c=20, dehumidifier_max_rh_pct=50)
                set_up(unit, shop, [room], seed=3)

    def change(self, **fields: str) -> Any:
        """Change the shop on its page: all that is not named is sent as it stands."""
        with self.workshop.read() as unit:
            there = values_of(ways_of(unit.the_shop))
        return self.http.post("/shop", data={**there, "seen": mark(there), **fields})

    def new_part(self, system: str = "two-stage-epoxy", substrate: str = "bare_steel_cast", area: str = "1,4") -> UUID:
        """Make a part through the form, and return its id."""
        with self.workshop.read() as unit:
            space = next(s.uuid for s in spaces_by_id(unit).values() if s.name in ("Room", "Booth"))
        form = {"project_name": "Toolroom lathe", "name": "Headstock casting", "substrate": substrate, "area": area}
        answer = self.http.post("/jobs/new", data={**form, "space": str(space), "system": system})
        assert answer.status_code == 303, answer.text
        return UUID(answer.headers["location"].rsplit("/", 1)[1])

    def log(self, part: UUID, verb: str, press: UUID | None = None, **fields: str) -> Any:
        """Press a button of the row that it logs, with the zones that its form has ticked; what is asked is confirmed."""
        shown = {} if "offered" in fields else self.offered(part, verb, fields)
        sent = {"press": str(press or uuid4()), "sure": "offer", **shown, **fields}
        answer = self._post(part, verb, sent)
        asked = re.search(r'name="sure" value="([^"]+)"', answer.text) if answer.status_code == 200 else None
        if asked and answer.headers.get("HX-Reswap") == "none" and not {"sure", "offered"} & fields.keys():
            answer = self._post(part, verb, sent | {"sure": asked[1]})
        return answer

    def _post(self, part: UUID, verb: str, sent: dict[str, str]) -> Any:
        return self.http.post(f"/parts/{part}/{verb}", data=sent, headers={"HX-Request": "true"})

    def offered(self, part: UUID | str, verb: str, fields: Mapping[str, str]) -> dict[str, str]:
        """What the form of a press says of itself: the row that it is of, and its zones where none are chosen."""
        if verb not in ("coat", "touch", "sand", "step", "bake", "reading"):
            return {}
        with self.workshop.read() as unit:
            found = row_for(part_now(unit, UUID(str(part))), verb, "")
            chosen = any(name.startswith("zone_") for name in fields) or len(found.zones) < 2
            return {"offered": offer_of(found), **({} if chosen else zones_named(found, verb))}

    def standing(self, part: UUID) -> Any:
        """How a part stands now; what was asked of it can be looked at until it was asked a few times more."""
        look = ExitStack()
        self._looks.append(look)
        while len(self._looks) > _LOOKS:
            self._looks.popleft().close()
        opened = look.enter_context(session(self.workshop.engine, writes=False))
        return part_now(Unit(self.workshop, opened, self.clock()), part)

    def look_away(self) -> None:
        """Let go of how the parts stood: whoever closes the file, or asks for the last of its readers, does so first."""
        while self._looks:
            self._looks.pop().close()

    def do_next(self, part: UUID) -> str:
        """Do what the part's next action asks for, waiting for it when it must be waited for; say what was done."""
        action = self.standing(part).action
        waits = action.does in ("touch_test", "") or action.alarm == "wait"
        if (action.counts_to and waits) or action.state in ("gate", "limit"):
            assert action.counts_to, action
            self.clock.at = action.counts_to + timedelta(minutes=1)
            action = self.standing(part).action
        if action.does == "touch_test":
            assert self.log(part, "touch", ready="yes").status_code == 200
            return "touch"
        if action.does == "coat":
            assert self.log(part, "coat").status_code == 200
        elif action.does == "sand":
            assert self.log(part, "sand", grit=action.grit).status_code == 200
        elif action.does == "bake":
            stage = action.step
            self.clock.turn(minutes=stage.hold_minutes + 5)
            read = {"metal": f"{stage.metal_temp_c} C", "minutes": str(stage.hold_minutes)}
            answer = self.log(part, "bake", **read)
            assert answer.status_code == 200, answer.text
        elif action.does:
            assert self.log(part, "step", kind=action.does).status_code == 200
        self.clock.turn(minutes=5)
        return action.does
