"""Edits of what is done to a map."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from stonestack.core.errors import BadRequest
from stonestack.core.roles import ROLES, Role
from stonestack.core.steps import STEPS, Step
from stonestack.core.surface import (
    Document,
    Map,
    Surface,
    rebuilt,
)
from stonestack.core.tile.patches import PatchSpots, Spot


class AddStep(Document):
    """Put a step at the end, or at a place."""

    kind: Literal["add_step"] = "add_step"
    role: Role
    step: Step
    place: int | None = None

    def apply(self, surface: Surface) -> Surface:
        """Insert the step."""
        m = surface.map(self.role)
        place = len(m.steps) if self.place is None else max(0, min(self.place, len(m.steps)))
        steps = (*m.steps[:place], self.step, *m.steps[place:])
        return surface.with_map(rebuilt(m, steps=steps))

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        return f"{ROLES[self.role].title}: {STEPS[self.step.kind].title} added"


class SetStep(Document):
    """Change a step's parameters, or switch it off and on."""

    kind: Literal["set_step"] = "set_step"
    role: Role
    place: int = Field(ge=0)
    step: Step

    def apply(self, surface: Surface) -> Surface:
        """Replace the step at a place by one of its kind, or another way to the same end."""
        m = surface.map(self.role)
        before = _step_at(m, self.place)
        if before.kind != self.step.kind and not _same_end(before, self.step):
            raise BadRequest(
                "other-step",
                "Another step stands at this place.",
                "Reload the surface and change it again.",
            )
        steps = (*m.steps[: self.place], self.step, *m.steps[self.place + 1 :])
        return surface.with_map(rebuilt(m, steps=steps))

    def words(self, before: Surface) -> str:
        """Say which parameter changed, and to what."""
        old = _step_at(before.map(self.role), self.place)
        head = f"{ROLES[self.role].title}: {STEPS[self.step.kind].title}"
        if old.kind != self.step.kind:
            return f"{head} instead of {STEPS[old.kind].title}"
        for name, field in type(self.step).model_fields.items():
            value = getattr(self.step, name)
            if getattr(old, name) != value:
                if name == "enabled":
                    return f"{head} {'on' if value else 'off'}"
                return f"{head}, {field.title or name} {value}"
        return head


class RemoveStep(Document):
    """Take a step out."""

    kind: Literal["remove_step"] = "remove_step"
    role: Role
    place: int = Field(ge=0)

    def apply(self, surface: Surface) -> Surface:
        """Drop the step at a place."""
        m = surface.map(self.role)
        _step_at(m, self.place)
        return surface.with_map(
            rebuilt(m, steps=(*m.steps[: self.place], *m.steps[self.place + 1 :]))
        )

    def words(self, before: Surface) -> str:
        """Say what changed."""
        step = _step_at(before.map(self.role), self.place)
        return f"{ROLES[self.role].title}: {STEPS[step.kind].title} removed"


class MoveStep(Document):
    """Change the order of steps."""

    kind: Literal["move_step"] = "move_step"
    role: Role
    place: int = Field(ge=0)
    to: int = Field(ge=0)

    def apply(self, surface: Surface) -> Surface:
        """Take the step out at ``place`` and put it in again at ``to``."""
        m = surface.map(self.role)
        step = _step_at(m, self.place)
        rest = [*m.steps[: self.place], *m.steps[self.place + 1 :]]
        rest.insert(min(self.to, len(rest)), step)
        return surface.with_map(rebuilt(m, steps=tuple(rest)))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        step = _step_at(before.map(self.role), self.place)
        way = "earlier" if self.to < self.place else "later"
        return f"{ROLES[self.role].title}: {STEPS[step.kind].title} {way}"


class RepairSpots(Document):
    """Cover spots that stand out, by a step at the end."""

    kind: Literal["repair_spots"] = "repair_spots"
    role: Role
    spots: tuple[Spot, ...] = Field(min_length=1, max_length=32)

    def apply(self, surface: Surface) -> Surface:
        """Add a step at the end; spots that were found after other repairs get one of their own."""
        m = surface.map(self.role)
        return surface.with_map(rebuilt(m, steps=(*m.steps, PatchSpots(spots=self.spots))))

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        count = len(self.spots)
        return f"{ROLES[self.role].title}: {count} spot{'' if count == 1 else 's'} repaired"


def _same_end(one: Step, other: Step) -> bool:
    """Tell whether two steps are different ways to the same end."""
    family = STEPS[one.kind].family
    return bool(family) and family == STEPS[other.kind].family


def _step_at(m: Map, place: int) -> Step:
    if not 0 <= place < len(m.steps):
        raise BadRequest(
            "no-such-step",
            f"{ROLES[m.role].title} has no step at place {place + 1}.",
            "Reload the surface and try again.",
        )
    return m.steps[place]
