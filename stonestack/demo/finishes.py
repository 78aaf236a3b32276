"""What the restorers did to the look of two surfaces of the demo: recipes for others too."""

from __future__ import annotations

from stonestack.core.document import Mask, MaskPart, Step
from stonestack.core.document.recipe import Recipe
from stonestack.core.kinds.references import MapRef
from stonestack.core.picture.blending import Blend
from stonestack.core.steps.curves import Curves, Point
from stonestack.core.steps.detail import Sharpen
from stonestack.core.steps.fill import Fill
from stonestack.core.steps.grain import Grain
from stonestack.core.steps.masks.combining import Combine
from stonestack.core.steps.masks.patterns import NoiseMask
from stonestack.core.steps.masks.ranges import ValueRange
from stonestack.core.steps.tone import Tone

_DARK = ValueRange(map=MapRef(map="colour"), low=0, high=0.42, soft=0.2)

RUNS = Recipe(
    title="Verdigris runs",
    steps=(
        Step(
            id="runs",
            mask="hollows",
            amount=0.55,
            blend=Blend.OVERLAY,
            params=Fill(colour="#7fc4a4"),
        ),
        Step(
            id="worn",
            mask="worn",
            params=Tone(brightness=1.35, saturation=1.2),
        ),
        Step(id="crisp", params=Sharpen(radius=0.2, strength=0.5)),
    ),
    masks=(
        Mask(
            id="hollows",
            title="Hollows",
            shape=NoiseMask(size=18, cover=0.55, soft=0.5, seed=4),
            parts=(MaskPart(id="dark", how=Combine.MEET, shape=_DARK),),
            feather=0.3,
        ),
        Mask(
            id="worn",
            title="Worn edges",
            shape=ValueRange(map=MapRef(map="colour"), low=0.62, high=1, soft=0.2),
            feather=0.2,
        ),
    ),
)
"""Green lies where rain stands, and edges are rubbed bright."""

CLOUDED = Recipe(
    title="Clouded glass",
    steps=(
        Step(
            id="depth",
            params=Curves(
                points=(
                    Point(x=0, y=0),
                    Point(x=0.35, y=0.28),
                    Point(x=0.8, y=0.84),
                    Point(x=1, y=1),
                )
            ),
        ),
        Step(
            id="salt",
            mask="salt",
            amount=0.16,
            blend=Blend.SCREEN,
            params=Fill(colour="#b9cfc8"),
        ),
        Step(id="grain", params=Grain(strength=0.02, size=0.6)),
    ),
    masks=(
        Mask(
            id="salt", title="Salt", shape=NoiseMask(size=25, octaves=4, cover=0.45, soft=1, seed=9)
        ),
    ),
)
"""Deeper glass with a bloom of salt on it."""

FINISHES = {"rib_copper": RUNS, "glass_bottle": CLOUDED}
