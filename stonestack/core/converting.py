"""One file to another: picture to texture, texture to picture, like to like, or to a tile.

Both commands build the same graph that the bench does, of the same operations.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Any

from stonestack.core import codecs, ops
from stonestack.core.blocks.formats import BlockFormat
from stonestack.core.blocks.quality import Quality
from stonestack.core.codecs import dds
from stonestack.core.codecs.dds import Header
from stonestack.core.codecs.sniff import FileKind, kind_by_name
from stonestack.core.errors import BadRequest
from stonestack.core.graph import Graph, Key
from stonestack.core.image import Picture
from stonestack.core.mips import MipFilter
from stonestack.core.ops.evaluating import Evaluator
from stonestack.core.ops.files import DdsForm, Storing, Written
from stonestack.core.ops.operation import Solved
from stonestack.core.ops.pictures import Canvas, Limit, Reading
from stonestack.core.ops.stages import GEOMETRY
from stonestack.core.roles import ROLES, Role
from stonestack.core.stepkind import SOLVED_AT
from stonestack.core.steps import STEPS
from stonestack.core.tile.choosing import TRIED_AT, Choice, choose
from stonestack.core.tile.ways import Axes
from stonestack.core.tile.whole import Kept

_WITH_ALPHA = 4
PICTURES = (FileKind.PNG, FileKind.TGA, FileKind.TIFF)
TEXTURES = (FileKind.DDS, FileKind.KTX2)

METHODS: dict[str, str] = {
    "cut": "cut_tile",
    "quilt": "quilt_tile",
    "even": "wrap_tile",
    "blend": "blend_tile",
    "mirror": "mirror_tile",
}
"""What each way of tiling is called on the command line."""


def convert(
    data: bytes,
    output_name: str,
    *,
    role: Role = Role.COLOUR,
    format_name: str | None = None,
    size: tuple[int, int] | None = None,
    mips: bool = True,
    deband: bool = False,
    quality: Quality = Quality.STANDARD,
    filter_: MipFilter = "kaiser",
    header: Header | None = None,
) -> Converted:
    """Return the content of the output file.

    Parameters
    ----------
    data : bytes
        A file of any kind that can come in.
    output_name : str
        Its extension decides the kind: dds, ktx2, png, tga or tiff. PNG and TIFF keep sixteen
        bits where the input has them.
    role : Role
        How the numbers are understood: colour in linear light, normals as vectors.
    format_name : str, optional
        A block format; the role's usual one by default, BC3 for colour with alpha.
    size : (int, int), optional
        Width and height in texels.
    mips : bool
        Whether a texture gets all its smaller levels.
    deband : bool
        Whether the terraces of plain numbers in eight bits are evened out.
    quality : Quality
        How hard the encoder searches.
    filter_ : {"kaiser", "box", "lanczos", "nearest"}
        What makes the smaller levels.
    header : {"legacy", "dx10"}, optional
        Which header a DDS gets: the legacy one by default, which every reader knows, where it has
        words for the format.

    Raises
    ------
    BadFile
        If the input cannot be read.
    BadRequest
        If the output's kind is not written, or the format does not fit.
    """
    one = _Conversion(data, output_name, role, deband)
    key = one.sized(one.start, size)
    making = {"mips": mips, "quality": quality, "filter": filter_}
    return Converted(one.stored(key, format_name, making, header), one.words)


@dataclass(frozen=True)
class Converted:
    """A file's content, and what became of its alpha, in words; empty where nothing did."""

    data: bytes
    words: str


def choose_method(data: bytes, role: Role = Role.COLOUR, axes: Axes = "both") -> tuple[str, Choice]:
    """Return which way of tiling suits a file's picture best, and what was found.

    Parameters
    ----------
    data, role, axes
        As for :func:`tile_file`.

    Raises
    ------
    BadFile
        If the file cannot be read.
    BadRequest
        If no way suits it.
    """
    picture = codecs.read_picture(data, ROLES[role].space, TRIED_AT)
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

    Raises
    ------
    BadFile
        If the file cannot be read.
    BadRequest
        If the method does not suit it, or the output's kind is not written.
    """
    one = _Conversion(data, output_name, role)
    step = STEPS[METHODS[method]]
    given: dict[str, Any] = {"axes": axes}
    fields = step.params.model_fields
    if seed is not None and "seed" in fields:
        given["seed"] = seed
    if size is not None and "shape" in fields and size[0] != size[1]:
        given["shape"] = "found"
    if size is not None and {"width", "height"} <= set(fields):
        given["width"] = _in_steps(size[0] / one.picture.width)
        given["height"] = _in_steps(size[1] / one.picture.height)
    params = step.params.model_validate(given)
    small = one.put("limit", Limit(longest=SOLVED_AT), one.start)
    geometry = one.put(f"{GEOMETRY}{step.name}", params, small)
    key = one.put(step.name, params, one.start, one.start, geometry)
    return Tiled(one.stored(one.sized(key, size)), one.kept(geometry))


@dataclass(frozen=True)
class Tiled:
    """A tile's file, and what of a structure it holds, in words; empty where there is none."""

    data: bytes
    kept: str


