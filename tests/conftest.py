"""Fixtures for all tests."""

import pytest

from tests.support import ShopOnTrial


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
