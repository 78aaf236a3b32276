"""The one register of masks. A new kind is one file, and one line here."""

from __future__ import annotations

from stonestack.core.masks import rectangle
from stonestack.core.masks.maskkind import MaskKind, MaskShape

__all__ = ["MASKS", "AnyMask", "MaskKind", "MaskShape"]

MASKS: dict[str, MaskKind] = {mask.name: mask for mask in (rectangle.MASK,)}

AnyMask = rectangle.Rectangle
"""Parameters of any mask, told apart by their ``kind``."""
