"""Edits of which maps a surface has, and of what is kept of them."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from stonestack.core.document import Document, Frozen, Id, Surface, new_map, rebuilt
from stonestack.core.document.edits.matter import suited
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tables.roles import ROLES, Role


class AddMap(Document):
    """Add a map of a role that the surface has none of."""

    kind: Literal["add_map"] = "add_map"
    role: Role

    def apply(self, surface: Surface) -> Surface:
        """Add it, derived in its usual way where that can be."""
        order = list(Role)
        maps = (*surface.maps, suited(surface, new_map(surface, self.role)))
        return rebuilt(surface, maps=tuple(sorted(maps, key=lambda m: order.index(m.role))))

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        return f"{ROLES[self.role].title} added"


class RemoveMap(Document):
    """Take a map out; what comes from it has to come from elsewhere first."""

    kind: Literal["remove_map"] = "remove_map"
    map: Id

    def apply(self, surface: Surface) -> Surface:
        """Remove it; maps that only moved with it move on their own."""
        gone = surface.map(self.map)
        kept = [
            rebuilt(m, moves_with=None) if m.moves_with == gone.id else m
            for m in surface.maps
            if m.id != gone.id
        ]
        for m in kept:
            if gone.id in surface.reads(m):
                raise BadRequest(
                    "still-needed",
                    f"{m.title} is made from {gone.title.lower()}.",
                    f"Give {m.title.lower()} a file of its own or another map first.",
                )
        for mask in surface.masks:
            if gone.id in mask.reads_maps:
                raise BadRequest(
                    "still-needed",
                    f"The mask {mask.title} is made of {gone.title.lower()}.",
                    "Choose another map for it first, or take it out.",
                )
        return rebuilt(surface, maps=tuple(kept))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        return f"{before.map(self.map).title} removed"


class Freeze(Document):
    """Keep a map's result as it is now, whatever happens to what it comes from."""

    kind: Literal["freeze"] = "freeze"
    map: Id
    frozen: Frozen

    def apply(self, surface: Surface) -> Surface:
        """Keep it."""
        return surface.with_map(rebuilt(surface.map(self.map), frozen=self.frozen))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        again = before.map(self.map).frozen is not None
        return f"{before.map(self.map).title} frozen{' anew' if again else ''}"


class Thaw(Document):
    """Let a frozen map follow its recipe again."""

    kind: Literal["thaw"] = "thaw"
    map: Id

    def apply(self, surface: Surface) -> Surface:
        """Let go of the kept result."""
        return surface.with_map(rebuilt(surface.map(self.map), frozen=None))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        return f"{before.map(self.map).title} follows its recipe again"


class KeepWhole(Document):
    """Keep the texels of all maps whole, or let them be mixed."""

    kind: Literal["keep_whole"] = "keep_whole"
    on: bool

    def apply(self, surface: Surface) -> Surface:
        """Set it."""
        return rebuilt(surface, whole_texels=self.on)

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        return "Texels are kept whole" if self.on else "Texels are mixed where they are resized"


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
