"""Put a picture into a game's file: same form, and what did not change copied bit for bit."""

from __future__ import annotations

from dataclasses import dataclass

from stonestack.core import codecs
from stonestack.core.codecs.sniff import FileKind
from stonestack.core.errors import BadRequest
from stonestack.core.image import Picture
from stonestack.core.refit import images, levels
from stonestack.core.refit.contract import contract_of
from stonestack.core.resize import resize


@dataclass(frozen=True)
class Made:
    """A file made to a contract.

    Parameters
    ----------
    data : bytes
    units, changed : int
        Blocks (of textures) or texels (of images) in all, and how many were made anew.
    """

    data: bytes
    units: int
    changed: int


def made(original: bytes, picture: Picture) -> Made:
    """Make a game's file again with another picture.

    A texel has changed where the picture differs from the original read and stored in the same
    way; so a map that went through the whole workbench untouched comes back bit for bit.

    Parameters
    ----------
    original : bytes
        The game's own file.
    picture : Picture
        Any size; resampled to the original's.

    Raises
    ------
    BadRequest
        If the original's form cannot be written.
    """
    contract = contract_of(original)
    if contract.refusal or not contract.width:
        raise BadRequest(
            "contract-not-written",
            contract.refusal or "This file is no picture.",
            "The original is kept and can be restored; choose another file to replace.",
        )
    if (picture.width, picture.height) != (contract.width, contract.height):
        picture = resize(picture, contract.width, contract.height)
    before = codecs.read_picture(original, picture.space)
    if contract.kind in (FileKind.DDS, FileKind.KTX2):
        return Made(*levels.made(original, before, picture))
    return Made(*images.made(original, FileKind(contract.kind), before, picture))
