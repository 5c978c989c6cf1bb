"""The command line: serve the application."""

import gc
import logging
import socket
import sys
from pathlib import Path
from typing import Annotated

import typer
import uvicorn
from sqlalchemy.exc import DatabaseError

from cool_sheen.service import projections
from cool_sheen.service.ahead import Worker
from cool_sheen.service.opening import open_workshop
from cool_sheen.service.unit import Workshop
from cool_sheen.settings import Settings
from cool_sheen.store.engine import open_engine
from cool_sheen.web.app import create_app
from cool_sheen.web.pages.bench import ready_board
from cool_sheen.web.templating import Pages

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
    try:
        workshop = open_workshop(open_engine(settings.database))
    except (OSError, DatabaseError) as error:
        typer.echo(f"Cannot open {settings.database}: {error}. Choose another folder with COOL_SHEEN_DATA.", err=True)
        raise typer.Exit(1) from error
    _lay_when_empty(workshop, demo)
    if _taken(port):
        typer.echo(f"Port {port} is in use. Choose another: make demo PORT={port + 1}", err=True)
        raise typer.Exit(1)
    served = create_app(workshop, settings)
    pages: Pages = served.state.pages
    worker = Worker(workshop, lambda unit, _: ready_board(unit, pages), pages.load)
    worker.start()
    config = uvicorn.Config(served, host=LOOPBACK, port=port, log_level="warning", server_header=False)
    _Announcing(config, f"Cool Sheen serves at http://{LOOPBACK}:{port} (data in {_shown(settings.data)})").run()


@app.command()
def rebuild() -> None:
    """Drop what is kept of the log, and make it again from the log itself."""
    gc.enable()
    settings = Settings()
    with open_workshop(open_engine(settings.database)).open() as unit:
        count = projections.rebuild(unit)
    typer.echo(f"The status of {count} parts was made again from the log.")


def _lay_when_empty(workshop: Workshop, demo: bool) -> None:
    with workshop.open() as unit:
        if demo and unit.shop is None:
            from cool_sheen.demo import shop as demo_shop  # only whoever lays it pays for it

            demo_shop.lay(unit)


def _taken(port: int) -> bool:
    with socket.socket(socket.AF_INET, socket.SOCK_STREAM) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((LOOPBACK, port))
        except OSError:
            return True
    return False


def _shown(folder: Path) -> str:
    return str(folder)


class _Announcing(uvicorn.Server):
    """A server that says so when it can serve."""

    def __init__(self, config: uvicorn.Config, message: str) -> None:
        super().__init__(config)
        self.message = message

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        await super().startup(sockets)
        if self.started:
            gc.collect()
            gc.enable()
            gc.freeze()  # what was loaded to serve stays: nobody has to look through it again
            print(self.message, flush=True)


if __name__ == "__main__":
    logging.basicConfig(stream=sys.stderr)
    app()
