"""BC6H: colour beyond white. Read only, and clipped to 0..1 while it is looked at."""

from __future__ import annotations

from stonestack.core.blocks import borrowed
from stonestack.core.errors import BadRequest
from stonestack.core.image import Bytes


def encode(_texels: Bytes) -> bytes:
    """Refuse: this format is not written yet."""
    raise BadRequest(
        "not-encoded", "BC6H is read but not written yet.", "Choose another block format."
    )


def decode(data: bytes, width: int, height: int) -> Bytes:
    """Decode to stored colour, uint8 (height, width, 4), opaque."""
    return borrowed.decode(6, "BC6H", data, width, height)
