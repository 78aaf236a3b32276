"""Edits of a surface's masks."""

from __future__ import annotations

from typing import Literal

from stonestack.core.document import Document, Id, Mask, Surface, rebuilt
from stonestack.core.errors import BadRequest


class AddMask(Document):
    """Add a mask; where a step is named, it is limited by it at once."""

    kind: Literal["add_mask"] = "add_mask"
    mask: Mask
    map: Id | None = None
    step: Id | None = None

    def apply(self, surface: Surface) -> Surface:
        """Add it, and use it."""
        added = rebuilt(surface, masks=(*surface.masks, self.mask))
        if self.map is None or self.step is None:
            return added
        m = added.map(self.map)
        m.step(self.step)
        steps = tuple(
            rebuilt(step, mask=self.mask.id) if step.id == self.step else step for step in m.steps
        )
        return added.with_map(rebuilt(m, steps=steps))

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        return f"Mask {self.mask.title} drawn"


class SetMask(Document):
    """Change a mask; every step that uses it follows."""

    kind: Literal["set_mask"] = "set_mask"
    mask: Mask

    def apply(self, surface: Surface) -> Surface:
        """Put the mask in the place of that with its id."""
        surface.mask(self.mask.id)
        masks = tuple(self.mask if m.id == self.mask.id else m for m in surface.masks)
        return rebuilt(surface, masks=masks)

    def words(self, before: Surface) -> str:
        """Say what changed."""
        old = before.mask(self.mask.id)
        if old.title != self.mask.title:
            return f"Mask {old.title} is called {self.mask.title}"
        return f"Mask {self.mask.title} changed"


class RemoveMask(Document):
    """Take a mask out that no step uses."""

    kind: Literal["remove_mask"] = "remove_mask"
    mask: Id

    def apply(self, surface: Surface) -> Surface:
        """Remove it."""
        gone = surface.mask(self.mask)
        for m in surface.maps:
            for step in m.steps:
                if step.mask == gone.id:
                    raise BadRequest(
                        "mask-in-use",
                        f"{step.kind.title} of {m.title.lower()} is limited by {gone.title}.",
                        "Let the step work on all of the map first.",
                    )
        for mask in surface.masks:
            if gone.id in mask.reads_masks:
                raise BadRequest(
                    "mask-in-use",
                    f"{mask.title} is made of {gone.title}.",
                    f"Take {gone.title} out of {mask.title} first.",
                )
        return rebuilt(surface, masks=tuple(m for m in surface.masks if m.id != gone.id))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        return f"Mask {before.mask(self.mask).title} removed"
