"""A surface as data: maps with recipes, and what depends on what.

A :class:`Surface` is one immutable document. :func:`plan` turns a map of it, at a stage,
into a tree of :class:`Node`; the key of a node is a hash of all that its result depends
on, so equal keys mean equal results and nothing is computed twice.
"""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property
from typing import Annotated, Any, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from stonestack.core.blocks.formats import FORMATS, BlockFormat
from stonestack.core.errors import BadRequest
from stonestack.core.frame import VERSION as FRAME_VERSION
from stonestack.core.frame import Frame
from stonestack.core.image import Space
from stonestack.core.naming import check_code_name
from stonestack.core.roles import ROLES, Role
from stonestack.core.sizing import Size
from stonestack.core.stepkind import SOLVED_AT
from stonestack.core.steps import STEPS, Step

_MOST_STEPS = 24


class Green(StrEnum):
    """Which way the green channel of a stored normal map points."""

    UP = "up"
    DOWN = "down"


class Stage(StrEnum):
    """Where on its way a map is looked at, in the order of the work."""

    RAW = "raw"
    SOURCE = "source"
    STEPS = "steps"
    SIZE = "size"
    COMPRESS = "compress"


class Document(BaseModel):
    """Base of all parts of a surface: immutable, and nothing unknown in it."""

    model_config = ConfigDict(frozen=True, extra="forbid")


class SourceOrigin(Document):
    """A map that starts from an imported file, straightened and cropped by its frame."""

    kind: Literal["source"] = "source"
    sha256: str = Field(pattern="^[0-9a-f]{64}$")
    name: str = Field(max_length=255)
    width: int = 0
    height: int = 0
    alpha: bool = False
    green: Green = Field(
        Green.UP, title="Green points", description="How the file stores normals; else unused"
    )
    frame: Frame = Frame()


class MapOrigin(Document):
    """A map that starts from another map of the same surface, after that map's steps."""

    kind: Literal["map"] = "map"
    role: Role


Origin = Annotated[SourceOrigin | MapOrigin, Field(discriminator="kind")]


class GamePlace(Document):
    """Where in a registered game folder a map came from, and must go back to.

    Its exact form (levels, header, row order, palette) is the original itself, kept under
    ``sha256``; ``line`` says it in words.
    """

    game: str
    path: str
    file: str
    chain: str = ""
    sha256: str
    width: int
    height: int
    line: str = ""


class Returned(Document):
    """A working file that came back from an outside editor.

    Only what differs from ``sent``, as it was put out, replaces the picture: so changes made
    earlier on the map's way still come through everywhere else.
    """

    stage: Stage
    sha256: str = Field(pattern="^[0-9a-f]{64}$")
    sent: str = Field(pattern="^[0-9a-f]{64}$")
    name: str = Field(max_length=255)


class Map(Document):
    """One map: where it comes from, what is done to it, and how it leaves."""

    role: Role
    origin: Origin | None = None
    steps: tuple[Step, ...] = Field((), max_length=_MOST_STEPS)
    size: Size = Size()
    format: BlockFormat
    green: Green = Field(Green.UP, title="Green points", description="As the game reads normals")
    file_name: str
    delivered: bool = True
    place: GamePlace | None = None
    returned: tuple[Returned, ...] = ()
    follows: bool = Field(
        True,
        title="Follows the colour's cut",
        description="A map with a file of its own is cut and tiled as the colour is",
    )
    colours: bool = Field(
        False,
        title="Holds colours",
        description="A file of its own is read as colour, by its profile; else as plain numbers",
    )

    @property
    def space(self) -> Space:
        """What the numbers of a file of its own mean."""
        return Space.LINEAR if self.colours else ROLES[self.role].space

    @field_validator("file_name")
    @classmethod
    def _plain_name(cls, name: str) -> str:
        return checked_name(name)

    @model_validator(mode="after")
    def _fits_role(self) -> Map:
        info = ROLES[self.role]
        if self.format not in info.formats:
            fitting = ", ".join(f.upper() for f in info.formats)
            raise ValueError(f"{info.title} can be stored as {fitting}.")
        if self.colours and info.space is Space.VECTOR:
            raise ValueError(f"{info.title} holds directions, not colours.")
        for step in self.steps:
            if self.role not in STEPS[step.kind].roles:
                raise ValueError(f"{STEPS[step.kind].title} is not for {info.title.lower()}.")
        return self


class Surface(Document):
    """A set of maps that belong together."""

    title: str = Field(min_length=1, max_length=80)
    name: str
    maps: tuple[Map, ...] = ()

    @field_validator("name")
    @classmethod
    def _plain_name(cls, name: str) -> str:
        return checked_name(name)

    @model_validator(mode="after")
    def _consistent(self) -> Surface:
        roles = [m.role for m in self.maps]
        if len(set(roles)) != len(roles):
            raise ValueError("A surface has one map of each role.")
        for m in self.maps:
            _check_origin(self, m)
        return self

    def map(self, role: Role) -> Map:
        """Return the map of a role.

        Raises
        ------
        BadRequest
            If the surface has none.
        """
        for m in self.maps:
            if m.role is role:
                return m
        raise BadRequest(
            "no-such-map",
            f"This surface has no {ROLES[role].title.lower()} map.",
            "Add the map first.",
        )

    def with_map(self, changed: Map) -> Surface:
        """Return the surface with one map replaced."""
        maps = tuple(changed if m.role is changed.role else m for m in self.maps)
        return rebuilt(self, maps=maps)


