"""Folders for what is needed for a while: for the user alone, under one roof, and swept at the next start
where a program ended suddenly. Recordings of children may lie in them.
"""

from __future__ import annotations

import os
import shutil
import tempfile
from pathlib import Path


def scratch_home() -> Path:
    """The roof: a folder of this user in the system's place for temporary files. Raises OSError where it is
    somebody else's.
    """
    roof = Path(tempfile.gettempdir()) / f"jeweller-{os.getuid()}"
    roof.mkdir(mode=0o700, exist_ok=True)
    told = roof.lstat()
    if told.st_uid != os.getuid() or not roof.is_dir() or roof.is_symlink():
        raise OSError(f"{roof} belongs to somebody else")
    if told.st_mode & 0o077:
        roof.chmod(0o700)
    return roof


def scratch_folder() -> tempfile.TemporaryDirectory[str]:
    """A folder that goes when it is let go of, and at the next start otherwise.

    >>> with scratch_folder() as name:
    ...     Path(name).parent == scratch_home()
    True
    """
    try:
        return tempfile.TemporaryDirectory(prefix=f"{os.getpid()}-", dir=scratch_home())
    except OSError:
        return tempfile.TemporaryDirectory(prefix="jeweller-")


def sweep_scratch() -> int:
    """Takes away what programs left that are no more; how many folders."""
    count = 0
    try:
        folders = list(scratch_home().iterdir())
    except OSError:
        return 0
    for folder in folders:
        owner = folder.name.partition("-")[0]
        if owner.isdecimal() and not is_running(int(owner)):
            shutil.rmtree(folder, ignore_errors=True)
            count += 1
    return count


def is_running(process: int) -> bool:
    """Whether a process is there, of whomever."""
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except OSError:
        return True
    return True
