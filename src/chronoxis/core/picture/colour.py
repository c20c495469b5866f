"""How code values stand for light: matrix, range and transfer, and the tables that undo them."""

from dataclasses import dataclass
from functools import cache

import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame
from av.video.reformatter import ColorPrimaries, ColorRange, Colorspace, ColorTrc

from chronoxis.core.model.canvas import Canvas

Light = npt.NDArray[np.float64]

_HD_HEIGHT = 720

# Code points of ISO/IEC 23091-2 (H.273).
RGB, BT709, YCGCO = 0, 1, 8
SRGB = 13
_MATRIX_FCC, _MATRIX_BT470BG, _MATRIX_SMPTE170M, _MATRIX_SMPTE240M = 4, 5, 6, 7
_MATRIX_BT2020, _MATRIX_BT2020_CL = 9, 10

# Kr and Kb: the shares of red and blue in luma.
_LUMA_SHARES = {
    BT709: (0.2126, 0.0722),
    _MATRIX_FCC: (0.30, 0.11),
    _MATRIX_BT470BG: (0.299, 0.114),
    _MATRIX_SMPTE170M: (0.299, 0.114),
    _MATRIX_SMPTE240M: (0.212, 0.087),
    _MATRIX_BT2020: (0.2627, 0.0593),
    # Constant luminance is not linear; where it has to be undone, this comes near.
    _MATRIX_BT2020_CL: (0.2627, 0.0593),
}
_SCALER_MATRIX = {
    BT709: Colorspace.ITU709,
    _MATRIX_FCC: Colorspace.FCC,
    _MATRIX_BT470BG: Colorspace.ITU601,
    _MATRIX_SMPTE170M: Colorspace.ITU601,
    _MATRIX_SMPTE240M: Colorspace.SMPTE240M,
    _MATRIX_BT2020: Colorspace.BT2020,
}


@dataclass(frozen=True)
class Colour:
    """The colour tags of a recording, with what is unsaid filled in as players do.

    Attributes:
        matrix: H.273 matrix coefficients.
        primaries: H.273 colour primaries, 2 if unsaid.
        transfer: H.273 transfer characteristics, 2 if unsaid; read as BT.709 then.
        full_range: whether code values use the whole range rather than the studio range.
    """

    matrix: int
    primaries: int
    transfer: int
    full_range: bool

    @classmethod
    def on(cls, canvas: Canvas) -> "Colour":
        """The colour of a result's canvas."""
        return cls(canvas.matrix, canvas.primaries, canvas.transfer, canvas.full_range)

    @classmethod
    def of(cls, frame: VideoFrame) -> "Colour":
        """The tags of a decoded frame. An unsaid matrix is BT.709 from 720 lines up, else BT.601."""
        matrix = int(frame.colorspace)
        if matrix == RGB and not frame.format.is_rgb:
            matrix = -1  # a tag that cannot be true
        if matrix not in _LUMA_SHARES and matrix not in (RGB, YCGCO):
            matrix = BT709 if frame.height >= _HD_HEIGHT else _MATRIX_SMPTE170M
        full = int(frame.color_range) == ColorRange.JPEG or frame.format.name.startswith("yuvj")
        return cls(matrix, int(frame.color_primaries), int(frame.color_trc), full)

    @property
    def is_writable(self) -> bool:
        """Whether new pictures can be written in these terms, not only recorded ones passed on."""
        return self.matrix == RGB or self.matrix in _SCALER_MATRIX

    @property
    def scaler_matrix(self) -> Colorspace:
        """The matrix in the scaler's terms."""
        return _SCALER_MATRIX.get(self.matrix, Colorspace.ITU709)

    @property
    def scaler_range(self) -> ColorRange:
        """The range in the scaler's terms."""
        return ColorRange.JPEG if self.full_range else ColorRange.MPEG

    def tag(self, frame: VideoFrame) -> VideoFrame:
        """Write these tags on a frame and return it."""
        frame.colorspace = self.matrix
        frame.color_range = self.scaler_range
        frame.color_primaries = ColorPrimaries(self.primaries)
        frame.color_trc = ColorTrc(self.transfer)
        return frame

    @property
    def luma_shares(self) -> tuple[float, float, float]:
        """The shares of red, green and blue in luma."""
        red, blue = _LUMA_SHARES.get(self.matrix, _LUMA_SHARES[BT709])
        return red, 1 - red - blue, blue

    def rgb_matrix(self, depth: int = 0) -> npt.NDArray[np.float32]:
        """Affine matrix, shape (3, 4), from Y′CbCr codes to R′G′B′ (H.273, 8.3).

        From codes of so many bits to 0..1; without a depth, from 8-bit codes to 0..255.
        """
        bits, white = depth or 8, 1.0 if depth else 255.0
        step = float(1 << (bits - 8))
        top = float((1 << bits) - 1)
        luma, chroma = (top, top) if self.full_range else (219 * step, 224 * step)
        floor = 0.0 if self.full_range else 16 * step
        if self.matrix == YCGCO:
            mixed = [[1.0, -1.0, 1.0], [1.0, 1.0, 0.0], [1.0, -1.0, -1.0]]
        else:
            red, green, blue = self.luma_shares
            mixed = [
                [1.0, 0.0, 2 * (1 - red)],
                [1.0, -2 * (1 - blue) * blue / green, -2 * (1 - red) * red / green],
                [1.0, 2 * (1 - blue), 0.0],
            ]
        linear = np.array(mixed) * white / np.array([luma, chroma, chroma])
        offset = -linear @ np.array([floor, 128.0 * step, 128.0 * step])
        return np.column_stack([linear, offset]).astype(np.float32)

    @property
    def is_luma_and_chroma(self) -> bool:
        """Whether its codes are luma and differences from it, as `luma_matrix` makes them."""
        return self.matrix in _SCALER_MATRIX

    def luma_matrix(self, depth: int) -> npt.NDArray[np.float32]:
        """Affine matrix, shape (3, 4), from 16-bit R′G′B′ codes to Y′CbCr codes of so many bits."""
        linear, offset = np.split(self.rgb_matrix(depth).astype(np.float64), [3], axis=1)
        inverse = np.linalg.inv(linear)
        return np.column_stack([inverse / 65535, -inverse @ offset]).astype(np.float32)