def checked_name(name: str) -> str:
    """Check a name as :func:`check_code_name` does, in the way that a model's validator must."""
    try:
        return check_code_name(name)
    except BadRequest as error:
        raise ValueError(str(error)) from error


def _check_origin(surface: Surface, start: Map) -> None:
    """Refuse a map that comes from itself, by whatever way, or from one that is not there."""
    by_role = {m.role: m for m in surface.maps}
    seen: set[Role] = set()
    here: Map | None = start
    while here is not None and isinstance(here.origin, MapOrigin):
        if here.role in seen:
            raise ValueError(f"{ROLES[start.role].title} would be derived from itself.")
        seen.add(here.role)
        wanted = here.origin.role
        if wanted not in by_role:
            raise ValueError(
                f"{ROLES[here.role].title} comes from {ROLES[wanted].title}, which is not there."
            )
        here = by_role[wanted]


M = TypeVar("M", bound=Document)


def rebuilt(model: M, **changes: Any) -> M:
    """Return a validated copy with some fields changed."""
    return type(model).model_validate({**dict(model), **changes})


def fitting_format(role: Role, colours: bool) -> BlockFormat:
    """Return the usual format for a role; where its numbers are colours, one that keeps three."""
    formats = ROLES[role].formats
    return next((f for f in formats if not colours or FORMATS[f].channels >= 3), formats[0])


def new_surface(title: str, name: str, colours: frozenset[Role] = frozenset()) -> Surface:
    """Return a surface with the usual maps, each derived from colour, and no source yet.

    Height is an aid for normals and is not delivered.

    Parameters
    ----------
    colours : frozenset of Role
        Further maps that hold colours, as the target wants them.
    """
    from stonestack.core.derive.alpha import AlphaFromPicture
    from stonestack.core.derive.height import HeightFromColour
    from stonestack.core.derive.normal import NormalFromHeight
    from stonestack.core.derive.specular import SpecularFromColour
    from stonestack.core.tile.boundary import MakeTile
    from stonestack.core.tile.light import BalanceLight

    def made(role: Role, origin: MapOrigin | None, *steps: Step, delivered: bool = True) -> Map:
        return Map(
            role=role,
            origin=origin,
            steps=steps,
            format=fitting_format(role, role in colours),
            colours=role in colours,
            file_name=name + ROLES[role].suffix,
            delivered=delivered,
        )

    colour = MapOrigin(role=Role.COLOUR)
    return Surface(
        title=title,
        name=name,
        maps=(
            made(Role.COLOUR, None, BalanceLight(), MakeTile()),
            made(Role.NORMAL, MapOrigin(role=Role.HEIGHT), NormalFromHeight()),
            made(Role.SPECULAR, colour, SpecularFromColour()),
            made(Role.HEIGHT, colour, HeightFromColour(), delivered=False),
            made(Role.ALPHA, colour, AlphaFromPicture()),
        ),
    )


# ---- What depends on what --------------------------------------------------------------

SOLVE = "solve:"
"""Before the name of a step: the operation that finds its geometry."""

_VERSIONS = {
    "decode": 2,
    "frame": FRAME_VERSION,
    "limit": 1,
    "size": 2,
    "compress": 1,
    "returned": 1,
    "light_field": 1,
}
"""Raised with any change of what these operations yield."""


@dataclass(frozen=True)
class Node:
    """One operation with its inputs.

    Parameters
    ----------
    op : str
        ``decode``, ``limit``, ``size``, ``compress``, or the name of a step.
    params : dict
        Plain JSON values.
    inputs : tuple of Node
        None for ``decode``, whose input is the file with the hash in ``params``.
    """

    op: str
    params: dict[str, Any]
    inputs: tuple[Node, ...] = ()

    @cached_property
    def key(self) -> str:
        """Content key: 40 hexadecimal digits."""
        name = self.op.removeprefix(SOLVE)
        version = STEPS[name].version if name in STEPS else _VERSIONS[name]
        whole = [self.op, version, self.params, [node.key for node in self.inputs]]
        text = json.dumps(whole, sort_keys=True, separators=(",", ":"))
        return hashlib.sha256(text.encode()).hexdigest()[:40]

    def to_json(self) -> dict[str, Any]:
        """Return the node as plain values, for keeping."""
        inputs = [node.to_json() for node in self.inputs]
        return {"op": self.op, "params": self.params, "inputs": inputs}

    @staticmethod
    def from_json(data: dict[str, Any]) -> Node:
        """Return the node that :meth:`to_json` has put out."""
        inputs = tuple(Node.from_json(node) for node in data["inputs"])
        return Node(data["op"], data["params"], inputs)


