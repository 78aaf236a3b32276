"""A surface as data: maps with recipes, masks, and how each map leaves. One immutable document.

Things have ids, and whatever names a thing names it by its id.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from enum import StrEnum

from pydantic import Field, field_validator, model_validator

from stonestack.core.document.base import (
    IN_SCHEMA,
    Document,
    Id,
    checked_name,
    new_id,
    rebuilt,
)
from stonestack.core.document.mask import Mask
from stonestack.core.document.outward import (
    Frozen,
    GamePlace,
    MapOrigin,
    Origin,
    Output,
    OwnLevel,
    Returned,
    SourceOrigin,
)
from stonestack.core.kinds.references import MapRef, MaskRef, references
from stonestack.core.picture.blending import Blend
from stonestack.core.picture.image import Space
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.steps import STEPS, AnyStep, StepKind
from stonestack.core.tables.matters import Matter
from stonestack.core.tables.roles import ROLES, Role
from stonestack.core.tables.sizing import Size

SCHEMA = 2
"""Version of the form in which surfaces are stored; see :mod:`.upgrades`."""

_MOST_STEPS = 32
_MOST_MASKS = 64


class Extent(StrEnum):
    """How far a map is carried out where something else reads it."""

    WHOLE = "whole"
    LAID = "laid"
    MOVED = "moved"


class Step(Document):
    """One non-destructive operation of a recipe, and how much of it is taken where."""

    id: Id = Field(default_factory=new_id, json_schema_extra=IN_SCHEMA)
    enabled: bool = True
    mask: Id | None = None
    amount: float = Field(
        1.0,
        ge=0,
        le=2,
        multiple_of=0.01,
        title="Amount",
        description="0 is as before; above 1 its effect is carried on",
    )
    blend: Blend = Field(Blend.NORMAL, title="Blend", description="How it comes over what was")
    finish: bool = False
    """Whether it works on the texels of the finished size, after it."""
    proposed: bool = False
    """Whether nobody has chosen it: another may be proposed, once there is a picture to try."""
    params: AnyStep

    @property
    def kind(self) -> StepKind:
        """What kind of step it is."""
        return STEPS[self.params.kind]

    @property
    def masks(self) -> tuple[str, ...]:
        """The ids of the masks that limit it or that it is made of."""
        read = (r.mask for _, r in references(self.params) if isinstance(r, MaskRef))
        return (*([] if self.mask is None else [self.mask]), *read)

    @property
    def whole(self) -> bool:
        """Whether its result stands as it is, with nothing mixed in."""
        plain = self.mask is None and self.amount == 1 and self.blend is Blend.NORMAL
        return plain and not self.kind.over

    @model_validator(mode="after")
    def _mixes(self) -> Step:
        if not self.kind.mixes and not self.whole:
            raise ValueError(
                f"{self.kind.title} moves or remakes the whole map; no part of it can be left out."
            )
        if self.finish and not self.kind.mixes:
            raise ValueError(
                f"{self.kind.title} moves or remakes the whole map, so it comes before its size."
            )
        return self


class Map(Document):
    """One map: where it comes from, what is done to it, its size, and how it leaves."""

    id: Id = Field(default_factory=new_id, json_schema_extra=IN_SCHEMA)
    role: Role
    origin: Origin | None = None
    steps: tuple[Step, ...] = Field((), max_length=_MOST_STEPS)
    frozen: Frozen | None = None
    moves_with: Id | None = Field(
        None,
        title="Moves with",
        description="A map with a file of its own is framed, cut and tiled as that one is",
    )
    colours: bool = Field(
        False,
        title="Holds colours",
        description="A file of its own is read as colour, by its profile; else as plain numbers",
    )
    size: Size = Size()
    place: GamePlace | None = None
    returned: tuple[Returned, ...] = ()
    levels: tuple[OwnLevel, ...] = Field((), json_schema_extra={"default": []})
    outputs: dict[str, Output] = Field(default_factory=dict, json_schema_extra={"default": {}})

    @property
    def title(self) -> str:
        """Its name on screen."""
        return ROLES[self.role].title

    @property
    def space(self) -> Space:
        """What its numbers mean; only a file of its own can hold colours against its role."""
        if self.frozen is not None and self.frozen.space is not None:
            return self.frozen.space
        own = self.colours and isinstance(self.origin, SourceOrigin)
        return Space.LINEAR if own else ROLES[self.role].space

    @property
    def before_size(self) -> tuple[Step, ...]:
        """The steps that work before the map has its size."""
        return tuple(step for step in self.steps if not step.finish)

    @property
    def after_size(self) -> tuple[Step, ...]:
        """The steps that work on the texels of its finished size."""
        return tuple(step for step in self.steps if step.finish)

    def begun_anew(self, origin: Origin | None, steps: tuple[Step, ...]) -> Map:
        """Return the map with another beginning.

        What was kept of the former picture, or painted on it, goes: its frozen result, what came
        back from an editor, and levels of its own.
        """
        kept: dict[str, object] = {"frozen": None, "returned": (), "levels": ()}
        return rebuilt(self, origin=origin, steps=steps, **kept)

    def step(self, step_id: str) -> Step:
        """Return a step.

        Raises
        ------
        BadRequest
            If there is none of this id.
        """
        for step in self.steps:
            if step.id == step_id:
                return step
        raise BadRequest(
            "no-such-step",
            f"{self.title} has no such step any more.",
            "It was taken out meanwhile; go on with those that are shown.",
        )

    @model_validator(mode="after")
    def _consistent(self) -> Map:
        ids = [step.id for step in self.steps]
        if len(set(ids)) != len(ids):
            raise ValueError("Two steps have one id.")
        if len({own.level for own in self.levels}) != len(self.levels):
            raise ValueError("A level has two pictures.")
        if self.colours and ROLES[self.role].space is Space.VECTOR:
            raise ValueError(f"{self.title} holds directions, not colours.")
        for output in self.outputs.values():
            if output.format is not None and output.format not in ROLES[self.role].formats:
                fitting = ", ".join(f.info.title for f in ROLES[self.role].formats)
                raise ValueError(f"{self.title} can be stored as {fitting}.")
        for step in self.steps:
            if not step.kind.suits(self.role):
                raise ValueError(f"{step.kind.title} is not for {self.title.lower()}.")
        return self


class Surface(Document):
    """A set of maps that belong together, and the masks that their steps share."""

    title: str = Field(min_length=1, max_length=80)
    name: str
    maps: tuple[Map, ...] = ()
    masks: tuple[Mask, ...] = Field((), max_length=_MOST_MASKS)
    whole_texels: bool = Field(
        False,
        title="Whole texels",
        description="For art of few texels: none is mixed when it is resized, placed or shown",
    )

    matter: Matter | None = Field(
        None, title="Made of", description="Sets where relief, specular and gloss begin"
    )
    matter_guessed: float | None = Field(None, ge=0, le=1)
    """How sure it is what it is made of, where that was guessed and not said."""
    matter_why: str = Field("", max_length=120)
    """What spoke for it, where it was guessed."""

    @field_validator("name")
    @classmethod
    def _plain_name(cls, name: str) -> str:
        return checked_name(name)

    @model_validator(mode="after")
    def _consistent(self) -> Surface:
        roles = [m.role for m in self.maps]
        if len(set(roles)) != len(roles):
            raise ValueError("A surface has one map of each role.")
        for ids in ([m.id for m in self.maps], [m.id for m in self.masks]):
            if len(set(ids)) != len(ids):
                raise ValueError("Two things have one id.")
        self._check_masks()
        for m in self.maps:
            self._check_references(m)
            self._check_meaning(m)
        self._check_cycles()
        return self

    def map(self, map_id: str) -> Map:
        """Return a map.

        Raises
        ------
        BadRequest
            If the surface has none of this id.
        """
        found = self.find(map_id)
        if found is None:
            raise BadRequest(
                "no-such-map", "This surface has no such map any more.", "Add the map first."
            )
        return found

    def find(self, map_id: str | None) -> Map | None:
        """Return a map, or None where there is none of this id."""
        return next((m for m in self.maps if m.id == map_id), None)

    def of_role(self, role: Role) -> Map | None:
        """Return the map of a role, or None."""
        return next((m for m in self.maps if m.role is role), None)

    def mask(self, mask_id: str) -> Mask:
        """Return a mask.

        Raises
        ------
        BadRequest
            If the surface has none of this id.
        """
        for mask in self.masks:
            if mask.id == mask_id:
                return mask
        raise BadRequest(
            "no-such-mask", "This surface has no such mask any more.", "Draw it again."
        )

    def with_map(self, changed: Map) -> Surface:
        """Return the surface with one map replaced."""
        return rebuilt(self, maps=tuple(changed if m.id == changed.id else m for m in self.maps))

    def reads(self, m: Map) -> Iterator[str]:
        """Yield the ids of other maps that a map comes from, by its origin, steps or cut."""
        if isinstance(m.origin, MapOrigin):
            yield m.origin.map
        if m.moves_with is not None:
            yield m.moves_with
        for step in m.steps:
            for _, reference in references(step.params):
                if isinstance(reference, MapRef):
                    yield reference.map

    def _check_masks(self) -> None:
        """Refuse masks that read what is not there, or themselves by whatever way."""
        found = {mask.id: mask for mask in self.masks}
        for mask in self.masks:
            for map_id in mask.reads_maps:
                if self.find(map_id) is None:
                    raise ValueError(f"{mask.title} is made of a map that is not there.")
            for other in self.masks_behind(mask.id, found):
                if other not in found:
                    raise ValueError(f"{mask.title} is made of a mask that is not there.")
                if mask.id in found[other].reads_masks:
                    raise ValueError(f"{mask.title} would be made from itself.")

    def masks_behind(self, mask_id: str, found: Mapping[str, Mask] | None = None) -> set[str]:
        """Return the ids of a mask and of all that it is made of."""
        known = found if found is not None else {mask.id: mask for mask in self.masks}
        behind: set[str] = set()
        ahead = [mask_id]
        while ahead:
            here = ahead.pop()
            if here not in behind:
                behind.add(here)
                ahead += known[here].reads_masks if here in known else ()
        return behind

    def _check_references(self, m: Map) -> None:
        masks = {mask.id for mask in self.masks}
        for other in self.reads(m):
            if self.find(other) is None:
                raise ValueError(f"{m.title} comes from a map that is not there.")
        for step in m.steps:
            if not masks.issuperset(step.masks):
                raise ValueError(f"{step.kind.title} works with a mask that is not there.")
            for _, reference in references(step.params):
                other_map = self.find(reference.map) if isinstance(reference, MapRef) else None
                if other_map is not None and not step.kind.can_read(other_map.role):
                    raise ValueError(f"{step.kind.title} cannot read {other_map.title.lower()}.")

    def _check_meaning(self, m: Map) -> None:
        """Refuse a derived map without the step that makes it of what it comes from."""
        if not isinstance(m.origin, MapOrigin) or m.frozen is not None:
            return
        source = self.map(m.origin.map)
        space = source.space
        for step in m.steps:
            if step.enabled and space in step.kind.spaces:
                space = step.kind.gives(space)
            elif step.enabled:
                raise ValueError(
                    f"{step.kind.title} cannot be made of {source.title.lower()}, "
                    "as it comes to it."
                )
        if space is not m.space:
            raise ValueError(
                f"{m.title} comes from {source.title.lower()}, so it needs the step that makes "
                "it of that. Give it a file of its own, or another map, instead."
            )

    def _check_cycles(self) -> None:
        """Refuse a map that comes from itself, by whatever way."""
        for start in self.maps:
            for extent in (Extent.WHOLE, Extent.LAID):
                seen: set[tuple[str, Extent]] = set()
                ahead = list(self._needs(start, extent))
                while ahead:
                    here = ahead.pop()
                    if here == (start.id, extent):
                        raise ValueError(f"{start.title} would be made from itself.")
                    if here not in seen:
                        seen.add(here)
                        ahead += self._needs(self.map(here[0]), here[1])

    def _needs(self, m: Map, extent: Extent) -> Iterator[tuple[str, Extent]]:
        """Yield what a map is made from, as far as it goes: other maps, and how far of them."""
        read = Extent.LAID if extent is Extent.LAID else Extent.WHOLE
        if isinstance(m.origin, MapOrigin):
            yield m.origin.map, read
        if extent is not Extent.MOVED and m.moves_with is not None:
            yield m.moves_with, Extent.MOVED
        steps = {
            Extent.WHOLE: m.steps,
            Extent.LAID: laid_steps(m),
            Extent.MOVED: moving_steps(m),
        }[extent]
        for step in steps:
            for _, reference in references(step.params):
                if isinstance(reference, MapRef):
                    yield reference.map, read
            for mask_id in (behind for mask in step.masks for behind in self.masks_behind(mask)):
                for map_id in self.mask(mask_id).reads_maps:
                    yield map_id, Extent.LAID


def moving_steps(m: Map) -> tuple[Step, ...]:
    """Return a map's steps up to the last that moves texels: all that one moving with it needs."""
    moving = [n for n, s in enumerate(m.steps) if s.enabled and s.kind.geometry is not None]
    return m.steps[: moving[-1] + 1] if moving else ()


def laid_steps(m: Map) -> tuple[Step, ...]:
    """Return a map's steps up to the last that moves texels or makes it of another map."""
    last = 0
    for place, step in enumerate(m.steps):
        if step.enabled and not step.kind.mixes:
            last = place + 1
    return m.steps[:last]
