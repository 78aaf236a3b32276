"""Put a picture into a game's file: same form, and what did not change copied bit for bit."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from stonestack.core.catalogue.describe import picture_bytes
from stonestack.core.files import codecs
from stonestack.core.files.blocks.formats import Numbers
from stonestack.core.files.codecs import pictures
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.resize import resize
from stonestack.core.picture.texels import Texels, from_texels, full, scaled, unit_vectors
from stonestack.core.refit import images, levels
from stonestack.core.refit.contract import contract_of
from stonestack.core.runtime.errors import BadRequest


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


def texels_of(data: bytes) -> Texels:
    """Read any picture's texels as they are stored, at their own depth.

    Returns
    -------
    ndarray, uint8 or uint16, shape (height, width, 4)
    """
    kind = codecs.checked_kind(data)
    if kind in (FileKind.DDS, FileKind.KTX2):
        return picture_bytes(data, None)
    return pictures.stored(data, kind, 16)


def as_stored(data: bytes, space: Space) -> Picture:
    """Read a picture with every channel that it stores, as a replacement for a game's file.

    Unlike :func:`codecs.read_picture`, which serves one role, this keeps data in three channels
    apart, and the alpha of normals.
    """
    kind = codecs.checked_kind(data)
    if kind in (FileKind.DDS, FileKind.KTX2):
        texture = codecs.read_texture(data)
        if texture.format.info.numbers is not Numbers.BYTES:
            return texture.picture(space)
    texels = texels_of(data)
    alpha = bool((texels[..., 3] < full(texels)).any())
    if space is Space.LINEAR:
        return from_texels(texels, space)
    values = scaled(texels)
    body = unit_vectors(texels[..., :3]) if space is Space.VECTOR else values[..., :3]
    pixels = np.concatenate([body, values[..., 3:]], axis=2) if alpha else body
    bits = 16 if texels.dtype == np.uint16 else 8
    return Picture(np.ascontiguousarray(pixels, dtype=np.float32), space, alpha=alpha, bits=bits)


def made(original: bytes, picture: Picture, own: Mapping[int, Picture] | None = None) -> Made:
    """Make a game's file again with another picture.

    A texel has changed where the picture differs from the original read and stored in the same
    way; so a map that went through the whole workbench untouched comes back bit for bit.

    Parameters
    ----------
    original : bytes
        The game's own file.
    picture : Picture
        Any size; resampled to the original's.
    own : mapping of int to Picture, optional
        Smaller levels with a picture of their own; the others are made as ever, or stay.

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
    # The original is read in the way that the picture was.
    served = picture.space is Space.VECTOR and not picture.alpha
    one = picture.space is Space.DATA and picture.body.shape[2] == 1
    read = codecs.read_picture if served or one else as_stored
    before = read(original, picture.space)
    if contract.kind in (FileKind.DDS, FileKind.KTX2):
        return Made(*levels.made(original, before, picture, own or {}))
    return Made(*images.made(original, FileKind(contract.kind), before, picture))
