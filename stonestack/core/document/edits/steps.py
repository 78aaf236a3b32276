"""Edits of what is done to a map; steps are named by their ids."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from stonestack.core.document import (
    DERIVATIONS,
    Document,
    Id,
    Map,
    MapOrigin,
    SourceOrigin,
    Step,
    Surface,
    rebuilt,
)
from stonestack.core.document.differences import changed_values
from stonestack.core.document.edits.origins import usual_size
from stonestack.core.kinds.step import StepParams
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tile.patches import PatchSpots, Spot


class AddStep(Document):
    """Put a step at the end, or before another."""

    kind: Literal["add_step"] = "add_step"
    map: Id
    step: Step
    before: Id | None = None

    def apply(self, surface: Surface) -> Surface:
        """Insert the step."""
        m = surface.map(self.map)
        return surface.with_map(rebuilt(m, steps=_inserted(m, m.steps, self.step, self.before)))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        return f"{before.map(self.map).title}: {self.step.kind.title} added"


class SetStep(Document):
    """Change a step: its parameters, where and how much it works, or whether it is on."""

    kind: Literal["set_step"] = "set_step"
    map: Id
    step: Step

    def apply(self, surface: Surface) -> Surface:
        """Put the step in the place of that with its id; its kind stays, or its end."""
        m = surface.map(self.map)
        before = m.step(self.step.id)
        if before.kind is not self.step.kind and not _same_end(before, self.step):
            raise BadRequest(
                "other-step",
                "This step is of another kind.",
                "Add the other step, and take this one out.",
            )
        # Whoever changes what was proposed has chosen.
        old: StepParams = before.params
        proposed = self.step.proposed and old == self.step.params
        chosen = rebuilt(self.step, proposed=proposed)
        steps = tuple(chosen if step.id == chosen.id else step for step in m.steps)
        return surface.with_map(rebuilt(m, steps=steps))

    def words(self, before: Surface) -> str:
        """Say which parameter changed, and to what."""
        m = before.map(self.map)
        old = m.step(self.step.id)
        head = f"{m.title}: {self.step.kind.title}"
        if old.kind is not self.step.kind:
            return f"{head} instead of {old.kind.title}"
        if old.enabled is not self.step.enabled:
            return f"{head} {'on' if self.step.enabled else 'off'}"
        if old.mask != self.step.mask:
            where = before.mask(self.step.mask).title if self.step.mask else "all of the map"
            return f"{head} on {where}"
        if old.amount != self.step.amount:
            return f"{head}, amount {self.step.amount}"
        if old.blend is not self.step.blend:
            return f"{head}, {self.step.blend}"
        return ", ".join([head, *changed_values(old.params, self.step.params, before)])


class TakeWay(Document):
    """Take the way of tiling that was proposed, and the size that suits it where none was set."""

    kind: Literal["take_way"] = "take_way"
    map: Id
    step: Step

    def apply(self, surface: Surface) -> Surface:
        """Put the step in the place of that with its id; sizes that were settled follow.

        Where somebody has chosen meanwhile, that stays.
        """
        before = surface.map(self.map)
        if not before.step(self.step.id).proposed:
            return surface
        surface = SetStep(map=self.map, step=self.step).apply(surface)
        after = surface.map(self.map)
        if not isinstance(before.origin, SourceOrigin):
            return surface
        was, now = usual_size(before, before.origin), usual_size(after, before.origin)
        if any(m.size != was for m in surface.maps):
            return surface
        return rebuilt(surface, maps=tuple(rebuilt(m, size=now) for m in surface.maps))

    def words(self, before: Surface) -> str:
        """Say what was taken."""
        return f"{before.map(self.map).title}: {self.step.kind.title}, as it suits best"


class RemoveStep(Document):
    """Take a step out."""

    kind: Literal["remove_step"] = "remove_step"
    map: Id
    step: Id

    def apply(self, surface: Surface) -> Surface:
        """Drop the step.

        Raises
        ------
        BadRequest
            If it is what makes the map of the one that it comes from.
        """
        m = surface.map(self.map)
        gone = m.step(self.step)
        if isinstance(m.origin, MapOrigin) and gone.params.kind in DERIVATIONS:
            source = surface.map(m.origin.map).title.lower()
            raise BadRequest(
                "needs-its-derivation",
                f"{gone.kind.title} is what makes {m.title.lower()} of {source}.",
                f"At Source, give {m.title.lower()} a file of its own; the step goes then.",
            )
        return surface.with_map(rebuilt(m, steps=tuple(s for s in m.steps if s.id != gone.id)))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        m = before.map(self.map)
        return f"{m.title}: {m.step(self.step).kind.title} removed"


class MoveStep(Document):
    """Change the order of steps."""

    kind: Literal["move_step"] = "move_step"
    map: Id
    step: Id
    before: Id | None = None

    def apply(self, surface: Surface) -> Surface:
        """Take the step out and put it in again before another, or at the end."""
        m = surface.map(self.map)
        step = m.step(self.step)
        rest = tuple(s for s in m.steps if s.id != step.id)
        return surface.with_map(rebuilt(m, steps=_inserted(m, rest, step, self.before)))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        m = before.map(self.map)
        step = m.step(self.step)
        ids = [s.id for s in m.steps]
        later = self.before is None or ids.index(self.before) > ids.index(step.id)
        return f"{m.title}: {step.kind.title} {'later' if later else 'earlier'}"


class RepairSpots(Document):
    """Cover spots that stand out, by a step at the end."""

    kind: Literal["repair_spots"] = "repair_spots"
    map: Id
    spots: tuple[Spot, ...] = Field(min_length=1, max_length=32)

    def apply(self, surface: Surface) -> Surface:
        """Add a step at the end; spots that were found after other repairs get one of their own."""
        m = surface.map(self.map)
        step = Step(params=PatchSpots(spots=self.spots))
        return surface.with_map(rebuilt(m, steps=(*m.steps, step)))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        count = len(self.spots)
        words = f"{count} spot{'' if count == 1 else 's'} repaired"
        return f"{before.map(self.map).title}: {words}"


def _inserted(m: Map, steps: tuple[Step, ...], step: Step, before: str | None) -> tuple[Step, ...]:
    if before is None:
        return (*steps, step)
    m.step(before)
    place = next((n for n, s in enumerate(steps) if s.id == before), len(steps))
    return (*steps[:place], step, *steps[place:])


def _same_end(one: Step, other: Step) -> bool:
    """Tell whether two steps are different ways to the same end."""
    return bool(one.kind.family) and one.kind.family == other.kind.family
