"""Packages that add to the program: both examples, and one in which everything is wrong."""

import shutil
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from chronoxis.core import extensions
from chronoxis.core.traces import trace_kinds

EXAMPLES = Path(__file__).parents[1] / "examples"
MEDIAN, GLOW, GREEN = "median-of-three:median", "edge-glow:glow", "median-of-three:green"
BROKEN = """
from dataclasses import dataclass
import numpy as np
from chronoxis import api

class Fails:
    def add(self, codes, weight): raise RuntimeError("no such luck")
    def made(self): return None

class GivesNothing:
    def add(self, codes, weight): pass
    def made(self): return None

FAILS = api.Way("Fails", "It does", Fails)
class Scribbles:
    def add(self, codes, weight): codes[:] = 0
    def made(self): return None

@dataclass(frozen=True)
class Impossible:
    share: float = api.parameter(2.0, api.Number("Share", "Of it.", 0, 1))
    def __post_init__(self): raise ValueError("nothing is possible")

@dataclass(frozen=True)
class Choosy:
    share: float = api.parameter(0.5, api.Number("Share", "Of it.", 0, 1))
    def __post_init__(self):
        if self.share == 0.25: raise KeyError("not that one")

CHOOSY = api.Way("Choosy", "Takes no quarter", Fails, settings=Choosy)
SCRIBBLES = api.Way("Scribbles", "Writes where others read", Scribbles)
IMPOSSIBLE = api.Way("Impossible", "Cannot be", Fails, settings=Impossible)
NOTHING = api.Way("Nothing", "Gives none", GivesNothing)

@dataclass(frozen=True)
class Loose(api.Look):
    size: float = 1.0
"""


def install(folder: Path, name: str, built: Path) -> None:
    """Install an example into a folder, from a copy: the build leaves things behind."""
    copied = shutil.copytree(EXAMPLES / name, built / name)
    options = ["--quiet", "--no-index", "--no-deps", "--no-build-isolation", "--no-compile"]
    subprocess.run(
        [sys.executable, "-m", "pip", "install", *options, "--target", str(folder), str(copied)],
        check=True,
        capture_output=True,
    )


def make_packages(data: Path, built: Path) -> Path:
    """A folder of a person's data in which they are installed."""
    folder = data / "chronoxis" / "extensions"
    for name in ("median-of-three", "edge-glow"):
        install(folder, name, built)
    (folder / "broken.py").write_text(BROKEN)
    told = folder / "broken-1.dist-info"
    told.mkdir()
    (told / "METADATA").write_text("Metadata-Version: 2.1\nName: broken\nVersion: 1\n")
    (told / "entry_points.txt").write_text(
        "[chronoxis.ways]\nfails = broken:FAILS\nnothing = broken:NOTHING\nlacking = broken:LACKING\n"
        "choosy = broken:CHOOSY\nscribbles = broken:SCRIBBLES\nimpossible = broken:IMPOSSIBLE\n"
        "odd name = broken:FAILS\n[chronoxis.accents]\nloose = broken:Loose\n"
    )
    return data


@contextmanager
def with_packages(data: Path) -> Iterator[None]:
    """The packages of a folder, for this process and those that it starts."""
    path = list(sys.path)
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("XDG_DATA_HOME", str(data))
        without_packages()
        yield
    sys.path[:] = path
    without_packages()


def without_packages() -> None:
    """Look for packages anew, once they are asked for."""
    extensions.extensions.cache_clear()
    trace_kinds.added_kinds.cache_clear()
