"""The one register of steps. A new step is one file, and one line here."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from stonestack.core.derive import alpha, height, normal, specular
from stonestack.core.stepkind import StepKind, StepParams
from stonestack.core.steps import levels, tone
from stonestack.core.tile import blend, boundary, light, mirrored, patches, quilt, wrapped

__all__ = ["STEPS", "Step", "StepKind", "StepParams"]

STEPS: dict[str, StepKind] = {
    step.name: step
    for step in (
        light.STEP,
        boundary.STEP,
        quilt.STEP,
        wrapped.STEP,
        blend.STEP,
        mirrored.STEP,
        patches.STEP,
        levels.STEP,
        tone.STEP,
        height.STEP,
        normal.STEP,
        specular.STEP,
        alpha.STEP,
    )
}

Step = Annotated[
    light.BalanceLight
    | boundary.MakeTile
    | quilt.QuiltTile
    | wrapped.WrapTile
    | blend.BlendTile
    | mirrored.MirrorTile
    | patches.PatchSpots
    | levels.Levels
    | tone.Tone
    | height.HeightFromColour
    | normal.NormalFromHeight
    | specular.SpecularFromColour
    | alpha.AlphaFromPicture,
    Field(discriminator="kind"),
]
"""Any step, told apart by its ``kind``."""
