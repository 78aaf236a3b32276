"""Make one map of another as the command line does it: the same graph as on the bench."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping

from annotated_types import MultipleOf
from pydantic import ValidationError

from stonestack.core.catalogue.sources import edges_meet
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.graph import ops
from stonestack.core.graph.ops.evaluating import Evaluator
from stonestack.core.graph.ops.files import Written
from stonestack.core.graph.ops.pictures import Reading
from stonestack.core.kinds.node import Graph, Key
from stonestack.core.kinds.references import MapRef, MaskRef, SourceRef, StrokesRef, fields_read
from stonestack.core.kinds.step import StepKind, StepParams
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.normals import Green
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.steps import STEPS
from stonestack.core.steps.directions import Steeper
from stonestack.core.tables.roles import ROLES
from stonestack.core.tools.converting import PICTURES, check_output

_CHANNELS = frozenset({Space.LINEAR, Space.DATA})
_DEEP = (FileKind.PNG, FileKind.TIFF)
_STORED = ("one_channel", "swizzle", "pack", "invert_values")
_ALSO = (
    *("steeper", "detail_normal", "relief_over", "base_colour", "colour_beside_metal"),
    *("spread_beneath", "pack", "swizzle", "invert_values"),
)
"""Conversions of a map that stays of its kind."""


def derivations() -> dict[str, StepKind]:
    """Return the steps that make one map of another, by their names on the command line."""
    found = {
        name.replace("_", "-"): step
        for name, step in STEPS.items()
        if (step.makes or name in _ALSO) and not _reads_masks(step)
    }
    return dict(sorted(found.items()))


def usual() -> dict[str, str]:
    """Return how each kind of map is usually made, as :func:`derivations` names it."""
    return {
        role.value: role.info.derived.step.replace("_", "-")
        for role in ROLES
        if role.info.derived is not None and role.info.derived.step
    }


def derive_file(
    kind: str,
    data: bytes,
    output_name: str,
    values: Mapping[str, object],
    *,
    others: Mapping[str, bytes] | None = None,
    tiles: bool | None = None,
    green: Green = Green.UP,
    green_out: Green = Green.UP,
    bits: int | None = None,
) -> bytes:
    """Return the content of a file that holds a map made of another.

    Parameters
    ----------
    kind : str
        As :func:`derivations` names it, or a kind of map for its usual way.
    data : bytes
        A picture of any kind that can come in.
    output_name : str
        Its extension decides the kind: png, tga or tiff.
    values : mapping of str to object
        The step's parameters, without what it reads besides.
    others : mapping of str to bytes, optional
        Files that it reads besides, by the names of its parameters.
    tiles : bool, optional
        Whether the picture goes on over its edges; if left out, whether its edges meet.
    green, green_out : Green
        Which way green points in normals that come in, and in those that are written.
    bits : {8, 16}, optional
        Depth of the file; the most that it can hold by default, as deep as it came for colour.

    Raises
    ------
    BadFile
        If a picture cannot be read.
    BadRequest
        If the kind, a parameter or a file does not fit.
    """
    step = derivations().get(usual().get(kind, kind).replace("_", "-"))
    if step is None:
        known = ", ".join(derivations())
        raise BadRequest("no-such-kind", f"“{kind}” makes no map.", f"Use one of: {known}.")
    written = check_output(output_name)
    if written not in PICTURES:
        raise BadRequest(
            "output-kind",
            "A derived map is written as a picture.",
            "Write .png, .tga or .tiff; then convert it.",
        )
    given = dict(others or {})
    params = _params(step, values, given)
    blobs = {_hash(content): content for content in (data, *given.values())}
    graph, run = Graph(), Evaluator(blobs.__getitem__)
    own = _read(graph, run, data, _space_of(step), green, tiles)
    read = [_other(graph, step, name, given, green) for name in fields_read(step.params)]
    key = ops.put(graph, step.name, params, (own, *(k for k in read if k is not None)), ())
    picture = run.picture(graph, key)
    if picture.space is Space.VECTOR and green_out is Green.DOWN:
        key = ops.put(graph, "steeper", Steeper(flip_y=True), (key,), ())
    deepest = 16 if written in _DEEP else 8
    depth = bits or (deepest if picture.space is not Space.LINEAR else picture.bits)
    return run.file(
        graph, ops.put(graph, "image", Written(kind=written, bits=min(depth, deepest)), (key,))
    )


def _reads_masks(step: StepKind) -> bool:
    return any(issubclass(kind, MaskRef | StrokesRef) for kind in fields_read(step.params).values())


def _params(
    step: StepKind, values: Mapping[str, object], others: Mapping[str, bytes]
) -> StepParams:
    """Return a step's parameters, with references to the files that it reads besides."""
    refers = fields_read(step.params)
    unknown = [name for name in others if name not in refers]
    if unknown:
        takes = ", ".join(refers) or "no other file"
        raise BadRequest(
            "bad-with", f"{step.title} reads no “{unknown[0]}”.", f"It reads: {takes}."
        )
    named: dict[str, object] = {
        name: MapRef(map=name)
        if kind is MapRef
        else SourceRef(sha256=_hash(others[name]), name=name)
        for name, kind in refers.items()
        if name in others
    }
    missing = [
        name
        for name in refers
        if name not in others and step.params.model_fields[name].is_required()
    ]
    if missing:
        raise BadRequest(
            "bad-with",
            f"{step.title} needs another file: {', '.join(missing)}.",
            f"Add --with {missing[0]}=FILE.",
        )
    try:
        return step.params(**{n: _in_steps(step, n, v) for n, v in values.items()}, **named)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"]).replace("_", "-")
        raise BadRequest(
            "bad-value", f"--{where}: {first['msg']}.", "Give another value."
        ) from error


