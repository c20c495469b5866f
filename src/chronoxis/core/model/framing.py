"""Which part of its pictures a shot shows: cropped once, or moving over them."""

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction

from chronoxis.core.errors import PlanError
from chronoxis.core.model.export_format import Size
from chronoxis.core.timing.exact import parse_exact, shortened

LEAST_SIDE = 8
"""Pixels of a picture that a view covers at least."""

SHAPES = ("16:9", "9:16", "1:1", "4:5", "21:9")
"""Shapes that people ask for."""

_PARTS_OF_PIXEL = 1000  # parts of a pixel


class Fit(StrEnum):
    """What becomes of a view whose shape is not that of the result."""

    FILL = "fill"
    BARS = "bars"


class Easing(StrEnum):
    """How a view moves from one step to the next."""

    EVEN = "even"
    GENTLE = "gentle"


@dataclass(frozen=True)
class View:
    """A rectangle on an upright picture, in its pixels."""

    left: Fraction
    top: Fraction
    width: Fraction
    height: Fraction

    @property
    def shape(self) -> Fraction:
        """Width by height."""
        return self.width / self.height

    @classmethod
    def whole(cls, size: Size) -> "View":
        """All of a picture."""
        return cls(Fraction(0), Fraction(0), Fraction(size[0]), Fraction(size[1]))

    def shaped(self, shape: Fraction) -> "View":
        """The largest view of a shape within this one, in its middle."""
        width, height = min(self.width, self.height * shape), min(self.height, self.width / shape)
        left, top = self.left + (self.width - width) / 2, self.top + (self.height - height) / 2
        return View(left, top, width, height)

    def reshaped(self, shape: Fraction) -> "View":
        """A view of another shape and the same area, about the same middle."""
        width = Fraction(float(self.width * self.height * shape) ** 0.5).limit_denominator(_PARTS_OF_PIXEL)
        height = width / shape
        left, top = self.left + (self.width - width) / 2, self.top + (self.height - height) / 2
        return View(left, top, width, height)

    def within(self, size: Size) -> "View":
        """This view moved into a picture; smaller, if it is larger than that."""
        scale = min(Fraction(1), size[0] / self.width, size[1] / self.height)
        width, height = self.width * scale, self.height * scale
        return View(
            min(max(self.left, Fraction(0)), size[0] - width),
            min(max(self.top, Fraction(0)), size[1] - height),
            width,
            height,
        )

    def refitted(self, before: Size, after: Size) -> "View":
        """This view of a picture that fills another size than before, trimmed to that."""
        scale = max(Fraction(new, old) for new, old in zip(after, before, strict=True))
        left, top = (
            (at - Fraction(old, 2)) * scale + Fraction(new, 2)
            for at, old, new in zip((self.left, self.top), before, after, strict=True)
        )
        return View(left, top, self.width * scale, self.height * scale).within(after)


@dataclass(frozen=True)
class FramingStep:
    """A view at a moment of a shot.

    Attributes:
        at: share of the shot's result time, 0 at its first frame, 1 at its last.
        view: what is shown then.
    """

    at: Fraction
    view: View


@dataclass(frozen=True)
class Framing:
    """Which part of its pictures a shot shows.

    Attributes:
        steps: views, ascending; none shows all of it, one stays.
        fit: what becomes of a view whose shape is not that of the result.
        easing: how views move.
    """

    steps: tuple[FramingStep, ...] = ()
    fit: Fit = Fit.FILL
    easing: Easing = Easing.GENTLE

    @property
    def moves(self) -> bool:
        """Whether the view changes."""
        return len({step.view for step in self.steps}) > 1

    def view(self, size: Size, share: Fraction) -> View:
        """What is shown at a share of the shot, of pictures of a size."""
        if not self.steps:
            return View.whole(size)
        if share <= self.steps[0].at:
            return self.steps[0].view
        for before, after in zip(self.steps, self.steps[1:], strict=False):
            if share < after.at:
                part = self.eased((share - before.at) / (after.at - before.at))
                return _between(before.view, after.view, part)
        return self.steps[-1].view

    def eased(self, part: Fraction) -> Fraction:
        """How far a view is at a part of the time between two steps."""
        return part * part * (3 - 2 * part) if self.easing is Easing.GENTLE else part

    def cut(self, share: Fraction) -> tuple["Framing", "Framing"]:
        """The framings of both parts of a shot that is cut at a share, so that views stay where they are.

        An easing that is cut begins and ends anew.
        """
        if not self.moves:
            return self, self
        middle = self.view((0, 0), share)
        before = [replace(step, at=step.at / share) for step in self.steps if step.at < share]
        after = [replace(step, at=(step.at - share) / (1 - share)) for step in self.steps if step.at > share]
        one, zero = Fraction(1), Fraction(0)
        return (
            replace(self, steps=(*before, FramingStep(one, middle))),
            replace(self, steps=(FramingStep(zero, middle), *after)),
        )

    def reversed(self) -> "Framing":
        """The framing of a shot that plays the other way."""
        return replace(self, steps=tuple(replace(step, at=1 - step.at) for step in reversed(self.steps)))

    def refitted(self, before: Size, after: Size) -> "Framing":
        """The framing of pictures that fill another size than before."""
        return self._changed(lambda view: view.refitted(before, after))

    def within(self, size: Size) -> "Framing":
        """Its views moved into pictures of a size; smaller, where they are larger than that."""
        return self._changed(lambda view: view.within(size))

    def _changed(self, change: Callable[[View], View]) -> "Framing":
        return replace(self, steps=tuple(replace(step, view=change(step.view)) for step in self.steps))

    def with_step(self, at: Fraction, view: View) -> "Framing":
        """The framing with a view at a moment, in place of one that is there."""
        others = [step for step in self.steps if step.at != at]
        return replace(self, steps=tuple(sorted([*others, FramingStep(at, view)], key=lambda step: step.at)))


