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


@pytest.fixture
def shop(tmp_path):
    """A shop with one room and no part; its clock stands until it is turned."""
    return ShopOnTrial(tmp_path)


@pytest.fixture
def demo(tmp_path):
    """The demo shop."""
    return ShopOnTrial(tmp_path, demo=True)


@pytest.fixture
def empty(tmp_path):
    """An application before its first start."""
    return ShopOnTrial(tmp_path, empty=True)
