"""Take a recipe from a map, put it on another, and read and write it as a file."""

from __future__ import annotations

import base64
import binascii
import hashlib
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import TypeVar

from pydantic import BaseModel, ValidationError

from stonestack.core.document import Map, MapOrigin, Mask, Step, Surface, new_id, rebuilt
from stonestack.core.document.recipe import Recipe
from stonestack.core.kinds.references import MapRef, MaskRef, SourceRef, StrokesRef, references
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.runtime.readers import reader
from stonestack.core.tables.roles import Role

MOST_BYTES = 256 << 20

M = TypeVar("M", bound=BaseModel)


def taken(surface: Surface, map_id: str, title: str) -> Recipe:
    """Return what is done to a map's look as a recipe.

    How it is made to tile, and what it is derived by, stay with the map: those are not of its
    look, and another picture has its own.

    Raises
    ------
    BadRequest
        If nothing is done to its look.
    """
    m = surface.map(map_id)
    roles = {other.id: other.role.value for other in surface.maps}
    steps = [step for step in m.steps if step.kind.mixes]
    if not steps:
        raise BadRequest(
            "empty-recipe",
            f"Nothing is done to the look of {m.title.lower()} yet.",
            "Add a step first; tiling and derivations stay with their map.",
        )
    behind: set[str] = set()
    for step in steps:
        for mask in step.masks:
            behind |= surface.masks_behind(mask)
    return Recipe(
        title=title,
        role=m.role,
        places=tuple(_laid_before(m.steps, m.steps.index(step)) for step in steps),
        derived=isinstance(m.origin, MapOrigin),
        steps=tuple(rebuilt(s, params=renamed(s.params, roles, {}), proposed=False) for s in steps),
        masks=tuple(_mask_renamed(k, roles, {}) for k in surface.masks if k.id in behind),
    )


def put_on(surface: Surface, map_id: str, recipe: Recipe, instead: bool = False) -> Surface:
    """Return a surface with a recipe's steps among a map's, each where it was on its own.

    Those that came before their map was tiled come before this one is; else they come last.

    Parameters
    ----------
    instead : bool
        Whether steps of the same sort that are there go.

    Raises
    ------
    BadRequest
        If it reads a map that the surface has not, or a step does not suit the map.
    """
    m = surface.map(map_id)
    maps = {other.role.value: other.id for other in surface.maps}
    for name in _maps_read(recipe):
        if name not in maps:
            title = Role(name).info.title.lower() if name in set(Role) else name
            raise BadRequest(
                "recipe-needs-map",
                f"The recipe {recipe.title} reads {title}, which {surface.title} has not.",
                f"Add {title} to {surface.title} first.",
            )
    for step in recipe.steps:
        if not step.kind.suits(m.role):
            raise BadRequest(
                "recipe-does-not-suit",
                f"{step.kind.title} of the recipe {recipe.title} is not for {m.title.lower()}.",
                "Choose a map of the kind that the recipe was made for.",
            )
    masks, named = _masks_put(surface, recipe, maps)
    steps = tuple(
        rebuilt(
            step,
            id=new_id(),
            mask=None if step.mask is None else named[step.mask],
            params=renamed(step.params, maps, named),
        )
        for step in recipe.steps
    )
    kept = tuple(s for s in m.steps if not (instead and s.kind.mixes))
    surface = rebuilt(surface, masks=masks)
    return surface.with_map(rebuilt(m, steps=_among(kept, steps, recipe, m)))


def _laid_before(steps: Sequence[Step], place: int) -> int:
    """Return how many steps before a place lay a map out."""
    return sum(not step.kind.mixes for step in steps[:place])


def _among(kept: Sequence[Step], steps: Sequence[Step], recipe: Recipe, m: Map) -> tuple[Step, ...]:
    """Put a recipe's steps among those of a map."""
    out = list(kept)
    derived = isinstance(m.origin, MapOrigin)
    # What was done to a file of its own is done to a derived map once it is derived.
    least = 1 if derived and not recipe.derived else 0
    for n, step in enumerate(steps):
        wanted = max(least, recipe.places[n]) if n < len(recipe.places) else len(out)
        laying = [at for at, each in enumerate(out) if not each.kind.mixes]
        at = laying[wanted] if wanted < len(laying) else len(out)
        out.insert(at, step)
    return tuple(out)