def plan(surface: Surface, role: Role, stage: Stage, longest: int | None = None) -> Node | None:
    """Return what has to be computed to see a map at a stage.

    Parameters
    ----------
    surface : Surface
    role : Role
        Which map.
    stage : Stage
        How far.
    longest : int, optional
        Shrink sources, and finished maps, to this longest side first: a passing preview.

    Returns
    -------
    Node or None
        None where the map has no origin yet.
    """
    m = surface.map(role)
    if stage is Stage.RAW and isinstance(m.origin, SourceOrigin):
        return _decoded(m, longest)
    node = _start(surface, m, longest)
    if node is None or stage in (Stage.RAW, Stage.SOURCE):
        return node
    node = _with_steps(surface, m, node, longest)
    node = _with_returned(m, Stage.STEPS, node)
    if stage is Stage.STEPS:
        return node
    width, height = m.size.width, m.size.height
    if longest is not None:
        shrink = max(1, max(width, height) // longest)
        width, height = max(4, width // shrink), max(4, height // shrink)
    sized = m.size.model_dump(mode="json") | {"width": width, "height": height}
    node = Node("size", sized, (node,))
    node = _with_returned(m, Stage.SIZE, node)
    if stage is Stage.SIZE:
        return node
    params = {"format": str(m.format), "green": str(m.green)}
    return Node("compress", params, (node,))


def follows(surface: Surface, m: Map) -> Map | None:
    """Return the map whose cut another follows: the colour, where both have files of their own."""
    if m.role is Role.COLOUR or not m.follows or not isinstance(m.origin, SourceOrigin):
        return None
    led = next((other for other in surface.maps if other.role is Role.COLOUR), None)
    return led if led is not None and isinstance(led.origin, SourceOrigin) else None


def _with_steps(surface: Surface, m: Map, node: Node, longest: int | None) -> Node:
    """Apply a map's steps; what moves texels in the colour's comes first where it follows."""
    led = follows(surface, m)
    if led is not None:
        guide, small = (_start(surface, led, side) for side in (longest, SOLVED_AT))
        for step in led.steps:
            if not step.enabled or guide is None or small is None:
                continue
            if STEPS[step.kind].geometry is not None:
                node = _moved(step, node, guide, small)
            guide, small = _stepped(step, guide, small), _stepped(step, small, small)
    small = _start(surface, m, SOLVED_AT) if longest != SOLVED_AT else node
    if led is not None or isinstance(m.origin, MapOrigin) or small is None:
        # Its own steps find their geometry on what they are given.
        small = Node("limit", {"longest": SOLVED_AT}, (node,))
    for step in m.steps:
        if step.enabled:
            node, small = _stepped(step, node, small), _stepped(step, small, small)
    return node


def _stepped(step: Step, node: Node, small: Node) -> Node:
    """Apply one step to a map that is its own guide; ``small`` is that guide where it is solved."""
    if STEPS[step.kind].geometry is not None:
        return _moved(step, node, node, small)
    return Node(step.kind, _params(step), (node,))


def _moved(step: Step, node: Node, guide: Node, small: Node) -> Node:
    """Apply a step that moves texels: found on the small guide, laid on the picture."""
    params = _params(step)
    return Node(step.kind, params, (node, guide, Node(f"{SOLVE}{step.kind}", params, (small,))))


def _params(step: Step) -> dict[str, Any]:
    return step.model_dump(mode="json", exclude={"enabled", "kind"})


def _with_returned(m: Map, stage: Stage, node: Node) -> Node:
    """Lay what came back from an outside editor over a stage."""
    space = str(m.space)
    for back in m.returned:
        if back.stage is stage:
            new, old = (
                Node("decode", {"sha256": digest, "space": space, "green": str(Green.UP)})
                for digest in (back.sha256, back.sent)
            )
            node = Node("returned", {}, (node, new, old))
    return node


def _start(surface: Surface, m: Map, longest: int | None) -> Node | None:
    """Return a map as its steps get it; a framed preview is shrunk by as much as is cut away."""
    if isinstance(m.origin, MapOrigin):
        return plan(surface, m.origin.role, Stage.STEPS, longest)
    if m.origin is None:
        return None
    led = follows(surface, m)
    frame = led.origin.frame if led and isinstance(led.origin, SourceOrigin) else m.origin.frame
    if frame.plain:
        return _decoded(m, longest)
    node = _decoded(m, None if longest is None else round(longest / frame.share))
    if node is None:
        return None
    return Node("frame", frame.model_dump(mode="json"), (node,))


def _decoded(m: Map, longest: int | None) -> Node | None:
    """Return a map's own file as a picture, whole."""
    if not isinstance(m.origin, SourceOrigin):
        return None
    space = str(m.space)
    params = {"sha256": m.origin.sha256, "space": space, "green": str(m.origin.green)}
    node = Node("decode", params)
    return node if longest is None else Node("limit", {"longest": longest}, (node,))
