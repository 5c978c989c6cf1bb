"""The command line: serve the application."""

import asyncio
import gc
import logging
import re
import socket
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated, Any

import typer
import uvicorn
from starlette.types import ASGIApp

from cool_sheen.service import projections
from cool_sheen.service.opening import open_workshop
from cool_sheen.service.unit import Workshop
from cool_sheen.settings import Settings
from cool_sheen.store import copies, photos
from cool_sheen.store.audit import log_flaws
from cool_sheen.store.opening import Held, close, open_engine
from cool_sheen.store.standing import flaws, look
from cool_sheen.store.troubles import Trouble
from cool_sheen.web.closed import Closed
from cool_sheen.web.premises import Premises
from cool_sheen.web.security import Doorkeeper
from cool_sheen.web.streams import end_all

app = typer.Typer(add_completion=False, no_args_is_help=True, help="Cool Sheen: plan, time and log coating systems.")
LOOPBACK = "127.0.0.1"


@app.callback()
def main() -> None:
    """Cool Sheen: plan, time and log coating systems."""


@app.command()
def serve(
    port: Annotated[int, typer.Option(min=1, max=65535, help="Port to listen on.")] = 8000,
    demo: Annotated[bool, typer.Option(help="Lay the demo shop when the data folder is empty.")] = False,
    open_as: Annotated[str, typer.Option(help="Open it to the network under this host name or address.")] = "",
) -> None:
    """Serve the application: on this machine alone, or to the network under a name and behind a passcode."""
    settings = _opened_as(Settings(), open_as)
    if _taken(port):
        typer.echo(f"Port {port} is in use. Choose another: make demo PORT={port + 1}", err=True)
        raise typer.Exit(1)
    premises = Premises(settings, demo=demo)
    try:
        served: ASGIApp = premises.open()
    except Trouble as trouble:
        typer.echo(str(trouble), err=True)
        served = Closed(trouble, premises.open, settings.host_names)
    _Announcing(_config(served, settings, port), premises, _where(settings, port)).run()


def _opened_as(settings: Settings, name: str) -> Settings:
    """Return the settings with the name under which the network comes in. Ends the program where it may not."""
    name = name.strip().lower() or settings.opened_as
    if not name:
        return settings
    if not _HOST.fullmatch(name):
        typer.echo(
            f"“{name[:60]}” is no host name: such as workshop.local, or an address such as 192.168.0.12.", err=True
        )
        raise typer.Exit(1)
    from cool_sheen.store.passcode import read_passcode  # only whoever opens it pays for what opens it

    if read_passcode(settings.passcode) is None:
        typer.echo("Set a passcode before the network comes in: python -m cool_sheen passcode", err=True)
        raise typer.Exit(1)
    return settings.model_copy(update={"opened_as": name})


# A press lets go of the interpreter at each of its statements, and had to wait this long to get it back from a page.
_TURN_S = 0.0001
_HOST = re.compile(r"[a-z0-9]([a-z0-9.-]{0,250}[a-z0-9])?")


def _config(served: ASGIApp, settings: Settings, port: int) -> uvicorn.Config:
    told: dict[str, Any] = {"port": port, "log_level": "warning", "server_header": False, "lifespan": "off"}
    if not settings.opened_as:
        return uvicorn.Config(served, host=LOOPBACK, **told)
    certificate, key = settings.tls / "certificate.pem", settings.tls / "key.pem"
    secure = certificate.exists() and key.exists()
    if secure:
        told |= {"ssl_certfile": certificate, "ssl_keyfile": key}
    from cool_sheen.web.entrance import Entrance

    entrance = Entrance(served, settings.passcode, secure=secure)
    return uvicorn.Config(Doorkeeper(entrance, settings.host_names), host="0.0.0.0", **told)  # noqa: S104 - it was asked for


def _where(settings: Settings, port: int) -> str:
    if not settings.opened_as:
        return f"http://{LOOPBACK}:{port} (data in {settings.data})"
    secure = (settings.tls / "certificate.pem").exists()
    where = f"{'https' if secure else 'http'}://{settings.opened_as}:{port} (data in {settings.data})"
    if secure:
        return where
    hint = f"python -m cool_sheen certificate {settings.opened_as}"
    return f"{where}\nIt is not encrypted: browsers deny the wake lock and the page that works without it. {hint}"


@app.command()
def passcode() -> None:
    """Set the passcode with which the network comes in; whoever is in has to enter the new one."""
    from cool_sheen.store.passcode import TooPlain, set_passcode

    settings = Settings()
    typed = typer.prompt("Passcode", hide_input=True, confirmation_prompt="Once more")
    try:
        set_passcode(settings.passcode, typed)
    except TooPlain as plain:
        typer.echo(str(plain), err=True)
        raise typer.Exit(1) from None
    typer.echo("Set. Open the shop with: python -m cool_sheen serve --open-as NAME")


