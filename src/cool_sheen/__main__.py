"""Run the command line: python -m cool_sheen."""

import gc

gc.disable()  # what is loaded to serve stays: looking for garbage in it only delays the first answer

from cool_sheen.cli import app  # noqa: E402

app()
