"""The command line: serve the application."""

import asyncio
import gc
import logging
import socket
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated

import typer
import uvicorn
from starlette.types import ASGIApp

from cool_sheen.service import projections
from cool_sheen.service.opening import open_workshop
from cool_sheen.service.unit import Workshop
from cool_sheen.settings import Settings
from cool_sheen.store import copies
from cool_sheen.store.audit import log_flaws
from cool_sheen.store.opening import Held, close, open_engine
from cool_sheen.store.standing import flaws, look
from cool_sheen.store.troubles import Trouble
from cool_sheen.web.closed import Closed
from cool_sheen.web.premises import Premises
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
) -> None:
    """Serve the application on this machine alone."""
    settings = Settings()
    if _taken(port):
        typer.echo(f"Port {port} is in use. Choose another: make demo PORT={port + 1}", err=True)
        raise typer.Exit(1)
    premises = Premises(settings, demo=demo)
    try:
        served: ASGIApp = premises.open()
    except Trouble as trouble:
        typer.echo(str(trouble), err=True)
        served = Closed(trouble, premises.open, settings.host_names)
    config = uvicorn.Config(served, host=LOOPBACK, port=port, log_level="warning", server_header=False, lifespan="off")
    where = f"http://{LOOPBACK}:{port} (data in {settings.data})"
    _Announcing(config, premises, where).run()


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
    settings = Settings()
    with _told():
        if look(settings.database) is None:
            raise Trouble(f"There is no shop in {settings.data} yet.")
        if file is None:
            made = copies.make(settings.database, copies.BY_HAND, datetime.now(UTC)).file
        else:
            made = copies.copy(settings.database, file)
    typer.echo(f"{made} is a whole copy: it was looked through.")


@app.command()
def restore(file: Annotated[Path, typer.Argument(help="The copy to bring back.")]) -> None:
    """Put a copy in the place of the shop's file; what stood there is kept among the copies."""
    settings = Settings()
    with _told():
        held = Held(settings.data)
        replaced = copies.restore(settings.database, file, datetime.now(UTC))
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
