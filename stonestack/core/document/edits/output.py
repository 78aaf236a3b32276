"""Edits of how a map leaves: its size, and what its outputs say."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from stonestack.core.document import Document, Id, Output, OwnLevel, Surface, rebuilt
from stonestack.core.files.blocks.quality import Quality
from stonestack.core.kinds.references import SourceRef
from stonestack.core.picture.mips import level_count
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tables.sizing import Fit, Size


class SetSize(Document):
    """Change the finished size of a map, or of all maps."""

    kind: Literal["set_size"] = "set_size"
    map: Id
    size: Size
    all_maps: bool = False

    def apply(self, surface: Surface) -> Surface:
        """Set the size."""
        surface.map(self.map)
        maps = tuple(
            rebuilt(m, size=self.size) if self.all_maps or m.id == self.map else m
            for m in surface.maps
        )
        return rebuilt(surface, maps=maps)

    def words(self, before: Surface) -> str:
        """Say what changed."""
        who = "All maps" if self.all_maps else before.map(self.map).title
        ways = {Fit.STRETCH: "", Fit.REPEAT: ", repeated", Fit.PAD: ", on a larger canvas"}
        return f"{who}: {self.size.width} × {self.size.height}{ways[self.size.fit]}"


class SetLevel(Document):
    """Exchange one of a map's smaller levels for a picture, or let it be made again."""

    kind: Literal["set_level"] = "set_level"
    map: Id
    level: int = Field(ge=1, le=14)
    picture: SourceRef | None = None

    def apply(self, surface: Surface) -> Surface:
        """Set it.

        Raises
        ------
        BadRequest
            If the map has no such level.
        """
        m = surface.map(self.map)
        last = level_count(m.size.width, m.size.height) - 1
        if self.picture is not None and self.level > last:
            raise BadRequest(
                "no-such-level",
                f"{m.title} has no level {self.level}; its last is {last}.",
                "Choose another level, or a larger size.",
            )
        own = [one for one in m.levels if one.level != self.level]
        if self.picture is not None:
            own.append(OwnLevel(level=self.level, picture=self.picture))
        return surface.with_map(rebuilt(m, levels=tuple(sorted(own, key=lambda o: o.level))))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        title = before.map(self.map).title
        made = self.picture.name if self.picture is not None else "made as usual"
        return f"{title}: level {self.level} {made}"


class SetOutput(Document):
    """Say how a map leaves for a target; what is not said, the target does."""

    kind: Literal["set_output"] = "set_output"
    map: Id
    target: str
    output: Output

    def apply(self, surface: Surface) -> Surface:
        """Set it; one that says nothing is dropped."""
        m = surface.map(self.map)
        outputs = {name: output for name, output in m.outputs.items() if name != self.target}
        if self.output != Output():
            outputs[self.target] = self.output
        return surface.with_map(rebuilt(m, outputs=outputs))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        m = before.map(self.map)
        old, new = m.outputs.get(self.target, Output()), self.output
        if old.green is not new.green:
            return f"{m.title}: green {new.green or 'as the target wants it'}"
        if old.format is not new.format:
            return f"{m.title}: {new.format.info.title if new.format else 'its usual format'}"
        if old.quality is not new.quality:
            return f"{m.title}: quality {new.quality or Quality.STANDARD}"
        if old.filter != new.filter:
            return f"{m.title}: smaller levels by {new.filter or 'kaiser'}"
        if old.name != new.name:
            return f"{m.title}: named {new.name or 'as usual'}"
        if old.delivered is not new.delivered:
            ways = {True: "delivered", False: "not delivered", None: "delivered as usual"}
            return f"{m.title}: {ways[new.delivered]}"
        return f"{m.title}: as it was"
