"""Make a file again in exactly the form that a game's own file has, with a new picture in it.

The contract is the original itself: its size, levels, format, header, row order, palette. What
did not change is copied from it, so that nothing is compressed a second time.
"""

from __future__ import annotations

from stonestack.core.refit.contract import Contract, contract_of
from stonestack.core.refit.making import Made, as_stored, made, texels_of

__all__ = ["Contract", "Made", "as_stored", "contract_of", "made", "texels_of"]
