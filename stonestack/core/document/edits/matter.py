"""The edit of what a surface is made of."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from stonestack.core.document import Document, Map, Step, Surface, rebuilt
from stonestack.core.tables.matters import MATTERS, Matter, MatterInfo


class SetMatter(Document):
    """Say what a surface is made of; what its maps are derived by begins anew from that."""

    kind: Literal["set_matter"] = "set_matter"
    matter: Matter
    guessed: float | None = Field(
        None, ge=0, le=1, description="How sure it is, where it was guessed and not said"
    )
    why: str = Field("", max_length=120, description="What spoke for it, where it was guessed")

    def apply(self, surface: Surface) -> Surface:
        """Set it, and the strengths of the steps that derive maps."""
        info = MATTERS[self.matter]
        maps = tuple(_suited(m, info) for m in surface.maps)
        said = {"matter": self.matter, "matter_guessed": self.guessed, "matter_why": self.why}
        return rebuilt(surface, maps=maps, **said)

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        title = MATTERS[self.matter].title.lower()
        return f"Taken for {title}" if self.guessed is not None else f"It is {title}"


def suited(surface: Surface, m: Map) -> Map:
    """Return a map with the numbers that what a surface is made of begins with, if that is said."""
    return m if surface.matter is None else _suited(m, MATTERS[surface.matter])


def _suited(m: Map, info: MatterInfo) -> Map:
    steps = tuple(_begun(step, info) for step in m.steps)
    return m if steps == m.steps else rebuilt(m, steps=steps)


def _begun(step: Step, info: MatterInfo) -> Step:
    """Return a step with the numbers that a matter begins with; others stay as they are."""
    wanted = numbers(info).get(step.params.kind)
    if wanted is None:
        return step
    params = type(step.params).model_validate({**dict(step.params), **wanted})
    return rebuilt(step, params=params)


def numbers(info: MatterInfo) -> dict[str, dict[str, Any]]:
    """Return the parameters of derivations that a matter says, by the steps' names."""
    low, high = info.reflects
    steep = {"by": "steepness", "steepness": info.steepness}
    radius, contrast = info.hollow
    hollow = {"radius": radius, "contrast": contrast}
    return {
        "normal_from_height": steep,
        "normal_from_colour": steep,
        "specular_from_colour": {"low": _half_percent(low * 0.6), "high": _half_percent(high)},
        "gloss_from_colour": {"level": info.gloss},
        "roughness_from_colour": {"level": round(1 - info.gloss, 2)},
        "occlusion_from_height": {"radius": info.radius},
        "occlusion_from_normal": {"radius": info.radius},
        "cavity_from_height": hollow,
        "cavity_from_normal": hollow,
    }


def _half_percent(level: float) -> float:
    return round(level * 200) / 200
