"""What the compiled loops are given is held to what they may read and write."""

import ctypes
from typing import Any

import numpy as np
import pytest
from av.video.frame import VideoFrame

from chronoxis.core.picture import accent_kernels, described, kernel_library, kernels, motion_kernels
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.kernels import MOST_FRAMES, Gathered
from chronoxis.core.picture.row_work import RowWork

COLOUR = Colour(1, 1, 1, False)


def codes(height: int = 6, width: int = 10) -> np.ndarray:
    return np.random.default_rng(1).integers(0, 65536, (height, width, 3), np.uint16)


@pytest.mark.parametrize("count", [0, MOST_FRAMES + 1])
def test_more_pictures_than_a_median_has_room_for_are_refused(count: int) -> None:
    with pytest.raises(ValueError, match=f"median of {count}"):
        kernels.median(RowWork(), [codes()] * count, COLOUR, codes())


def test_the_median_of_as_many_as_it_has_room_for_is_that_of_numpy() -> None:
    pictures = [
        np.random.default_rng(n).integers(0, 65536, (6, 10, 3), np.uint16) for n in range(MOST_FRAMES)
    ]
    into, work = np.zeros_like(pictures[0]), RowWork()
    kernels.median(work, pictures, COLOUR, into)
    work.wait()
    assert np.abs(into.astype(int) - np.median(pictures, axis=0)).max() <= 1


def test_pictures_and_light_of_other_sizes_are_refused() -> None:
    work, planes = RowWork(), np.zeros((3, 6, 10), np.float32)
    with pytest.raises(ValueError, match="among those of"):
        kernels.add_light(work, [codes(6, 9)], [1.0], COLOUR, Gathered(None, planes))
    with pytest.raises(ValueError, match="shape"):
        kernels.add_light(work, [codes()], [1.0], COLOUR, Gathered(np.zeros((3, 6, 9), np.float32), planes))
    with pytest.raises(ValueError, match="shape"):
        accent_kernels.grain(work, codes(), np.zeros((6, 9), np.float32), 1.0, codes())
    with pytest.raises(ValueError, match="shape"):
        motion_kernels.splat(np.zeros((6, 10, 4), np.float32), 0.5, np.zeros((6, 9, 4), np.float32))


@pytest.mark.parametrize("wrong", ["dtype", "strides", "read-only"])
def test_arrays_that_c_would_read_wrongly_are_refused(wrong: str) -> None:
    into = codes()
    if wrong == "dtype":
        into = into.astype(np.float32)
    elif wrong == "strides":
        into = codes(6, 20)[:, ::2]
    else:
        into.setflags(write=False)
    work = RowWork()
    kernels.gain(work, codes(), COLOUR, (1.0, 1.0, 1.0), into)
    with pytest.raises(ctypes.ArgumentError):
        work.wait()


def rows_of(plane: Any) -> np.ndarray:
    return np.frombuffer(plane, np.uint8).reshape(plane.height, plane.line_size)


@pytest.mark.parametrize("name", ["yuv411p", "yuv410p", "yuv440p"])
@pytest.mark.parametrize("size", [(5, 6), (9, 7), (513, 5)])
def test_chroma_of_odd_sizes_is_read_within_its_rows(name: str, size: tuple[int, int]) -> None:
    rng = np.random.default_rng(2)
    frame = VideoFrame(*size, name)
    planes = [rows_of(plane) for plane in frame.planes]
    for rows, plane in zip(planes, frame.planes, strict=True):
        rows[:] = 255  # what lies behind a row shows where it is read
        rows[:, : plane.width] = rng.integers(60, 180, (plane.height, plane.width), np.uint8)
    halved = 256 // frame.format.chroma_width(256), 256 // frame.format.chroma_height(256)
    luma, *colours = planes
    luma = luma[:, : size[0]].astype(float)
    y, x = np.mgrid[: size[1], : size[0]]
    chroma = [plane[y // halved[1], x // halved[0]] for plane in colours]
    matrix = COLOUR.rgb_matrix(8).astype(float)
    stacked = np.stack([luma, *chroma, np.ones_like(luma)], axis=-1)
    expected = np.clip(stacked @ matrix.T, 0, 1) * 65535
    assert np.abs(kernels.codes_of(frame, COLOUR).astype(float) - expected).max() <= 2


def test_the_structures_are_those_that_were_compiled(monkeypatch: pytest.MonkeyPatch) -> None:
    declared = kernel_library._STRUCTURES
    sizes = (ctypes.c_int32 * len(declared)).in_dll(kernel_library.library(), "chronoxis_sizes")
    assert list(sizes) == [ctypes.sizeof(each) for each in declared]
    monkeypatch.setattr(kernel_library, "_STRUCTURES", declared[::-1])
    with pytest.raises(ImportError, match="make setup"):
        kernel_library.library.__wrapped__()


def test_curves_are_worked_out_once() -> None:
    assert described.curve_of(13) is described.curve_of(13)  # each takes milliseconds, and every frame asks
