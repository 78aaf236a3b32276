"""One file to a tile, as the command line does it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from stonestack.core.files import codecs
from stonestack.core.graph.ops.operation import Solved
from stonestack.core.graph.ops.pictures import Limit
from stonestack.core.graph.ops.stages import GEOMETRY
from stonestack.core.judge.choosing import TRIED_AT, Choice, choose
from stonestack.core.kinds.node import Key
from stonestack.core.kinds.step import SOLVED_AT
from stonestack.core.picture import colour
from stonestack.core.picture.resize import THINNEST
from stonestack.core.raw.frame import Frame, frame_of, framed
from stonestack.core.raw.slant import corners_seen
from stonestack.core.steps import STEPS
from stonestack.core.tables.roles import ROLES, Role
from stonestack.core.tile.ways import Axes
from stonestack.core.tile.whole import Kept
from stonestack.core.tools.converting import Container, Conversion, check_output

METHODS: dict[str, str] = {
    "cut": "cut_tile",
    "quilt": "quilt_tile",
    "even": "wrap_tile",
    "blend": "blend_tile",
    "mirror": "mirror_tile",
}
"""What each way of tiling is called on the command line."""


def frame_on_lines(data: bytes, role: Role = Role.COLOUR) -> Frame | None:
    """Return the frame whose corners lie on a file's lines; None where they run side by side.

    Raises
    ------
    BadFile
        If the file cannot be read.
    """
    picture = codecs.read_picture(data, ROLES[role].space, TRIED_AT)
    corners = corners_seen(colour.seen(picture))
    return None if corners is None else frame_of(corners)


def choose_method(
    data: bytes, role: Role = Role.COLOUR, axes: Axes = "both", frame: Frame | None = None
) -> tuple[str, Choice]:
    """Return which way of tiling suits a file's picture best, and what was found.

    Parameters
    ----------
    data, role, axes, frame
        As for :func:`tile_file`.

    Raises
    ------
    BadFile
        If the file cannot be read.
    BadRequest
        If no way suits it.
    """
    picture = codecs.read_picture(data, ROLES[role].space, TRIED_AT)
    if min(picture.width, picture.height) < THINNEST:
        picture = codecs.read_picture(data, ROLES[role].space)
    if frame is not None:
        picture = framed(picture, frame)
    choice = choose(picture, axes)
    kinds = {kind: method for method, kind in METHODS.items()}
    return kinds[choice.tried[0].kind], choice


def tile_file(
    data: bytes,
    output_name: str,
    *,
    method: str = "cut",
    axes: Axes = "both",
    size: tuple[int, int] | None = None,
    seed: int | None = None,
    role: Role = Role.COLOUR,
    frame: Frame | None = None,
) -> Tiled:
    """Return the content of a file that holds a tile made from another's picture.

    Parameters
    ----------
    data, output_name, role
        As for :func:`convert`.
    method : str
        One of :data:`METHODS`.
    axes : {"both", "x", "y"}
        Which edges are made to meet.
    size : (int, int), optional
        Width and height in texels. Quilting makes a tile of that size; other ways make one
        and resample it.
    seed : int, optional
        For the ways that draw by chance.
    frame : Frame, optional
        What of the picture is used, straightened; left out, all of it.

    Raises
    ------
    BadFile
        If the file cannot be read.
    BadRequest
        If the method does not suit it, or the output's kind is not written.
    """
    one = Conversion(data, Container(check_output(output_name)), role)
    start = one.start if frame is None else one.put("frame", frame, one.start)
    step = STEPS[METHODS[method]]
    given: dict[str, Any] = {"axes": axes}
    fields = step.params.model_fields
    if seed is not None and "seed" in fields:
        given["seed"] = seed
    if size is not None and "shape" in fields and size[0] != size[1]:
        given["shape"] = "found"
    if size is not None and {"width", "height"} <= set(fields):
        source = one.run.picture(one.graph, start)
        given["width"] = _in_steps(size[0] / source.width)
        given["height"] = _in_steps(size[1] / source.height)
    params = step.params.model_validate(given)
    small = one.put("limit", Limit(longest=SOLVED_AT), start)
    geometry = one.put(f"{GEOMETRY}{step.name}", params, small)
    key = one.put(step.name, params, start, start, geometry)
    return Tiled(one.stored(one.sized(key, size)), _kept(one, geometry))


@dataclass(frozen=True)
class Tiled:
    """A tile's file, and what of a structure it holds, in words; empty where there is none."""

    data: bytes
    kept: str


def _kept(one: Conversion, geometry: Key) -> str:
    """Return what of a structure is kept whole."""
    solved = one.run.result(one.graph, geometry)
    how = solved.how if isinstance(solved, Solved) else None
    return how.words if isinstance(how, Kept) else ""


def _in_steps(share: float) -> float:
    """Return a share of the source that a tile can have; the rest is resampled."""
    return round(min(4.0, max(0.25, share)) * 20) / 20
