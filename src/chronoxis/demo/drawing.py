"""`python -m chronoxis.demo.drawing FOLDER NAME`: draws one recording of the demo beside other work.

Tells how many frames are done, a number a line; an error is a line that begins with ``!``.
"""

import os
import signal
import sys
import time
from pathlib import Path

from chronoxis.core.errors import ChronoxisError
from chronoxis.demo.larkfield import PARTS

_NICENESS = 10
_TELL = 0.1  # seconds between two lines


def main() -> None:
    """Draw, giving way to all other work; ends when whoever asked is gone."""
    folder, name = Path(sys.argv[1]), sys.argv[2]
    part = next(part for part in PARTS if part.name == name)
    os.nice(_NICENESS)
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(1))  # unlike the default, lets files be removed
    done, told = 0, 0.0

    def on_frame() -> None:
        nonlocal done, told
        done += 1
        if time.monotonic() - told >= _TELL:
            told = time.monotonic()
            print(done, flush=True)

    try:
        part.draw_into(folder, on_frame)
    except ChronoxisError as error:
        print(f"!{error}", flush=True)
        sys.exit(1)


if __name__ == "__main__":
    main()