def to_linear(  # noqa: PLR0911 - one return per curve
    encoded: npt.ArrayLike, transfer: int
) -> Light:
    """Light, 0..1, from R′G′B′ code values 0..1.

    The inverse of the camera's transfer function where it is standardised as one (BT.709 and its kin,
    HLG: ITU-R BT.709-6 1.2, BT.2100-2 table 5), of the display's otherwise (sRGB: IEC 61966-2-1; PQ:
    SMPTE ST 2084).
    """
    e = np.clip(np.asarray(encoded, np.float64), 0.0, 1.0)
    match transfer:
        case 4:
            return e**2.2
        case 5:
            return e**2.8
        case 8:
            return e
        case 13:
            return np.where(e <= 0.04045, e / 12.92, ((e + 0.055) / 1.055) ** 2.4)
        case 16:
            root = e ** (1 / _PQ_M2)
            return (np.maximum(root - _PQ_C1, 0) / (_PQ_C2 - _PQ_C3 * root)) ** (1 / _PQ_M1)
        case 18:
            return np.where(e <= 0.5, e**2 / 3, (np.exp((e - _HLG_C) / _HLG_A) + _HLG_B) / 12)
        case _:
            return np.where(e < 4.5 * _BETA, e / 4.5, ((e + _ALPHA - 1) / _ALPHA) ** (1 / 0.45))


def from_linear(  # noqa: PLR0911 - one return per curve
    light: npt.ArrayLike, transfer: int
) -> Light:
    """R′G′B′ code values 0..1 from light 0..1: the inverse of `to_linear`."""
    x = np.clip(np.asarray(light, np.float64), 0.0, 1.0)
    match transfer:
        case 4:
            return x ** (1 / 2.2)
        case 5:
            return x ** (1 / 2.8)
        case 8:
            return x
        case 13:
            return np.where(x <= 0.0031308, x * 12.92, 1.055 * x ** (1 / 2.4) - 0.055)
        case 16:
            power = x**_PQ_M1
            return ((_PQ_C1 + _PQ_C2 * power) / (1 + _PQ_C3 * power)) ** _PQ_M2
        case 18:
            high = np.maximum(12 * x - _HLG_B, 1e-9)
            return np.where(x <= 1 / 12, np.sqrt(3 * x), _HLG_A * np.log(high) + _HLG_C)
        case _:
            return np.where(x < _BETA, x * 4.5, _ALPHA * x**0.45 - (_ALPHA - 1))


@cache
def encoded_table(transfer: int) -> npt.NDArray[np.uint16]:
    """16-bit code values for 16-bit light; shape (65536,)."""
    return np.rint(from_linear(np.arange(65536) / 65535, transfer) * 65535).astype(np.uint16)


# BT.2020-2 table 4 gives these to enough digits for the two parts of BT.709's curve to meet.
_ALPHA, _BETA = 1.09929682680944, 0.018053968510807
_PQ_M1, _PQ_M2 = 2610 / 16384, 2523 / 4096 * 128
_PQ_C1, _PQ_C2, _PQ_C3 = 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
_HLG_A, _HLG_B, _HLG_C = 0.17883277, 0.28466892, 0.55991073
