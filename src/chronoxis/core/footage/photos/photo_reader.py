"""Access to single photos of a run: decoded on all cores, a few ahead of what is asked for."""

from collections import OrderedDict
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor, wait
from fractions import Fraction
from pathlib import Path

import numpy as np
from av.video.frame import VideoFrame

from chronoxis.core.cores import usable_cores
from chronoxis.core.errors import FootageError
from chronoxis.core.footage.photos.image_memory import give_back
from chronoxis.core.footage.photos.photo_pixels import Pixels, has_shape_of, read_pixels, resized
from chronoxis.core.footage.prefetch import Check, never
from chronoxis.core.footage.usual import UsualReader
from chronoxis.core.model.export_format import Size

_AHEAD_BYTES = 220_000_000  # that decoded photos may take while they wait
_KEPT_BYTES = 200_000_000  # that a decoded photo may take for its memory to be kept for the next
_MOST_TRIED = 50  # photos that are tried in one's place
_LOOK_SECONDS = 0.005  # seconds between looks whether a photo is still wanted
_TIME_STEP = Fraction(1, 1000)


class PhotoReader(UsualReader):
    """Yields photos by the number of their place, each decoded once for places that follow one another.

    A photo that cannot be read is stood in for by the nearest one before that can, else after.

    Attributes:
        lost: numbers of the places whose photos cannot be read.
        reduction: by how much photos are smaller than they were taken: 1, 2, 4 or 8.
    """

    def __init__(
        self,
        paths: Sequence[Path],
        shows: Sequence[int],
        size: Size,
        *,
        deep: bool,
        reduction: int,
        threads: int,
        fitted: Size | None = None,
    ) -> None:
        """
        Args:
            paths: of all photos.
            shows: for each place, the number of its photo.
            size: that all photos are brought to, upright; others stand between bars.
            deep: whether frames have sixteen bits a sample.
            reduction: 1, 2, 4 or 8.
            threads: that decode; 0 is one for each core.
            fitted: the size that photos are brought to in the end.
        """
        self._paths, self._shows, self._deep = paths, shows, deep
        self.lost: set[int] = set()
        self.reduction = reduction
        self._fitted = fitted
        self._is_large = 4 * size[0] * size[1] > _KEPT_BYTES * reduction**2
        self._size = fitted or (-(-size[0] // reduction), -(-size[1] // reduction))
        self._pool = ThreadPoolExecutor(threads or usable_cores(), thread_name_prefix="photos")
        bytes_each = self._size[0] * self._size[1] * (6 if deep else 3)
        self._most = max(2, min(2 * usable_cores(), _AHEAD_BYTES // bytes_each))

    def close(self) -> None:
        """Stop decoding."""
        self._pool.shutdown(cancel_futures=True)
        give_back()

    def effort_to(self, _number: int) -> int:
        """One photo, whichever it is."""
        return 1

    def frames(self, numbers: Iterable[int], check: Check = never) -> Iterator[tuple[int, VideoFrame]]:
        """Yield ``(number, frame)`` for ascending numbers of places.

        Raises:
            FootageError: neither a photo nor any near it can be read.
            Cancelled: ``check``, called while a photo is waited for, raised it.
        """
        wanted = np.unique(np.fromiter(numbers, np.int64)).tolist()
        order = list(dict.fromkeys(self._shows[number] for number in wanted))
        waiting: OrderedDict[int, Future[Pixels | None]] = OrderedDict()
        try:
            current, place, lost = -1, 0, False
            pixels: Pixels | None = None
            for number in wanted:
                photo = self._shows[number]
                if photo != current:
                    while place < len(order) and len(waiting) < self._most:
                        waiting[order[place]] = self._pool.submit(self._decode, order[place])
                        place += 1
                    found, current = _waited_for(waiting.pop(photo), check), photo
                    lost = found is None
                    if lost and not self._paths[photo].parent.is_dir():
                        gone = self._paths[photo].parent
                        raise FootageError(f"{gone} is no longer there; find where it was moved.")
                    pixels = pixels if found is None else found
                if pixels is None:  # only at the beginning; later, what was shown last stands in
                    pixels = self._nearest(photo)
                if lost:
                    self.lost.add(number)
                yield number, _frame(pixels, deep=self._deep)
        finally:
            for future in waiting.values():
                future.cancel()

    def _decode(self, photo: int) -> Pixels | None:
        try:
            return self._even(read_pixels(self._paths[photo], self.reduction, self._fitted))
        except FootageError:
            return None
        finally:
            if self._is_large:
                give_back()

    def _nearest(self, photo: int) -> Pixels:
        """Of the photo nearest before one that cannot be read, else after."""
        before, after = range(photo - 1, photo - _MOST_TRIED, -1), range(photo + 1, photo + _MOST_TRIED)
        for other in [*before, *after]:
            if 0 <= other < len(self._paths) and (pixels := self._decode(other)) is not None:
                return pixels
        path = self._paths[photo]
        if not path.exists():
            raise FootageError(f"{path.name} and the photos beside it are no longer in {path.parent}.")
        raise FootageError(f"{path.name} and the photos beside it cannot be read; leave them out.")

    def _even(self, pixels: Pixels) -> Pixels:
        """In the depth and the size of the run."""
        if self._deep and pixels.dtype == np.uint8:
            pixels = pixels.astype(np.uint16) * np.uint16(257)
        elif not self._deep and pixels.dtype == np.uint16:
            pixels = (pixels >> 8).astype(np.uint8)
        width, height = self._size
        if has_shape_of((pixels.shape[1], pixels.shape[0]), self._size):
            return resized(pixels, self._size)
        scale = min(width / pixels.shape[1], height / pixels.shape[0])
        inside = max(1, round(pixels.shape[1] * scale)), max(1, round(pixels.shape[0] * scale))
        filled = np.zeros((height, width, 3), pixels.dtype)
        left, top = (width - inside[0]) // 2, (height - inside[1]) // 2
        filled[top : top + inside[1], left : left + inside[0]] = resized(pixels, inside)
        return filled


def _waited_for(decoding: Future[Pixels | None], check: Check) -> Pixels | None:
    while not wait([decoding], timeout=_LOOK_SECONDS).done:
        check()
    return decoding.result()


def _frame(pixels: Pixels, *, deep: bool) -> VideoFrame:
    whole: Pixels = np.ascontiguousarray(pixels)  # type: ignore[assignment]
    frame = VideoFrame.from_numpy_buffer(whole, "rgb48le" if deep else "rgb24")
    frame.time_base = _TIME_STEP
    return frame
