"""What leaves: the files of a delivery, put into the graph that makes them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

from stonestack.core.document import Stage, materials
from stonestack.core.document.leaving import leaving
from stonestack.core.document.materials import Material
from stonestack.core.graph import ops
from stonestack.core.graph.ops.files import DdsForm, Heading, Listing, Text
from stonestack.core.graph.wiring import Wiring
from stonestack.core.kinds.node import Graph, Key


@dataclass(frozen=True)
class Part:
    """One file of a delivery: where it lies, and the node that makes it.

    Parameters
    ----------
    surface_id : str
        The surface that it belongs to.
    map : str or None
        Id of the map that it holds; None for a definition.
    path : str
        Below the delivery, with forward slashes.
    key : Key
    """

    surface_id: str
    map: str | None
    path: str
    key: Key


def parts_of(wiring: Wiring, surface_id: str, shown: Sequence[Material]) -> list[Part]:
    """Put the files that a surface delivers into its graph: textures, and definitions.

    Parameters
    ----------
    shown : sequence of Material
        The materials that show the surface.
    """
    surface, target, parts = wiring.surface, wiring.target, []
    for m in surface.maps:
        leaves = leaving(surface, m, target)
        key = wiring.at(m.id, Stage.COMPRESS) if leaves.delivered else None
        if key is not None:
            dds = ops.put(wiring.graph, "dds", DdsForm(header=target.header), (key,))
            parts.append(Part(surface_id, m.id, leaves.path, dds))
    if not parts or not target.materials:
        return parts
    for material in shown:
        text = materials.definition(material, surface, target).decode()
        key = ops.put(wiring.graph, "text", Text(text=text))
        parts.append(Part(surface_id, None, target.material_path(material.name), key))
    return parts


class HasPath(Protocol):
    """Something that wants a place in a delivery."""

    @property
    def path(self) -> str:
        """Below the delivery, with forward slashes."""


def clash(parts: Iterable[HasPath]) -> str:
    """Say of files which two want one path, or differ in capitals only; empty where none do.

    Many systems take no notice of capitals.
    """
    seen: dict[str, str] = {}
    for path in (part.path for part in parts):
        other = seen.get(path.lower())
        if other == path:
            return f"Two maps or materials want to be {path}."
        if other is not None:
            return f"{other} and {path} differ in capitals only: they would be one file."
        seen[path.lower()] = path
    return ""


def contents_of(graph: Graph, parts: Sequence[Part]) -> Key:
    """Return the node that lists files; its key says all that they hold, and where they lie."""
    ordered_parts = sorted(parts, key=lambda part: (part.path, part.key))
    paths = tuple(part.path for part in ordered_parts)
    inputs = tuple(part.key for part in ordered_parts)
    return ops.put(graph, "contents", Listing(paths=paths), inputs)


def archive_of(graph: Graph, files: Mapping[str, Key]) -> Key:
    """Return the node that puts files into one archive, by their paths."""
    paths = tuple(sorted(files))
    return ops.put(graph, "archive", Listing(paths=paths), [files[path] for path in paths])


def manifest_of(graph: Graph, contents: Key, heading: Heading) -> Key:
    """Return the node that writes the manifest of a delivery."""
    return ops.put(graph, "manifest", heading, (contents,))
