"""The one register of steps. A new step is one file, and one line here."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from stonestack.core.kinds.step import StepKind, StepParams
from stonestack.core.runtime.registers import must_agree
from stonestack.core.steps import (
    another,
    beneath,
    borrowing,
    channels,
    colourise,
    curves,
    desaturate,
    detail,
    directions,
    exposure,
    fill,
    grain,
    laying,
    lettering,
    levels,
    line_out,
    match,
    palette,
    pencil,
    recolour,
    relief_light,
    tone,
)
from stonestack.core.steps.derive import (
    alpha,
    anew,
    cavity,
    height,
    keyed,
    layers,
    masked,
    metal,
    normal,
    occlusion,
    roughness,
    shine,
    storing,
)
from stonestack.core.tile import blend, boundary, light, mirrored, patches, quilt, wrapped

__all__ = ["STEPS", "AnyStep", "StepKind", "StepParams"]

STEPS: dict[str, StepKind] = {
    step.name: step
    for step in (
        light.STEP,
        relief_light.STEP,
        boundary.STEP,
        quilt.STEP,
        wrapped.STEP,
        blend.STEP,
        mirrored.STEP,
        patches.STEP,
        levels.STEP,
        tone.STEP,
        curves.STEP,
        exposure.STEP,
        colourise.STEP,
        recolour.STEP,
        match.STEP,
        desaturate.STEP,
        detail.DENOISE,
        detail.BLUR,
        detail.SHARPEN,
        detail.HIGH_PASS,
        line_out.STEP,
        grain.STEP,
        fill.FILL,
        fill.GRADIENT,
        fill.NOISE,
        fill.PATTERN,
        lettering.STEP,
        borrowing.STEP,
        channels.INVERT,
        channels.SWIZZLE,
        channels.PACK,
        palette.PALETTE,
        palette.LOW_RESOLUTION,
        pencil.STEP,
        laying.STEP,
        another.STEP,
        beneath.STEP,
        directions.STEEPER,
        directions.DETAIL,
        directions.RELIEF,
        anew.NORMAL,
        anew.HEIGHT,
        anew.SPECULAR,
        anew.GLOSS,
        anew.ROUGHNESS,
        metal.BASE,
        metal.BESIDE,
        height.STEP,
        normal.TO_HEIGHT,
        normal.STEP,
        normal.FROM_COLOUR,
        occlusion.FROM_HEIGHT,
        occlusion.FROM_NORMAL,
        cavity.FROM_HEIGHT,
        cavity.FROM_NORMAL,
        shine.SPECULAR,
        metal.SPECULAR,
        shine.GLOSS,
        roughness.TO_GLOSS,
        shine.ROUGHNESS,
        roughness.STEP,
        metal.METALNESS,
        alpha.STEP,
        keyed.ALPHA,
        layers.ALPHA,
        keyed.EMISSIVE,
        layers.BLEND,
        masked.STEP,
        storing.ONE_CHANNEL,
        storing.DERIVATIVE,
        storing.FROM_DERIVATIVE,
        storing.ALPHA_GREEN,
        storing.FROM_ALPHA_GREEN,
    )
}

AnyStep = Annotated[
    light.BalanceLight
    | relief_light.ReliefLight
    | boundary.CutTile
    | quilt.QuiltTile
    | wrapped.WrapTile
    | blend.BlendTile
    | mirrored.MirrorTile
    | patches.PatchSpots
    | levels.Levels
    | tone.Tone
    | curves.Curves
    | exposure.Exposure
    | colourise.Colourise
    | recolour.Recolour
    | match.Match
    | desaturate.Desaturate
    | detail.Denoise
    | detail.Blur
    | detail.Sharpen
    | detail.HighPass
    | line_out.LineOut
    | grain.Grain
    | fill.Fill
    | fill.Gradient
    | fill.Noise
    | fill.Pattern
    | lettering.Lettering
    | borrowing.Borrow
    | channels.Invert
    | channels.Swizzle
    | channels.Pack
    | palette.Palette
    | palette.LowResolution
    | pencil.Pencil
    | laying.LayPicture
    | another.AnotherMap
    | beneath.SpreadBeneath
    | directions.Steeper
    | directions.DetailNormal
    | directions.ReliefOver
    | anew.NormalAnew
    | anew.HeightAnew
    | anew.SpecularAnew
    | anew.GlossAnew
    | anew.RoughnessAnew
    | metal.BaseColour
    | metal.ColourBesideMetal
    | height.HeightFromColour
    | normal.HeightFromNormal
    | normal.NormalFromHeight
    | normal.NormalFromColour
    | occlusion.OcclusionFromHeight
    | occlusion.OcclusionFromNormal
    | cavity.CavityFromHeight
    | cavity.CavityFromNormal
    | shine.SpecularFromColour
    | metal.SpecularFromMetalness
    | shine.GlossFromColour
    | roughness.GlossFromRoughness
    | shine.RoughnessFromColour
    | roughness.RoughnessFromGloss
    | metal.MetalnessFromSpecular
    | alpha.AlphaFromPicture
    | keyed.AlphaFromKey
    | layers.AlphaFromHeight
    | keyed.EmissiveFromColour
    | layers.BlendFromHeight
    | masked.ValuesOfMask
    | storing.OneChannel
    | storing.DerivativeFromNormal
    | storing.NormalFromDerivative
    | storing.AlphaGreenFromNormal
    | storing.NormalFromAlphaGreen,
    Field(discriminator="kind"),
]
"""Parameters of any step, told apart by their ``kind``."""

must_agree("steps", {step.params for step in STEPS.values()}, AnyStep)
