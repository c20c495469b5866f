"""How much of a disk may be taken by what can be made again."""

import shutil
from pathlib import Path

_SHARE_OF_FREE = 0.1
_LEAST_FREE = 1_000_000_000  # bytes of the disk that are left to others in any case


def disk_budget(folder: Path, used: int, most: int) -> int:
    """Bytes that may be kept in a folder: a tenth of what is free beside it, and never more than ``most``.

    Args:
        folder: that is there.
        used: bytes that are kept in it now.
        most: bytes, whatever is free.

    Raises:
        OSError: the disk does not tell.
    """
    room = shutil.disk_usage(folder).free + used
    return max(0, min(most, int(room * _SHARE_OF_FREE), room - _LEAST_FREE))
