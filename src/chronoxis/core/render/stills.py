"""Writing result frames as numbered pictures."""

import io
from collections import deque
from concurrent.futures import Future, ThreadPoolExecutor
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Any, Self

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame
from PIL import Image

from chronoxis.core.cores import usable_cores
from chronoxis.core.render.writing import Writing
from chronoxis.core.sound.samples import Samples

_DEFLATE = 8  # TIFF's compression by Adobe's deflate (TIFF 6.0, technical note 2)
_STRIP = 64  # rows that are packed together
_FULL_CHROMA = 90  # quality from which JPEG keeps chroma at every pixel


class StillsWriter:
    """A folder of pictures being written on all cores. Use it in a ``with`` statement."""

    def __init__(self, folder: Path, writing: Writing) -> None:
        """Begin to write into a folder that is there; in names, numbers count from 1."""
        self._folder, self._format, self._name, self._rate = (
            folder,
            writing.format,
            writing.name,
            writing.rate,
        )
        self._options: dict[str, Any] = {key: int(value) for key, value in writing.options.items()}
        self._rate, self._first, self._count = writing.rate, writing.first, 0
        self._pool = ThreadPoolExecutor(usable_cores(), thread_name_prefix="stills")
        self._waiting: deque[Future[None]] = deque()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        try:
            while kind is None and self._waiting:
                self._waiting.popleft().result()
        finally:
            self._pool.shutdown(cancel_futures=True)

    @property
    def seconds(self) -> Fraction:
        """Result time up to which frames were given."""
        return self._count / self._rate

    @property
    def sound_seconds(self) -> Fraction:
        """Stills have no sound."""
        return self.seconds

    def write(self, frame: VideoFrame, *, by_itself: bool = False) -> None:
        """Write the next frame, always by itself. Raises OSError if an earlier one could not be written."""
        self._count += 1
        path = self._folder / f"{self._name % (self._first + self._count)}{self._format.ending}"
        self._waiting.append(self._pool.submit(self._save, path, frame))
        while len(self._waiting) > usable_cores() + 1:
            self._waiting.popleft().result()

    def write_sound(self, _samples: Samples) -> None:
        """Stills have no sound."""
        raise ValueError("stills have no sound")

    def _save(self, path: Path, frame: VideoFrame) -> None:
        pixels: npt.NDArray[Any] = frame.to_ndarray()
        if pixels.dtype == np.uint16:
            terms = [cv2.IMWRITE_TIFF_COMPRESSION, _DEFLATE, cv2.IMWRITE_TIFF_ROWSPERSTRIP, _STRIP]
            _, encoded = cv2.imencode(self._format.ending, pixels[..., ::-1], terms)
            path.write_bytes(encoded.tobytes())
            return
        options = dict(self._options)
        if self._format.codec == "JPEG":
            options["subsampling"] = 0 if options["quality"] >= _FULL_CHROMA else 2
        content = io.BytesIO()  # told to write a JPEG itself, the library says nothing of a full disk
        Image.fromarray(pixels).save(content, self._format.codec, **options)
        path.write_bytes(content.getbuffer())
