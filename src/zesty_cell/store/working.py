"""Working files beside a database: named by the process that makes them, and swept once it is gone."""

from __future__ import annotations

import os
import re
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

_OURS = re.compile(r"\.zesty-cell-(\d+)-.+")
_PREFIX = "zesty-cell-"


def part_of(target: Path) -> Path:
    """What a file is called while it is being written."""
    return target.with_name(f".{_PREFIX}{os.getpid()}-{target.name}.part")


@contextmanager
def working_folder(beside: Path | None = None) -> Iterator[Path]:
    """A folder for the time being, beside a file or where the machine keeps such."""
    folder = make_folder(beside)
    try:
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def make_folder(beside: Path | None = None) -> Path:
    """The same, to be removed by whoever asked for it."""
    parent = None if beside is None else beside.parent
    return Path(tempfile.mkdtemp(prefix=f".{_PREFIX}{os.getpid()}-", dir=parent))


def sweep(beside: Path) -> int:
    """Remove what processes that are gone have left beside a file, and where the machine keeps such; how many."""
    gone = 0
    for folder in {beside.parent, Path(tempfile.gettempdir())}:
        with suppress(OSError):
            for left in list(folder.glob(f".{_PREFIX}*")):
                found = _OURS.fullmatch(left.name)
                if found is None or _runs(int(found[1])):
                    continue
                with suppress(OSError):
                    if left.is_dir():
                        shutil.rmtree(left)
                    else:
                        left.unlink()
                    gone += 1
    return gone


def _runs(process: int) -> bool:
    try:
        os.kill(process, 0)
    except (ProcessLookupError, OverflowError):
        return False
    except OSError:  # it is somebody else's
        return True
    return True
