"""How many of the machine's cores this process may use."""

import os


def usable_cores() -> int:
    """Fewer than there are where it was confined to some, as in a container or by `taskset`; at least 1."""
    return len(os.sched_getaffinity(0))
