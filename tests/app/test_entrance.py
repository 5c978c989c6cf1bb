"""A shop that is opened to the network: a passcode, sessions that end, attempts slowed, a certificate, and who did it."""

import ssl
from datetime import UTC, datetime
from uuid import uuid4

import pytest
from fastapi.testclient import TestClient
from typer.testing import CliRunner

from cool_sheen import cli
from cool_sheen.settings import Settings
from cool_sheen.store import log
from cool_sheen.store.certificates import make_certificate
from cool_sheen.store.passcode import TooPlain, read_passcode, set_passcode
from cool_sheen.web import entrance
from cool_sheen.web.app import create_app
from cool_sheen.web.entrance import Entrance, Slowed
from cool_sheen.web.security import Doorkeeper

PASSCODE = "grey epoxy 42"
HTML = {"accept": "text/html"}


class Seconds:
    """A clock of seconds that stands until it is turned."""

    def __init__(self):
        self.at = 1000.0

    def __call__(self):
        return self.at


@pytest.fixture
def opened(shop, tmp_path):
    """A shop behind its entrance, and the file of its passcode."""
    file = tmp_path / "passcode.json"
    set_passcode(file, PASSCODE)
    seconds = Seconds()
    settings = Settings(hosts="testserver", dev=True)
    inner = Entrance(create_app(shop.workshop, settings), file, slowed=Slowed(seconds))
    client = TestClient(
        Doorkeeper(inner, settings.host_names), headers={"Origin": "http://testserver"}, follow_redirects=False
    )
    return shop, client, file, seconds


def enter(client, passcode=PASSCODE, **more):
    return client.post("/enter", data={"passcode": passcode, "to": "/jobs", **more})


def test_nobody_sees_or_changes_anything_without_the_passcode(opened):
    shop, client, _, _ = opened
    part = shop.new_part()
    away = client.get("/jobs", headers=HTML)
    assert (away.status_code, away.headers["location"]) == (303, "/enter?to=%2Fjobs")
    for path in ("/news", "/away", "/alarms", "/api/openapi.json", f"/parts/{part}"):
        assert client.get(path).status_code == 401, path
    press = client.post(f"/parts/{part}/step", data={"press": str(uuid4()), "kind": "wash"})
    assert press.status_code == 401
    assert client.post("/api/v1/climate/air", json={}).status_code == 401
    assert not shop.standing(part).history.works
    for forged in ("in", "in.aa.bb", "in.aYnXyw.0123456789abcdef0123456789abcdef"):
        assert client.get("/jobs", headers={**HTML, "cookie": f"session={forged}"}).status_code == 303
    assert client.get("/healthz").status_code == 200


def test_with_the_passcode_one_works_as_oneself_until_the_session_ends(opened, monkeypatch):
    shop, client, file, _ = opened
    part = shop.new_part()
    answer = enter(client, person="  Inge\tLarsen ")
    assert (answer.status_code, answer.headers["location"]) == (303, "/jobs")
    assert "HttpOnly" in answer.headers["set-cookie"]
    assert client.get("/jobs", headers=HTML).status_code == 200
    assert (
        client.post(
            f"/parts/{part}/step", data={"press": str(uuid4()), "kind": "wash", **shop.offered(part, "step", {})}
        ).status_code
        == 303
    )
    with shop.workshop.read() as unit:
        assert log.of_part(unit.session, part)[-1].entry.person == "Inge Larsen"
    assert "Inge Larsen" in client.get(f"/parts/{part}", headers=HTML).text
    # a day later it has ended; a page within the day renews it
    real = entrance.TimestampSigner
    for hours, status in ((15, 200), (30, 200), (47, 303)):

        class Later(real):
            def get_timestamp(self, hours=hours):
                return super().get_timestamp() + hours * 3600

        monkeypatch.setattr(entrance, "TimestampSigner", Later)
        assert client.get("/jobs", headers=HTML).status_code == status
    monkeypatch.undo()
    enter(client)
    set_passcode(file, "another code 7")  # whoever was in enters the new one
    assert client.get("/jobs", headers=HTML).status_code == 303
    assert enter(client).status_code == 403
    assert enter(client, "another code 7").status_code == 303
    assert enter(client, leave="1").status_code == 303
    assert client.get("/jobs", headers=HTML).status_code == 303


def test_wrong_passcodes_by_the_thousand_let_nobody_in_and_are_slowed(opened):
    _, client, _, seconds = opened
    told = []
    for n in range(1000):
        answer = enter(client, f"guess number {n}")
        told.append(answer.status_code)
        assert "session=" not in answer.headers.get("set-cookie", "")
        seconds.at += 0.1
    assert told[:4] == [403] * 4
    assert told.count(403) < 12  # the others were not even looked at
    assert set(told) == {403, 429}
    answer = enter(client)  # the right one waits, too
    assert answer.status_code == 429
    assert "Too many wrong passcodes. Wait" in answer.text
    seconds.at += int(answer.headers["Retry-After"]) + 1
    assert enter(client).status_code == 303


