"""A surface as data: maps with recipes, one immutable document."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Any, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from stonestack.core.blocks.formats import FORMATS, BlockFormat
from stonestack.core.errors import BadRequest
from stonestack.core.frame import Frame
from stonestack.core.image import Space
from stonestack.core.naming import check_code_name
from stonestack.core.normals import Green
from stonestack.core.roles import ROLES, Role
from stonestack.core.sizing import Size
from stonestack.core.steps import STEPS, Step

_MOST_STEPS = 24


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
        """What its numbers mean; only a file of its own can hold colours against its role."""
        own = self.colours and isinstance(self.origin, SourceOrigin)
        return Space.LINEAR if own else ROLES[self.role].space

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


def follows(surface: Surface, m: Map) -> Map | None:
    """Return the map whose cut another follows: the colour, where both have files of their own."""
    if m.role is Role.COLOUR or not m.follows or not isinstance(m.origin, SourceOrigin):
        return None
    led = next((other for other in surface.maps if other.role is Role.COLOUR), None)
    return led if led is not None and isinstance(led.origin, SourceOrigin) else None
