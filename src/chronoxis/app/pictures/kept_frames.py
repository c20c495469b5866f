"""Which frames of a plan are on the disk, and those on their way to it."""

import time
from collections.abc import Callable

from chronoxis.app.pictures.frame_store import FrameStore, FrameStoreError
from chronoxis.app.pictures.made_frames import MadeFrame
from chronoxis.core.errors import FootageError
from chronoxis.core.render.frame_identity import FrameIdentities, Identity
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.target import Target
from chronoxis.core.timing.shot_columns import Frames

_KEEP_SECONDS = 1.0  # after which frames that were made are written


class KeptFrames:
    """Takes frames from the disk by number, and brings others there. For one thread.

    Where the disk cannot be used, frames are made as if there were none on it.
    """

    def __init__(self, store: FrameStore, refused: Callable[[str], None]) -> None:
        """``refused`` is told, once, why the disk cannot be used."""
        self._store, self._refused = store, refused
        self._was_refused = False
        self._plan: Plan | None = None
        self._identities: FrameIdentities | None = None
        self._fresh: dict[Identity, MadeFrame] = {}
        self._kept_at = time.monotonic()

    def follow(self, plan: Plan, target: Target) -> None:
        """From now on numbers are those of this plan's frames."""
        if plan is not self._plan:
            self._plan, self._identities = plan, FrameIdentities(plan, target)

    def taken(self, numbers: Frames) -> dict[int, MadeFrame]:
        """Those of some frames that are on the disk, by number."""
        identities = {number: self._identity(number) for number in numbers.tolist()}
        try:
            found = self._store.kept(identity for identity in identities.values() if identity)
        except FrameStoreError as error:
            self._refuse(error)
            return {}
        return {number: found[mark] for number, mark in identities.items() if mark in found}

    def note(self, number: int, frame: MadeFrame) -> None:
        """Bring a frame that was made to the disk, before long."""
        if identity := self._identity(number):
            self._fresh[identity] = frame
        if time.monotonic() - self._kept_at > _KEEP_SECONDS:
            self.flush()

    def flush(self) -> None:
        """Bring what is on its way to the disk."""
        fresh, self._fresh, self._kept_at = self._fresh, {}, time.monotonic()
        if fresh:
            try:
                self._store.keep(fresh)
            except FrameStoreError as error:
                self._refuse(error)

    def clear(self) -> None:
        """Forget all that is on the disk, of whatever plan."""
        self._fresh.clear()
        try:
            self._store.clear()
        except FrameStoreError as error:
            self._refuse(error)

    def close(self) -> None:
        """Bring the rest to the disk, and let go of it."""
        self.flush()
        self._store.close()

    def _identity(self, number: int) -> Identity:
        """That of a frame; nothing where its footage cannot be read: making it will tell why."""
        assert self._identities is not None
        try:
            return self._identities.of(number)
        except FootageError:
            return b""

    def _refuse(self, error: FrameStoreError) -> None:
        if not self._was_refused:
            self._was_refused = True
            self._refused(
                f"Frames that are made ahead cannot be kept on the disk ({error}); they are made anew."
            )