class _Conversion:
    """The graph of one file's way to another."""

    def __init__(self, data: bytes, output_name: str, role: Role, debanded: bool = False) -> None:
        self.kind = check_output(output_name)
        self._role = role
        self.words = ""
        self._graph = Graph()
        self._run = Evaluator(lambda _digest: data)
        digest = hashlib.sha256(data).hexdigest()
        reading = Reading(space=ROLES[role].space, debanded=debanded)
        self.start = ops.put(self._graph, "decode", reading, blobs=(digest,))
        self.picture: Picture = self._run.picture(self._graph, self.start)

    def put(self, op: str, params: Any, *inputs: Key) -> Key:
        """Put a node into the graph."""
        return ops.put(self._graph, op, params, inputs)

    def sized(self, key: Key, size: tuple[int, int] | None) -> Key:
        """Resample, where a size is asked for."""
        if size is None:
            return key
        return self.put("resample", Canvas(width=size[0], height=size[1]), key)

    def kept(self, geometry: Key) -> str:
        """Return what of a structure is kept whole."""
        solved = self._run.result(self._graph, geometry)
        how = solved.how if isinstance(solved, Solved) else None
        return how.words if isinstance(how, Kept) else ""

    def stored(
        self,
        key: Key,
        format_name: str | None = None,
        making: Mapping[str, Any] = MappingProxyType({}),
        header: Header | None = None,
    ) -> bytes:
        """Carry everything out, and return the output's bytes."""
        if self.kind in PICTURES:
            if format_name not in (None, BlockFormat.RGBA8):
                raise BadRequest(
                    "format-for-texture",
                    f"A {self.kind} file holds no {format_name} blocks.",
                    "Leave --format out, or write .dds or .ktx2.",
                )
            return self._run.file(self._graph, stored_as(self._graph, key, self.kind, self.picture))
        usual = BlockFormat.BC3 if self.picture.alpha else ROLES[self._role].formats[0]
        format_ = BlockFormat(format_name) if format_name else usual
        info = ROLES[self._role]
        storing = Storing(format=format_, mask=info.mask, gloss=info.gloss, **making)
        self.words = _alpha_words(format_) if self.picture.alpha else ""
        form = None
        if self.kind is FileKind.DDS:
            form = DdsForm(header=header or dds.usual_header(format_))
        texture = self.put("compress", storing, key)
        return self._run.file(self._graph, self.put(self.kind.value, form, texture))


def _alpha_words(format_: BlockFormat) -> str:
    """Say what a format makes of alpha, where it does not keep it."""
    if format_ is BlockFormat.BC1:
        return "BC1 keeps alpha as holes: what is below half is see-through. BC3 or BC7 keep it."
    if format_.info.keeps < _WITH_ALPHA:
        return f"{format_.info.title} keeps no alpha: it was left out. BC3 or BC7 keep it."
    return ""


def stored_as(graph: Graph, key: Key, kind: FileKind, picture: Picture) -> Key:
    """Return the node that writes a picture as a picture file, no coarser than it came."""
    return ops.put(graph, "image", Written(kind=kind, bits=picture.bits), (key,))


def check_output(output_name: str) -> FileKind:
    """Return the kind that an output file's extension names.

    Raises
    ------
    BadRequest
        If it is not written.
    """
    kind = kind_by_name(output_name)
    if kind not in (*PICTURES, *TEXTURES):
        raise BadRequest(
            "output-kind",
            f"The extension of {output_name} names no kind that is written.",
            "Use .dds, .ktx2, .png, .tga or .tiff.",
        )
    return kind


def parse_size(text: str) -> tuple[int, int]:
    """Read ``1024x512``.

    Raises
    ------
    BadRequest
        If it is anything else, or a side is not from 1 to 16384.
    """
    match = re.fullmatch(r"(\d{1,5})[x×](\d{1,5})", text)
    sides = (int(match[1]), int(match[2])) if match else (0, 0)
    if not all(1 <= side <= 16384 for side in sides):
        raise BadRequest("bad-size", f"“{text}” is not a size.", "Write it as 1024x512.")
    return sides


def _in_steps(share: float) -> float:
    """Return a share of the source that a tile can have; the rest is resampled."""
    return round(min(4.0, max(0.25, share)) * 20) / 20
