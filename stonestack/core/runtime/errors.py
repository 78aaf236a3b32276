"""The one family of errors that a person is meant to read."""

from __future__ import annotations

import lzma
import struct
import zipfile
import zlib

ZIP_DAMAGE = (
    *(zipfile.BadZipFile, zlib.error, lzma.LZMAError, struct.error),
    *(EOFError, OSError, RuntimeError, ValueError),
)
"""What the standard library's ZIP reader raises for a file that is damaged, or locked, or packed
in a way that it does not know."""


class StoneError(Exception):
    """Something a person can mend, said in words that tell how.

    Parameters
    ----------
    code : str
        Short stable name, for programs (``"file-truncated"``).
    message : str
        One sentence: what is wrong.
    fix : str
        One sentence: what to do about it.
    """

    def __init__(self, code: str, message: str, fix: str) -> None:
        super().__init__(f"{message} {fix}")
        self.code = code
        self.message = message
        self.fix = fix


class BadFile(StoneError):
    """A file that cannot be read as a picture or a texture."""


class BadRequest(StoneError):
    """A request that does not make sense for this object."""


class NotFound(StoneError):
    """A thing that is not there, or not there any more."""


class Conflict(StoneError):
    """An edit that was made on an older state than the present one."""


class NotWanted(StoneError):
    """Work that was left because what asked for it has moved on."""


class Cancelled(Exception):
    """Raised inside long work when the person has asked to stop it."""
