"""Whether all kernels are compiled: told by a mark beside them, without loading any."""

from __future__ import annotations

import contextlib
import hashlib
import sys
from importlib.metadata import version
from pathlib import Path

PARTS = 5
"""Lines that :mod:`stonestack.core.tools.compiling` prints on its way."""
MARK = Path(__file__).parent / "__pycache__" / "kernels.mark"


def is_compiled() -> bool:
    """Tell whether all kernels were compiled as they are now, for this processor."""
    return MARK.is_file() and MARK.read_text() == state()


def mark(now: str) -> None:
    """Note that all are compiled; where nothing may be written, each start looks again."""
    with contextlib.suppress(OSError):
        MARK.parent.mkdir(exist_ok=True)
        MARK.write_text(now)


def state() -> str:
    """Return a hash of all that compiled code depends on."""
    from llvmlite import binding

    digest = hashlib.sha256()
    for word in (sys.version, version("numba"), version("llvmlite"), binding.get_host_cpu_name()):
        digest.update(word.encode())
    core = Path(__file__).parents[1]
    for path in sorted(core.rglob("*.py")):
        digest.update(path.relative_to(core).as_posix().encode() + path.read_bytes())
    return digest.hexdigest()
