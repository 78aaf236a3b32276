"""Use a recipe on one file, as the command line does it: the same graph as on the bench."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping

from stonestack.core.catalogue.sources import edges_meet
from stonestack.core.document import Map, SourceOrigin, Surface, recipes
from stonestack.core.files import codecs
from stonestack.core.graph.ops.evaluating import Evaluator
from stonestack.core.graph.wiring import Wiring
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tables.roles import ROLES, Role
from stonestack.core.tools.converting import PICTURES, check_output, stored_as


def apply_recipe(
    recipe_file: bytes,
    data: bytes,
    output_name: str,
    *,
    role: Role | None = None,
    others: Mapping[Role, bytes] | None = None,
    tiles: bool | None = None,
) -> bytes:
    """Return the content of a file that holds a picture with a recipe used on it.

    Parameters
    ----------
    recipe_file : bytes
        A recipe as it is put out.
    data : bytes
        A picture of any kind that can come in.
    output_name : str
        Its extension decides the kind: png, tga or tiff.
    role : Role, optional
        What the picture is; what the recipe was made for, if left out.
    others : mapping of Role to bytes, optional
        Files of the other maps that the recipe reads.
    tiles : bool, optional
        Whether the picture goes on over its edges; if left out, whether its edges meet.

    Raises
    ------
    BadFile
        If a picture cannot be read.
    BadRequest
        If the recipe cannot be read, or does not suit the picture.
    """
    kind = check_output(output_name)
    if kind not in PICTURES:
        raise BadRequest(
            "output-kind",
            "A recipe gives a picture.",
            "Write .png, .tga or .tiff; then convert it.",
        )
    recipe, files = recipes.read_recipe(recipe_file)
    recipes.check_whole(recipe, files)
    own = role or recipe.role
    given = {own: data, **{r: other for r, other in (others or {}).items() if r is not own}}
    blobs = {**files, **{_hash(content): content for content in given.values()}}
    surface = Surface(
        title="One picture",
        name="one_picture",
        maps=tuple(map_of_file(r, content, tiles) for r, content in given.items()),
    )
    surface = recipes.put_on(surface, own.value, recipe)
    wiring = Wiring(surface)
    key = wiring.after_steps(own.value)
    assert key is not None
    run = Evaluator(blobs.__getitem__)
    picture = run.picture(wiring.graph, key)
    return run.file(wiring.graph, stored_as(wiring.graph, key, kind, picture))


def map_of_file(role: Role, data: bytes, tiles: bool | None) -> Map:
    """Return a map with a file of its own; its id is its role."""
    picture = codecs.read_picture(data, ROLES[role].space)
    origin = SourceOrigin(
        sha256=_hash(data),
        name=f"{role.value}.picture",
        width=picture.width,
        height=picture.height,
        wraps=edges_meet(picture) if tiles is None else tiles,
    )
    return Map(id=role.value, role=role, origin=origin)


def _hash(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()
