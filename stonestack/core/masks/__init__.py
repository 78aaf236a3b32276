"""The one register of masks. A new kind is one file, and one line here."""

from __future__ import annotations

from stonestack.core.masks import rectangle
from stonestack.core.masks.maskkind import MaskKind, MaskShape
from stonestack.core.registers import must_agree

__all__ = ["MASKS", "AnyMask", "MaskKind", "MaskShape"]

_ALL = (
    rectangle.MASK,
)  # fmt: skip
MASKS: dict[str, MaskKind] = {mask.name: mask for mask in _ALL}

AnyMask = rectangle.Rectangle
"""Parameters of any mask, told apart by their ``kind``."""

must_agree("masks", {mask.params for mask in MASKS.values()}, AnyMask)
