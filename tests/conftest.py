"""What several test files use."""

import pytest

from envelt import Study


@pytest.fixture(scope="session")
def wintered():
    """The demo data with its class outcome."""
    return Study("demo", outcome="wintered")


@pytest.fixture(scope="session")
def honey():
    """The demo data with its numeric outcome."""
    return Study("demo", outcome="honey_kg")


@pytest.fixture(scope="session")
def state():
    """The demo data with an outcome of four classes."""
    return Study("demo", outcome="colony_state")
