"""Fixtures for all tests."""

import gc
import os

import pytest
from hypothesis import settings

from tests.support import ShopOnTrial

# No deadline: the first example pays for an import. In CI the same examples every time; on the desk new ones.
settings.register_profile("shop", deadline=None, derandomize=bool(os.environ.get("CI")))
settings.load_profile("shop")


def pytest_collection_finish():
    """Keep what was loaded out of the search for garbage, as the server does: it took a tenth of the tests' time."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 40)


def on_trial(*args, **kwargs):
    """A shop that lets go of what was looked at when the test is over."""
    shop = ShopOnTrial(*args, **kwargs)
    yield shop
    shop.look_away()


@pytest.fixture
def shop(tmp_path):
    """A shop with one room and no part; its clock stands until it is turned."""
    yield from on_trial(tmp_path)


@pytest.fixture
def demo(tmp_path):
    """The demo shop."""
    yield from on_trial(tmp_path, demo=True)


@pytest.fixture
def empty(tmp_path):
    """An application before its first start."""
    yield from on_trial(tmp_path, empty=True)
