"""What all tests share: nothing of the person who runs them is read or written."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import settings

from tests.added_packages import make_packages, with_packages

settings.register_profile("usual", max_examples=20, deadline=None)
settings.register_profile("thorough", max_examples=300, deadline=None)


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption(
        "--thorough",
        action="store_true",
        help="Every case of every test, and fifteen times as many examples of each property.",
    )


def pytest_configure(config: pytest.Config) -> None:
    settings.load_profile("thorough" if config.getoption("--thorough") else "usual")


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Leave out what is for `--thorough`: whole tests, and of sampled ones all cases but a few."""
    if config.getoption("--thorough"):
        return
    cases: dict[str, list[pytest.Item]] = {}
    for item in items:
        cases.setdefault(item.nodeid.partition("[")[0], []).append(item)
    left = [item for item in items if item.get_closest_marker("thorough")]
    for several in cases.values():
        if sampled := several[0].get_closest_marker("sampled"):
            (count,) = sampled.args
            taken = {round(step * (len(several) - 1) / max(1, count - 1)) for step in range(count)}
            left += [item for place, item in enumerate(several) if place not in taken]
    config.hook.pytest_deselected(items=left)
    items[:] = [item for item in items if item not in set(left)]


@pytest.fixture(autouse=True)
def own_state(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Each test begins with an empty queue, nothing to recover and no choices kept; where the state goes."""
    folder = tmp_path_factory.mktemp("own")
    monkeypatch.setenv("XDG_STATE_HOME", str(folder / "state"))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(folder / "config"))
    monkeypatch.setenv("XDG_DATA_HOME", str(folder / "data"))
    return folder / "state" / "chronoxis"


@pytest.fixture(autouse=True, scope="session")
def own_cache(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Path]:
    """A cache of their own, for this process and those that it starts."""
    folder = tmp_path_factory.mktemp("cache")
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("XDG_CACHE_HOME", str(folder))
        yield folder


@pytest.fixture(scope="session")
def packages(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder of a person's data with packages that add to the program."""
    return make_packages(tmp_path_factory.mktemp("data"), tmp_path_factory.mktemp("built"))


@pytest.fixture
def installed(packages: Path) -> Iterator[Path]:
    """These packages, for the program."""
    with with_packages(packages):
        yield packages
