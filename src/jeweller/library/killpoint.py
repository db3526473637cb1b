"""Where a test may kill the program: every statement, commit, write and rename of the library passes here.

With JEWELLER_KILL_AT=N in the environment the Nth point reached ends the process at once, as a power cut
would; without it nothing happens.
"""

from __future__ import annotations

import itertools
import os
import signal

_reached = itertools.count(1)


def reach() -> None:
    """One point more is reached."""
    wanted = os.environ.get("JEWELLER_KILL_AT")
    if wanted and next(_reached) == int(wanted):
        os.kill(os.getpid(), signal.SIGKILL)
