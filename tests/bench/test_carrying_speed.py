"""How fast a project of five thousand entries goes to another machine."""

import json
import re
import time
from uuid import uuid4

from sqlalchemy import select
from tests.support import A_SLOW_MACHINE, ShopOnTrial

from cool_sheen.formats import project_file
from cool_sheen.service.carrying import bring, out
from cool_sheen.store.models import Project

NAME = re.compile(r"[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}")


def many_times(content, times, touched):
    """A project whose parts stand there so many times, each with so many more touch tests."""
    data = json.loads(content)
    mine = {name: data[name] for name in ("parts", "entries", "lessons")}
    test = next(row for row in mine["entries"] if row["entry"]["payload"]["kind"] == "touch_test")
    for _ in range(touched):
        again = json.loads(json.dumps(test))
        again["entry"]["uuid"] = str(uuid4())
        mine["entries"].append(again)
    shared = {row["uuid"] for name in ("spaces", "shops", "records") for row in data[name]} | {data["project"]["uuid"]}
    told = json.dumps(mine)
    data |= {name: [] for name in mine}
    for _ in range(times):
        names = {name: name if name in shared else str(uuid4()) for name in NAME.findall(told)}
        for name, rows in json.loads(NAME.sub(lambda found, names=names: names[found[0]], told)).items():
            data[name] += rows
    return json.dumps(data).encode()


def test_a_project_of_five_thousand_entries_goes_out_and_in_again_the_same(tmp_path, benchmark):
    shops = []
    for name in ("here", "there"):
        (tmp_path / name).mkdir()
        shops.append(ShopOnTrial(tmp_path / name))
    (tmp_path / "demo").mkdir()
    demo = ShopOnTrial(tmp_path / "demo", demo=True)
    with demo.workshop.read() as unit:
        uuid = next(p.uuid for p in unit.session.scalars(select(Project)) if p.name == "Touring bicycle")
        large = many_times(project_file.written(out.document_of(unit, uuid)), 10, 454)
    here, there = shops
    with here.workshop.write() as unit:
        bring.take(unit, bring.opened(large))
    given, took = [], []

    def carry():
        begun = time.process_time()
        with here.workshop.read() as unit:
            given.append(out.document_of(unit, uuid))
        sound = bring.opened(project_file.written(given[-1]).encode())
        with there.workshop.write() as unit:
            bring.take(unit, sound)
        took.append(time.process_time() - begun)

    benchmark.pedantic(carry, rounds=1)
    assert 4_900 < len(given[0].entries) < 5_100
    with there.workshop.read() as unit:
        assert out.document_of(unit, uuid).same_as(given[0])
    assert took[0] < 3.0 * A_SLOW_MACHINE