def parse_shape(text: str) -> Fraction:
    """Read ``16:9``, ``2.39`` or ``2.39:1`` as width by height.

    Raises:
        PlanError: it is none of these, or out of range.
    """
    width, _, height = text.strip().replace("×", ":").replace("x", ":").partition(":")
    try:
        shape = parse_exact(width.replace(",", ".")) / parse_exact(height.replace(",", ".") or "1")
    except (ValueError, ZeroDivisionError):
        raise PlanError(f"“{shortened(text)}” is not a shape; write 16:9, 1:1 or 2.39:1.") from None
    if not Fraction(1, 20) <= shape <= 20:
        raise PlanError("A shape lies between 1:20 and 20:1.")
    return shape


def parse_crop(text: str) -> Fraction | View:
    """Read a shape, or ``WxH+X+Y`` in pixels of the upright picture.

    Raises:
        PlanError: it is neither.
    """
    found = re.fullmatch(r"(\d+)[x×](\d+)\+(\d+)\+(\d+)", text.strip())
    if not found:
        return parse_shape(text)
    if any(len(number) > 6 for number in found.groups()):
        raise PlanError(f"“{shortened(text)}” reaches outside of any picture.")
    width, height, left, top = (Fraction(number) for number in found.groups())
    return View(left, top, width, height)


def parse_steps(text: str) -> tuple[FramingStep, ...]:
    """Read ``X,Y,W,H -> X,Y,W,H``, with as many steps as wanted: views at even distances.

    Raises:
        PlanError: it is not that.
    """
    views = []
    for part in re.split(r"->|→", text):
        try:
            numbers = [parse_exact(number) for number in part.split(",")]
            left, top, width, height = numbers
        except ValueError:
            raise PlanError(
                f"“{shortened(text)}” is no framing; write X,Y,W,H -> X,Y,W,H in pixels of the picture."
            ) from None
        views.append(View(left, top, width, height))
    last = max(1, len(views) - 1)
    return tuple(FramingStep(Fraction(number, last), view) for number, view in enumerate(views))


def check_views(views: Iterable[View], size: Size, label: str) -> None:
    """Refuse views that do not lie within pictures of a size.

    Raises:
        PlanError: one reaches outside, or is too small.
    """
    for view in views:
        right, bottom = view.left + view.width, view.top + view.height
        if min(view.width, view.height) < LEAST_SIDE:
            raise PlanError(f"A framing of {label} is smaller than {LEAST_SIDE} pixels a side.")
        if view.left < 0 or view.top < 0 or right > size[0] or bottom > size[1]:
            raise PlanError(
                f"A framing of {label} reaches outside: the picture is {size[0]}×{size[1]}, "
                f"the framing goes to {_plain(right)}, {_plain(bottom)}."
            )


def _plain(number: Fraction) -> str:
    return f"{float(number):.6g}"


def _between(before: View, after: View, part: Fraction) -> View:
    def mixed(one: Fraction, other: Fraction) -> Fraction:
        return one + (other - one) * part

    return View(
        mixed(before.left, after.left),
        mixed(before.top, after.top),
        mixed(before.width, after.width),
        mixed(before.height, after.height),
    )
