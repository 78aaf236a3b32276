"""Edits of how a map leaves: size, format, names."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from stonestack.core.blocks.formats import FORMATS, BlockFormat
from stonestack.core.naming import check_code_name
from stonestack.core.normals import Green
from stonestack.core.roles import ROLES, Role
from stonestack.core.sizing import Fit, Size
from stonestack.core.surface import (
    Document,
    Surface,
    rebuilt,
)


class SetSize(Document):
    """Change the finished size of a map, or of all maps."""

    kind: Literal["set_size"] = "set_size"
    role: Role
    size: Size
    all_maps: bool = False

    def apply(self, surface: Surface) -> Surface:
        """Set the size."""
        maps = tuple(
            rebuilt(m, size=self.size) if self.all_maps or m.role is self.role else m
            for m in surface.maps
        )
        return rebuilt(surface, maps=maps)

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        who = "All maps" if self.all_maps else ROLES[self.role].title
        ways = {Fit.STRETCH: "", Fit.REPEAT: ", repeated", Fit.PAD: ", on a larger canvas"}
        return f"{who}: {self.size.width} × {self.size.height}{ways[self.size.fit]}"


class SetFormat(Document):
    """Change how a map is stored."""

    kind: Literal["set_format"] = "set_format"
    role: Role
    format: BlockFormat
    green: Green = Green.UP

    def apply(self, surface: Surface) -> Surface:
        """Set the block format, and which way green points."""
        m = surface.map(self.role)
        return surface.with_map(rebuilt(m, format=self.format, green=self.green))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        title = ROLES[self.role].title
        if before.map(self.role).green is not self.green:
            return f"{title}: green {self.green}"
        return f"{title}: {FORMATS[self.format].title}"


class SetOutput(Document):
    """Change a map's file name, or whether it is delivered."""

    kind: Literal["set_output"] = "set_output"
    role: Role
    file_name: str
    delivered: bool = True

    def apply(self, surface: Surface) -> Surface:
        """Set the name and whether the map goes out."""
        m = surface.map(self.role)
        name = check_code_name(self.file_name)
        return surface.with_map(rebuilt(m, file_name=name, delivered=self.delivered))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        title = ROLES[self.role].title
        if before.map(self.role).delivered is not self.delivered:
            return f"{title}: {'delivered' if self.delivered else 'not delivered'}"
        return f"{title}: named {self.file_name}"


class Rename(Document):
    """Change a surface's title; names of files stay."""

    kind: Literal["rename"] = "rename"
    title: str = Field(min_length=1, max_length=80)

    def apply(self, surface: Surface) -> Surface:
        """Set the title."""
        return rebuilt(surface, title=self.title)

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        return f"Renamed to {self.title}"
