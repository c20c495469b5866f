"""What all tests share: nothing of the person who runs them is read or written."""

from collections.abc import Iterator
from pathlib import Path

import pytest


@pytest.fixture(autouse=True, scope="session")
def own_cache(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Path]:
    """A cache of their own, for this process and those that it starts."""
    folder = tmp_path_factory.mktemp("cache")
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("XDG_CACHE_HOME", str(folder))
        yield folder