def _in_steps(step: StepKind, name: str, value: object) -> object:
    """Return a number at the nearest of the steps that its control has."""
    info = step.params.model_fields.get(name)
    if info is None or not isinstance(value, float):
        return value
    steps = [m.multiple_of for m in info.metadata if isinstance(m, MultipleOf)]
    return round(value / float(steps[0])) * float(steps[0]) if steps else value  # type: ignore[arg-type]


def _space_of(step: StepKind) -> Space | None:
    """Return what a step's own picture's numbers mean; None for channels as they are stored."""
    if step.spaces == _CHANNELS or step.name in _STORED:
        return None
    return next(iter(step.spaces))


def _read(
    graph: Graph,
    run: Evaluator,
    data: bytes,
    space: Space | None,
    green: Green,
    tiles: bool | None,
) -> Key:
    if space is None:
        return ops.put(graph, "channels", None, (), (_hash(data),))
    plain = ops.put(graph, "decode", Reading(space=space, green=green), (), (_hash(data),))
    wraps = edges_meet(run.picture(graph, plain)) if tiles is None else tiles
    if not wraps:
        return plain
    reading = Reading(space=space, green=green, wraps=True)
    return ops.put(graph, "decode", reading, (), (_hash(data),))


def _other(
    graph: Graph, step: StepKind, name: str, others: Mapping[str, bytes], green: Green
) -> Key | None:
    """Return a file that is read besides: pictures as colour, maps as what they are."""
    if name not in others:
        return None
    kind = fields_read(step.params)[name]
    space = Space.LINEAR
    if kind is MapRef:
        named = [role.info.space for role in ROLES if role.value == name]
        space = named[0] if named else Space.DATA
    return ops.put(graph, "decode", Reading(space=space, green=green), (), (_hash(others[name]),))


def _hash(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def sides_of(data: bytes) -> tuple[int, int]:
    """Return the width and height of a picture file."""
    from stonestack.core.files import codecs

    picture: Picture = codecs.read_picture(data, Space.DATA)
    return picture.width, picture.height
