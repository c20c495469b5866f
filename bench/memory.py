"""How much memory a process took."""

from pathlib import Path


def peak() -> float:
    """The most that this process has had at a time, in MB (proc(5), VmHWM).

    Not what `getrusage` says: that remembers the process which this one was forked from.
    """
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) / 1024 for line in lines if line.startswith("VmHWM"))