def test_attempts_from_many_addresses_are_slowed_together():
    seconds = Seconds()
    slowed = Slowed(seconds)
    for n in range(41):
        assert slowed.waits_s(f"10.0.0.{n}") == 0
        slowed.wrong(f"10.0.0.{n}")
    assert slowed.waits_s("10.0.0.200") == 5
    seconds.at += 5
    assert slowed.waits_s("10.0.0.200") == 0


@pytest.mark.parametrize(
    "to", ["//elsewhere.example", "https://elsewhere.example/", "/\\elsewhere", "javascript:1", ""]
)
def test_the_entrance_leads_nowhere_else(opened, to):
    assert enter(opened[1], to=to).headers["location"] == "/"


@pytest.mark.parametrize(
    ("typed", "fits"), [("x" * 7, False), ("aaabbbccc", False), ("abcdabcd", True), ("é" * 201, False)]
)
def test_a_passcode_has_its_bounds_and_is_kept_hashed(tmp_path, typed, fits):
    file = tmp_path / "deep" / "passcode.json"
    if not fits:
        with pytest.raises(TooPlain):
            set_passcode(file, typed)
        assert read_passcode(file) is None
        return
    set_passcode(file, typed)
    assert typed not in file.read_text()
    assert "argon2id" in file.read_text()
    assert file.stat().st_mode & 0o077 == 0
    assert read_passcode(file).fits(typed)
    assert not read_passcode(file).fits(typed + "x")


def test_a_shop_is_opened_with_a_name_and_a_passcode_alone(tmp_path, monkeypatch):
    monkeypatch.setenv("COOL_SHEEN_DATA", str(tmp_path))
    run = CliRunner()
    refused = run.invoke(cli.app, ["serve", "--open-as", "workshop.local", "--port", "1"])
    assert refused.exit_code == 1
    assert "Set a passcode before the network comes in" in refused.output
    assert run.invoke(cli.app, ["serve", "--open-as", "work shop", "--port", "1"]).exit_code == 1
    assert run.invoke(cli.app, ["passcode"], input="short\nshort\n").exit_code == 1
    assert run.invoke(cli.app, ["passcode"], input=f"{PASSCODE}\n{PASSCODE}\n").exit_code == 0
    settings = cli._opened_as(Settings(), "Workshop.local")
    assert settings.host_names[-1] == "workshop.local"
    plain = cli._config(lambda: None, settings, 8000)
    assert isinstance(plain.app, Doorkeeper)
    assert (plain.host, plain.ssl_certfile) == ("0.0.0.0", None)
    assert "not encrypted" in cli._where(settings, 8000)
    assert run.invoke(cli.app, ["certificate", "workshop.local"]).exit_code == 0
    assert cli._config(lambda: None, settings, 8000).ssl_certfile is not None
    assert cli._where(settings, 8000).startswith("https://workshop.local:8000")
    assert cli._config(lambda: None, Settings(), 8000).host == "127.0.0.1"


def test_a_certificate_is_one_that_a_client_takes_for_its_name_alone(tmp_path):
    certificate, key = make_certificate(tmp_path, "workshop.local", datetime.now(UTC))
    assert key.stat().st_mode & 0o077 == 0
    server, client = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER), ssl.create_default_context(cafile=str(certificate))
    server.load_cert_chain(certificate, key)
    for name, taken in (("workshop.local", True), ("localhost", True), ("elsewhere.local", False)):
        to_server, to_client = ssl.MemoryBIO(), ssl.MemoryBIO()
        ours = client.wrap_bio(to_client, to_server, server_hostname=name)
        theirs = server.wrap_bio(to_server, to_client, server_side=True)
        done = refused = False
        for _ in range(6):
            for side in (ours, theirs):
                try:
                    side.do_handshake()
                    done = side is ours or done
                except ssl.SSLWantReadError:
                    continue
                except ssl.SSLCertVerificationError:
                    refused = True
                except ssl.SSLError:
                    break
            if refused:
                break
        assert (done and not refused) == taken, name


def test_who_is_at_a_device_is_chosen_there(shop):
    part = shop.new_part()
    assert "What is logged here says so" in shop.http.get("/device").text
    assert shop.http.post("/device", data={"person": "Ane\u0000 <b>"}).status_code == 303
    assert "Ane &lt;b&gt;" in shop.http.get("/device").text
    assert shop.log(part, "step", kind="wash").status_code == 200
    shop.http.post("/device", data={"person": ""})
    assert shop.log(part, "step", kind="degrease").status_code == 200
    with shop.workshop.read() as unit:
        assert [r.entry.person for r in log.of_part(unit.session, part)][-2:] == ["Ane <b>", "shop"]