@app.command()
def certificate(
    name: Annotated[str, typer.Argument(help="The host name, or address, under which it is opened.")],
) -> None:
    """Make a certificate of one's own, so that browsers allow all that they allow over TLS alone."""
    from cool_sheen.store.certificates import make_certificate

    settings, host = Settings(), name.strip().lower()
    if not _HOST.fullmatch(host):
        typer.echo(f"“{host[:60]}” is no host name: such as workshop.local.", err=True)
        raise typer.Exit(1)
    made, _ = make_certificate(settings.tls, host, datetime.now(UTC))
    typer.echo(f"Made {made}, for a year and a month. Trust it once on each device, then serve as {host}.")


@contextmanager
def _alone(*, as_it_is: bool = False) -> Iterator[tuple[Settings, Workshop]]:
    """Open the shop for a command that nothing else may disturb; trouble is told, and ends it."""
    settings = Settings()
    with _told():
        held = Held(settings.data)
        engine = open_engine(settings.database, as_it_is=as_it_is)
        try:
            yield settings, open_workshop(engine)
        finally:
            close(engine)
            held.let_go()


@contextmanager
def _told() -> Iterator[None]:
    gc.enable()
    try:
        yield
    except Trouble as trouble:
        typer.echo(str(trouble), err=True)
        raise typer.Exit(1) from trouble


@app.command()
def rebuild() -> None:
    """Drop what is kept of the log, and make it again from the log itself."""
    with _alone() as (_, workshop), workshop.write() as unit:
        count = projections.rebuild(unit)
    typer.echo(f"The status of {count} parts was made again from the log.")


@app.command()
def backup(
    file: Annotated[
        Path | None, typer.Argument(help="Where to; among the shop's own copies when it is left out.")
    ] = None,
) -> None:
    """Copy the shop into one whole file, while it runs or not."""
    settings, many = Settings(), 0
    with _told():
        if look(settings.database) is None:
            raise Trouble(f"There is no shop in {settings.data} yet.")
        if file is None:
            made = copies.make(settings.database, copies.BY_HAND, datetime.now(UTC)).file
        else:
            made = copies.copy(settings.database, file)
            many = photos.bring(settings.database, file)
    beside = f" Its {many} photos lie in {photos.folder_of(made)}: take the folder along." if many else ""
    typer.echo(f"{made} is a whole copy: it was looked through.{beside}")


@app.command()
def restore(file: Annotated[Path, typer.Argument(help="The copy to bring back.")]) -> None:
    """Put a copy in the place of the shop's file; what stood there is kept among the copies."""
    settings = Settings()
    with _told():
        held = Held(settings.data)
        replaced = copies.restore(settings.database, file, datetime.now(UTC))
        photos.bring(file, settings.database)
        held.let_go()
    kept = f" What stood there is kept as {replaced}." if replaced else ""
    typer.echo(f"{file} stands in its place now.{kept}")


@app.command()
def check(
    as_it_is: Annotated[
        bool, typer.Option(help="Take the file as it is when what was written last is missing beside it.")
    ] = False,
) -> None:
    """Look the whole file and its log through, while it runs or not."""
    settings = Settings()
    if as_it_is:
        with _alone(as_it_is=True):
            pass
    with _told():
        standing = look(settings.database)
        if standing is None:
            raise Trouble(f"There is no shop in {settings.data} yet.")
        broken = flaws(settings.database)
        broken += log_flaws(settings.database)
        for flaw in broken:
            typer.echo(flaw, err=True)
        if broken:
            raise Trouble("The file is damaged: bring the last copy back with “cool-sheen restore COPY”.")
    typer.echo(f"{settings.database} is sound (schema {standing.revision}).")


def _taken(port: int) -> bool:
    with socket.socket(socket.AF_INET, socket.SOCK_STREAM) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((LOOPBACK, port))
        except OSError:
            return True
    return False


class _Announcing(uvicorn.Server):
    """A server that says so when it can serve."""

    def __init__(self, config: uvicorn.Config, premises: Premises, where: str) -> None:
        super().__init__(config)
        self.premises, self.where = premises, where

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        await super().startup(sockets)
        if self.started:
            gc.collect()
            gc.enable()
            gc.freeze()  # what was loaded to serve stays: nobody has to look through it again
            sys.setswitchinterval(_TURN_S)
            closed = not self.premises.is_open
            print(f"Cool Sheen {'is closed, and says why' if closed else 'serves'} at {self.where}", flush=True)

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        end_all()
        await super().shutdown(sockets)
        await asyncio.to_thread(
            self.premises.close
        )  # here, since the signal that ends the program comes again after it


if __name__ == "__main__":
    logging.basicConfig(stream=sys.stderr)
    app()
