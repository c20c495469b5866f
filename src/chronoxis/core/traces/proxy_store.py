"""Where proxies lie: small copies of recorded pictures, kept under the fingerprint of what they are of.

Each is a folder of zip files that hold `PART_FRAMES` JPEG pictures each, named by the frame's number and not
compressed again. A part is there as a whole or not at all. The store has a budget; what was looked at least
lately goes first.
"""

import contextlib
import os
import shutil
import threading
from collections.abc import Iterator
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from zipfile import ZIP_STORED, BadZipFile, ZipFile

from platformdirs import user_cache_path

from chronoxis.core.errors import ExportError, FootageError
from chronoxis.core.files.atomic import write_whole
from chronoxis.core.files.disk_budget import disk_budget
from chronoxis.core.model.export_format import Size

PART_FRAMES = 250
"""Frames of each part; the last one may have fewer."""

_MOST_BYTES = 20_000_000_000
_VERSION = "1"  # another one's proxies are of no use: they are in the way no longer than the budget lasts
_DAMAGE_ERRORS = (BadZipFile, ValueError, KeyError, NotImplementedError, EOFError)
_USED_FILE = "used"  # the file whose date tells when a proxy was looked at last


@dataclass(frozen=True)
class Proxy:
    """A small copy of all frames of footage, as far as it is made.

    Attributes:
        folder: where its parts lie.
        size: width and height of its pictures, before they are turned.
        frame_count: frames of the footage.
        is_whole: whether every frame was there when somebody looked.
    """

    folder: Path
    size: Size
    frame_count: int
    is_whole: bool = False

    @property
    def part_count(self) -> int:
        """Parts of the whole."""
        return -(-self.frame_count // PART_FRAMES)

    def part(self, number: int) -> Path:
        """Where a part lies, or will."""
        return self.folder / f"{number:06d}.zip"

    def frames_of(self, part: int) -> range:
        """Numbers of the frames of a part."""
        return range(part * PART_FRAMES, min((part + 1) * PART_FRAMES, self.frame_count))

    def lacking(self) -> list[int]:
        """Numbers of the parts that are not there."""
        try:
            there = {path.name for path in self.folder.iterdir()}
        except OSError:
            there = set()
        return [number for number in range(self.part_count) if self.part(number).name not in there]

    @property
    def bytes(self) -> int:
        """What it takes up on the disk."""
        return sum(_sizes(self.folder))


class ProxyStore:
    """A folder of proxies."""

    def __init__(self, folder: Path | None = None, budget: int | None = None) -> None:
        """In the user's cache, with a tenth of what is free there, unless told otherwise."""
        self._folder = folder or user_cache_path("chronoxis") / "proxies"
        self._budget = budget
        self._lock = threading.Lock()

    def proxy(self, fingerprint: str, size: Size, frame_count: int) -> Proxy:
        """The proxy of what has a fingerprint, whether any of it is made or not."""
        name = f"{fingerprint}-{size[0]}x{size[1]}-{frame_count}-{_VERSION}"
        return Proxy(self._folder / name, size, frame_count)

    def keep(self, proxy: Proxy, part: int, pictures: list[bytes]) -> None:
        """Keep a part, as JPEG pictures; others have to go for it, if need be.

        Raises:
            FootageError: there is no room for it, or no permission.
        """
        packed = BytesIO()
        with ZipFile(packed, "w", ZIP_STORED) as archive:
            for number, picture in zip(proxy.frames_of(part), pictures, strict=True):
                archive.writestr(f"{number:08d}.jpg", picture)
        content = packed.getvalue()
        try:
            with self._lock:
                proxy.folder.mkdir(parents=True, exist_ok=True)
                (proxy.folder / _USED_FILE).touch()
                self._make_room(proxy, len(content))
                write_whole(proxy.part(part), content)
        except (OSError, ExportError) as error:
            why = error.strerror if isinstance(error, OSError) else str(error)
            raise FootageError(
                f"Proxies cannot be kept in {self._folder} ({why}); playing goes on without them."
            ) from error

    def remove(self, proxy: Proxy) -> None:
        """Take a proxy away, as far as it is made."""
        shutil.rmtree(proxy.folder, ignore_errors=True)

    def _make_room(self, proxy: Proxy, needed: int) -> None:
        """Let go of others, those first that were not looked at for longest.

        Raises:
            FootageError: even then there is no room.
        """
        sizes = {folder: sum(_sizes(folder)) for folder in self._folders()}
        used, budget = sum(sizes.values()), self.budget(sum(sizes.values()))
        for folder in sorted(sizes, key=_last_used):
            if used + needed <= budget:
                break
            if folder != proxy.folder:
                shutil.rmtree(folder, ignore_errors=True)
                used -= sizes[folder]
        if used + needed > budget:
            raise FootageError(
                f"There is no room for more proxies: they may take {budget / 1e9:.1f} GB of this disk."
            )

    def budget(self, used: int) -> int:
        """Bytes that all proxies may take, where they take so many now."""
        if self._budget is not None:
            return self._budget
        return disk_budget(self._folder, used, _MOST_BYTES)

    def _folders(self) -> list[Path]:
        return [folder for folder in self._folder.iterdir() if folder.is_dir()]


def note_used(proxy: Proxy) -> None:
    """Note that a proxy is looked at now."""
    with contextlib.suppress(OSError):
        os.utime(proxy.folder / _USED_FILE)


class Part:
    """A part that was opened; its pictures are read one by one."""

    def __init__(self, path: Path) -> None:
        """Raises OSError if it is not there, BadZipFile or ValueError if it is not what it should be."""
        self._path = path
        self._archive = ZipFile(BytesIO(path.read_bytes()))
        self._names = {int(Path(name).stem): name for name in self._archive.namelist()}

    def picture(self, number: int) -> bytes:
        """The JPEG picture of a frame; nothing where it is damaged."""
        try:
            return self._archive.read(self._names[number])
        except _DAMAGE_ERRORS:
            self._path.unlink(missing_ok=True)
            return b""


def opened_part(path: Path) -> Part | None:
    """A part, if it is there. One that is not what it should be is taken away, so that it is made anew."""
    try:
        return Part(path)
    except OSError:
        return None
    except _DAMAGE_ERRORS:
        path.unlink(missing_ok=True)
        return None


def _last_used(folder: Path) -> float:
    try:
        return (folder / _USED_FILE).stat().st_mtime
    except OSError:
        return 0.0


def _sizes(folder: Path) -> Iterator[int]:
    with contextlib.suppress(OSError):
        for path in folder.iterdir():
            with contextlib.suppress(OSError):
                yield path.stat().st_size
