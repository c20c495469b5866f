"""How pieces are made, here or elsewhere, as somebody chose; what is needed for that is loaded then only."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager

from chronoxis.core.cluster.machines import Machines, require_available
from chronoxis.core.render.piece_making import MakePieces, make_pieces


@contextmanager
def making(machines: Machines | None, told: Callable[[str], None]) -> Iterator[MakePieces]:
    """Be able to make pieces by some machines, or here.

    Args:
        machines: which ones; None for this one alone.
        told: called with what a person should know, in a sentence.

    Raises:
        ClusterError: nothing answers there, it must not be spoken with, or what is needed is not installed.
    """
    if machines is None:
        yield make_pieces
        return
    require_available()
    from chronoxis.core.cluster.elsewhere import elsewhere  # noqa: PLC0415 - it is an extra, and takes long

    with elsewhere(machines, told) as make:
        yield make