def _masks_put(
    surface: Surface, recipe: Recipe, maps: Mapping[str, str]
) -> tuple[tuple[Mask, ...], dict[str, str]]:
    """Return a surface's masks with a recipe's added, and under which ids those are there.

    One that is there already, alike in all, is used.
    """
    masks = list(surface.masks)
    named: dict[str, str] = {}
    waiting = list(recipe.masks)
    while waiting:
        ready = [k for k in waiting if all(r in named for r in k.reads_masks)]
        if not ready:
            raise BadRequest(
                "recipe-masks",
                f"A mask of the recipe {recipe.title} is made of one that is not in it.",
                "Put the recipe out anew from where it was made.",
            )
        for mask in ready:
            waiting.remove(mask)
            new = _mask_renamed(mask, maps, named)
            alike = next((k for k in masks if rebuilt(k, id=mask.id) == new), None)
            if alike is None:
                taken_ids = {k.id for k in masks}
                alike = rebuilt(new, id=new_id() if mask.id in taken_ids else mask.id)
                masks.append(alike)
            named[mask.id] = alike.id
    return tuple(masks), named


def renamed(params: M, maps: Mapping[str, str], masks: Mapping[str, str]) -> M:
    """Return parameters whose references to maps and masks go by other names."""
    changes: dict[str, BaseModel] = {}
    for name, reference in references(params):
        if isinstance(reference, MapRef):
            changes[name] = MapRef(map=maps.get(reference.map, reference.map))
        elif isinstance(reference, MaskRef):
            changes[name] = MaskRef(mask=masks.get(reference.mask, reference.mask))
    return type(params).model_validate({**dict(params), **changes}) if changes else params


def _mask_renamed(mask: Mask, maps: Mapping[str, str], masks: Mapping[str, str]) -> Mask:
    parts = tuple(rebuilt(p, shape=renamed(p.shape, maps, masks)) for p in mask.parts)
    return rebuilt(mask, shape=renamed(mask.shape, maps, masks), parts=parts)


def _maps_read(recipe: Recipe) -> set[str]:
    return {r.map for one in _models(recipe) for _, r in references(one) if isinstance(r, MapRef)}


def _models(recipe: Recipe) -> list[BaseModel]:
    """Return all parameters of steps and masks, which may refer to something."""
    shapes = [shape for mask in recipe.masks for shape in mask.shapes]
    return [*(step.params for step in recipe.steps), *shapes]


# ---- As a file ---------------------------------------------------------------------------


def hashes(recipe: Recipe) -> Iterator[str]:
    """Yield the content hashes of all files that a recipe needs."""
    seen: set[str] = set()
    for model in _models(recipe):
        for _, reference in references(model):
            if isinstance(reference, SourceRef | StrokesRef) and reference.sha256 not in seen:
                seen.add(reference.sha256)
                yield reference.sha256


def written(recipe: Recipe, read: Callable[[str], bytes]) -> bytes:
    """Return a recipe as a file, with all that it needs inside."""
    files = {sha: base64.b64encode(read(sha)).decode() for sha in hashes(recipe)}
    return rebuilt(recipe, files=files).model_dump_json(indent=2).encode()


@reader("recipe")
def read_recipe(data: bytes) -> tuple[Recipe, dict[str, bytes]]:
    """Read a recipe's file.

    Returns
    -------
    recipe : Recipe
        Without the files.
    files : dict of str to bytes
        By their content hashes, which are checked.

    Raises
    ------
    BadRequest
        If it is none, of another version, or spoilt.
    """
    if len(data) > MOST_BYTES:
        raise BadRequest("recipe-too-large", "This file is too large for a recipe.", "Choose one.")
    try:
        recipe = Recipe.model_validate_json(data)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(part) for part in first["loc"]) or "the file"
        raise BadRequest(
            "not-a-recipe",
            f"This is no recipe that can be read: {place}: {first['msg']}.",
            "Choose a file that Stone Stack has put out, or mend it by its description.",
        ) from error
    files = {}
    for sha, text in recipe.files.items():
        try:
            content = base64.b64decode(text, validate=True)
        except (binascii.Error, ValueError) as error:
            raise _spoilt(sha) from error
        if hashlib.sha256(content).hexdigest() != sha:
            raise _spoilt(sha)
        files[sha] = content
    return rebuilt(recipe, files={}), files


def check_whole(recipe: Recipe, there: Iterable[str]) -> None:
    """Refuse a recipe that needs a file that is nowhere.

    Raises
    ------
    BadRequest
        If one is missing.
    """
    known = set(there)
    for sha in hashes(recipe):
        if sha not in known:
            raise _spoilt(sha)


def _spoilt(sha: str) -> BadRequest:
    return BadRequest(
        "recipe-file",
        f"A picture or drawing of this recipe ({sha[:8]}) is missing or spoilt.",
        "Put the recipe out anew from where it was made.",
    )
