"""The one register of steps. A new step is one file, and one line here."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from stonestack.core.derive import alpha, height, normal, roughness, specular
from stonestack.core.registers import must_agree
from stonestack.core.stepkind import StepKind, StepParams
from stonestack.core.steps import another, laying, levels, tone
from stonestack.core.tile import blend, boundary, light, mirrored, patches, quilt, wrapped

__all__ = ["STEPS", "AnyStep", "StepKind", "StepParams"]

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
        laying.STEP,
        another.STEP,
        height.STEP,
        normal.STEP,
        specular.STEP,
        alpha.STEP,
        roughness.STEP,
    )
}

AnyStep = Annotated[
    light.BalanceLight
    | boundary.CutTile
    | quilt.QuiltTile
    | wrapped.WrapTile
    | blend.BlendTile
    | mirrored.MirrorTile
    | patches.PatchSpots
    | levels.Levels
    | tone.Tone
    | laying.LayPicture
    | another.AnotherMap
    | height.HeightFromColour
    | normal.NormalFromHeight
    | specular.SpecularFromColour
    | alpha.AlphaFromPicture
    | roughness.RoughnessFromGloss,
    Field(discriminator="kind"),
]
"""Parameters of any step, told apart by their ``kind``."""

must_agree("steps", {step.params for step in STEPS.values()}, AnyStep)
