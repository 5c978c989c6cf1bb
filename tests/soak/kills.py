"""A program that is killed again and again while devices press, and connections that are dropped before the answer.

Devices do as the pages do: a press has its id before it is sent, and is sent again until it is answered.
"""

import http.client
import multiprocessing
import os
import random
import shutil
import signal
import socket
import sys
import tempfile
import threading
import time
from collections import Counter
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from urllib.parse import urlencode
from uuid import UUID, uuid4

from cool_sheen.core.log.standing import unvoided
from cool_sheen.service.opening import open_workshop
from cool_sheen.store import log
from cool_sheen.store.opening import close, open_engine
from tests.support import ANY_ROW, ShopOnTrial, free_port

DEVICES = 4
_ROUND_S = (0.1, 0.7)  # how long a program lives after its first answer to a press


def program(folder: str, port: int) -> None:
    """Serve a shop as the command does; a process of its own, to be killed."""
    from cool_sheen import cli

    os.environ["COOL_SHEEN_DATA"] = folder
    sys.argv = ["cool-sheen", "serve", "--port", str(port)]
    cli.app()


@dataclass
class Device:
    """What one device pressed, and what was acknowledged."""

    part: str
    port: int
    dice: random.Random
    over: threading.Event
    asked: list[str] = field(default_factory=list)
    sure: set[str] = field(default_factory=set)
    dropped: int = 0
    again: int = 0

    def work(self) -> None:
        """Press one wipe after the other, each until it is acknowledged; no new one once it is over."""
        while not self.over.is_set():
            press = str(uuid4())
            self.asked.append(press)
            while not self._sent(press):
                self.again += 1
                time.sleep(0.02)

    def _sent(self, press: str) -> bool:
        body = urlencode({"press": press, "kind": "wipe", **ANY_ROW})
        headers = {
            "Origin": f"http://127.0.0.1:{self.port}", "HX-Request": "true",
            "Content-Type": "application/x-www-form-urlencoded",
        }  # fmt: skip
        with suppress(OSError, http.client.HTTPException):
            connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=20)
            try:
                connection.request("POST", f"/parts/{self.part}/step", body, headers)
                if self.dice.random() < 0.2:  # the network drops: it may have been heard, and nobody knows
                    self.dropped += 1
                    connection.sock.shutdown(socket.SHUT_RDWR)
                    return False
                answer = connection.getresponse()
                answer.read()
            finally:
                connection.close()
            if answer.status == 200:
                self.sure.add(press)
                return True
        return False


def run(folder: Path, parts: list[str], port: int, rounds: int, seed: int = 1) -> tuple[list[str], list[Device]]:
    """Kill a program so many times while devices press. Return what is wrong with the log then, and the devices.

    Args:
        folder: The data of a shop in which the parts stand.
        parts: One for each device.
        port: Where it is served.
        rounds: How often it is killed, with signal 9.
        seed: Of the dice.
    """
    dice, over = random.Random(seed), threading.Event()
    maker = multiprocessing.get_context("forkserver")
    maker.set_forkserver_preload(["cool_sheen.cli", "cool_sheen.web.app"])
    devices = [Device(part, port, random.Random(seed + n), over) for n, part in enumerate(parts)]
    hands = [threading.Thread(target=device.work) for device in devices]

    def started() -> multiprocessing.Process:
        process = maker.Process(target=program, args=(str(folder), port))
        process.start()
        for _ in range(600):
            with suppress(OSError), socket.create_connection(("127.0.0.1", port), 0.2):
                return process
            time.sleep(0.02)
        raise AssertionError("it did not start")

    process = started()
    for hand in hands:
        hand.start()
    for _ in range(rounds):
        heard = sum(len(d.sure) for d in devices)
        for _ in range(600):
            if sum(len(d.sure) for d in devices) > heard:
                break
            time.sleep(0.02)
        time.sleep(dice.uniform(*_ROUND_S))
        os.kill(process.pid, signal.SIGKILL)
        process.join()
        process = started()
    over.set()
    for hand in hands:
        hand.join(60)
    os.kill(process.pid, signal.SIGKILL)
    process.join()
    return _wrong(folder, devices), devices


def _wrong(folder: Path, devices: list[Device]) -> list[str]:
    """Hold the log against what the devices know."""
    engine = open_engine(folder / "cool-sheen.sqlite3")
    wrong: list[str] = []
    try:
        workshop = open_workshop(engine)
        with workshop.read() as unit:
            for device in devices:
                rows = unvoided(log.of_part(unit.session, UUID(device.part)))
                there = Counter(str(r.entry.uuid) for r in rows if r.entry.payload.kind == "wipe")
                wrong += [f"lost: {press}" for press in device.sure - set(there)]
                wrong += [f"twice: {press}" for press, count in there.items() if count > 1]
                wrong += [f"nobody pressed {press}" for press in set(there) - set(device.asked)]
                if set(device.asked) != device.sure:
                    wrong.append(f"never acknowledged: {set(device.asked) - device.sure}")
    finally:
        close(engine)
    return wrong


def laid(folder: Path) -> list[str]:
    """Lay a shop with a part for each device, and return the parts."""
    shop = ShopOnTrial(folder)
    parts = [str(shop.new_part("one-pack-enamel")) for _ in range(DEVICES)]
    close(shop.workshop.engine)
    shutil.move(folder / "shop.sqlite3", folder / "cool-sheen.sqlite3")
    return parts


def main(rounds: int, seed: int) -> int:
    """Kill it so many times; return how much is wrong."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        wrong, devices = run(folder, laid(folder), free_port(), rounds, seed)
        pressed, dropped = sum(len(d.sure) for d in devices), sum(d.dropped for d in devices)
        print(
            f"{rounds} kills: {pressed} presses acknowledged, {dropped} connections dropped, {sum(d.again for d in devices)} sent again"
        )
        for what in wrong:
            print("WRONG", what)
        return len(wrong)


if __name__ == "__main__":
    sys.exit(min(1, main(int(sys.argv[1]) if len(sys.argv) > 1 else 200, int(sys.argv[2]) if len(sys.argv) > 2 else 1)))
