"""Edits of a surface's masks."""

from __future__ import annotations

from typing import Literal

from stonestack.core.document import (
    Document,
    Id,
    Map,
    MapOrigin,
    Mask,
    Step,
    Surface,
    new_map,
    rebuilt,
)
from stonestack.core.kinds.references import MaskRef
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tables.roles import ROLES, Role


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


class AddLimited(Document):
    """Add a step that works in one part alone, with the mask of that part."""

    kind: Literal["add_limited"] = "add_limited"
    map: Id
    step: Step
    mask: Mask

    def apply(self, surface: Surface) -> Surface:
        """Add the mask, and the step at the end, limited by it."""
        added = rebuilt(surface, masks=(*surface.masks, self.mask))
        m = added.map(self.map)
        step = rebuilt(self.step, mask=self.mask.id)
        return added.with_map(rebuilt(m, steps=(*m.steps, step)))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        title = before.map(self.map).title
        return f"{title}: {self.step.kind.title} added in {self.mask.title}"


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
                if gone.id in step.masks:
                    raise BadRequest(
                        "mask-in-use",
                        f"{m.title} is made of {gone.title}.",
                        f"Give {m.title.lower()} another origin first, or remove it.",
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


class MapOfMask(Document):
    """Make a map of a mask: an alpha, a blend, or other plain numbers.

    It lies as the colour does, follows the mask, and leaves as every map does.
    """

    kind: Literal["map_of_mask"] = "map_of_mask"
    mask: Id
    role: Role

    def apply(self, surface: Surface) -> Surface:
        """Add the map, or give the one that is there this beginning; its own steps stay."""
        mask = surface.mask(self.mask)
        step = Step.model_validate(
            {"params": {"kind": "values_of_mask", "mask": MaskRef(mask=mask.id)}}
        )
        own = surface.of_role(self.role) or new_map(surface, self.role)
        if not step.kind.suits(self.role):
            raise BadRequest(
                "not-of-a-mask",
                f"{own.title} does not hold plain numbers, so no mask can be it.",
                "Choose alpha, blend or another map of greys.",
            )
        below = _lies_on(surface, own)
        kept = tuple(s for s in own.steps if s.kind.mixes)
        begun = own.begun_anew(MapOrigin(map=below.id), (step, *kept))
        made = rebuilt(begun, moves_with=None)
        order = list(Role)
        maps = [*(m for m in surface.maps if m.id != own.id), made]
        return rebuilt(surface, maps=tuple(sorted(maps, key=lambda m: order.index(m.role))))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        return f"{ROLES[self.role].title} made of the mask {before.mask(self.mask).title}"


def _lies_on(surface: Surface, own: Map) -> Map:
    """Return the map that one made of a mask lies on: the first that has a beginning."""
    for m in surface.maps:
        if m.id != own.id and m.origin is not None and own.id not in surface.reads(m):
            return m
    raise BadRequest(
        "nothing-below",
        f"{surface.title} has no other picture yet that a mask could lie on.",
        "Bring in a colour first.",
    )
