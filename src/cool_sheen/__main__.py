"""Run the command line: python -m cool_sheen."""

from cool_sheen.cli import app

app()
