"""Looks that other people's packages add."""

from dataclasses import dataclass

from chronoxis.core.extensions import guarded
from chronoxis.core.model.accent import AddedLook
from chronoxis.core.picture.accents.drawn_accent import Amounts
from chronoxis.core.picture.added_way import checked_codes, unchangeable
from chronoxis.core.picture.rgb import Rgb16


@dataclass(frozen=True, eq=False)
class AddedAccent:
    """A look that draws itself; whatever fails in it is told in one line.

    Attributes:
        look: what draws.
        amounts: how much of it there is on which frame.
        seed: of what is random in it.
        code: digest of its package, by which frames that other code drew are told apart.
    """

    look: AddedLook
    amounts: Amounts
    seed: int
    code: str

    def applied(self, result_frame: int, codes: Rgb16) -> Rgb16:
        """A result frame with the look on it. Raises ExtensionError."""
        key, amount = self.look.key, self.amounts[result_frame]
        given = unchangeable(codes)
        drawn = guarded(key, lambda: self.look.drawn(given, amount, result_frame, self.seed))
        return checked_codes(drawn, codes.shape, key)
