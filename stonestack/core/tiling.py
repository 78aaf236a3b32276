"""From one file to a tile in another, as the command line does it."""

from __future__ import annotations

from typing import Any

import numpy as np

from stonestack.core import codecs, colour
from stonestack.core.codecs.sniff import FileKind, kind_by_name
from stonestack.core.converting import check_output, store
from stonestack.core.image import Picture, Space
from stonestack.core.resize import resize
from stonestack.core.roles import ROLES, Role
from stonestack.core.steps import STEPS
from stonestack.core.tile.ways import Axes

METHODS: dict[str, str] = {
    "cut": "make_tile",
    "patch": "quilt_tile",
    "even": "wrap_tile",
    "blend": "blend_tile",
    "mirror": "mirror_tile",
}
"""What each way is called on the command line."""


def tile_file(
    data: bytes,
    output_name: str,
    *,
    method: str = "cut",
    axes: Axes = "both",
    size: tuple[int, int] | None = None,
    seed: int | None = None,
    role: Role = Role.COLOUR,
) -> bytes:
    """Return the content of a file that holds a tile made from another's picture.

    Parameters
    ----------
    data : bytes
        A file of any kind that can come in.
    output_name : str
        Its extension decides the kind. A PNG keeps 16 bits where the source has them.
    method : str
        One of :data:`METHODS`.
    axes : {"both", "x", "y"}
        Which edges are made to meet.
    size : (int, int), optional
        Width and height in texels. Patching makes a tile of that size; other ways make one
        and resample it.
    seed : int, optional
        For the ways that draw by chance.
    role : Role
        How the numbers are understood.

    Raises
    ------
    BadFile
        If the file cannot be read.
    BadRequest
        If the method does not suit it, or the output's kind is not written.
    """
    check_output(output_name)
    picture = codecs.read_picture(data, ROLES[role].space)
    step = STEPS[METHODS[method]]
    given: dict[str, Any] = {"axes": axes}
    fields = step.params.model_fields
    if seed is not None and "seed" in fields:
        given["seed"] = seed
    if size is not None and "shape" in fields and size[0] != size[1]:
        given["shape"] = "found"
    if size is not None and method == "patch":
        given["width"] = _in_steps(size[0] / picture.width)
        given["height"] = _in_steps(size[1] / picture.height)
    tile = step.apply(picture, step.params.model_validate(given))
    if size is not None:
        tile = resize(tile, *size)
    deep = codecs.inspect("source", data).bits == 16
    if deep and kind_by_name(output_name) is FileKind.PNG:
        return _deep(tile)
    return store(tile, output_name, role=role)


def _in_steps(share: float) -> float:
    """Return a share of the source that a tile can have; the rest is resampled."""
    return round(min(4.0, max(0.25, share)) * 20) / 20


def _deep(tile: Picture) -> bytes:
    """Store a picture as a PNG of sixteen bits a channel."""
    from stonestack.core.codecs import pictures

    values = tile.pixels
    if tile.space is Space.LINEAR:
        values = colour.to_seen(values[..., :3])
        if tile.opacity is not None:
            values = np.concatenate([values, tile.opacity], axis=2)
    elif tile.space is Space.VECTOR:
        values = values * np.float32(0.5) + np.float32(0.5)
    stored = np.rint(np.clip(values, 0, 1) * np.float32(65535)).astype(np.uint16)
    return pictures.deep_png(stored[..., 0] if stored.shape[2] == 1 else stored)
