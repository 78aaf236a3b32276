"""The label of a seed packet, made on an empty canvas by steps alone."""

from __future__ import annotations

from stonestack.core.document import Mask, MaskPart, Step
from stonestack.core.document.recipe import Recipe
from stonestack.core.kinds.references import MaskRef
from stonestack.core.picture.blending import Blend
from stonestack.core.steps.fill import Fill, Gradient, Noise
from stonestack.core.steps.grain import Grain
from stonestack.core.steps.lettering import Lettering
from stonestack.core.steps.masks.combining import Combine
from stonestack.core.steps.masks.ellipse import Ellipse
from stonestack.core.steps.masks.others import Border
from stonestack.core.steps.masks.outline import Corner, Outline
from stonestack.core.steps.masks.patterns import NoiseMask, Stripes
from stonestack.core.steps.masks.rectangle import Rectangle
from stonestack.core.steps.palette import Palette
from stonestack.core.steps.tone import Tone

CANVAS = (512, 512)
PAPER = "#e4d8b8"

_INK = "#3a3226"
_LEAF = "#2f6a4c"
_PETAL = "#7c3f6e"


def _mask(name: str, title: str, shape: Rectangle | Ellipse | Outline, *parts: MaskPart) -> Mask:
    return Mask(id=name, title=title, shape=shape, parts=parts)


def _and(shape: Ellipse | Outline | Rectangle | NoiseMask, how: Combine = Combine.ADD) -> MaskPart:
    return MaskPart(how=how, shape=shape)


def _round(x: float, y: float, width: float, height: float) -> Ellipse:
    """Return an ellipse about a place."""
    return Ellipse(
        x=round(x - width / 2, 4), y=round(y - height / 2, 4), width=width, height=height, soft=0.0
    )


def _outline(*places: tuple[float, float]) -> Outline:
    return Outline(corners=tuple(Corner(x=x, y=y) for x, y in places))


_PETALS = ((0.5, 0.4), (0.585, 0.455), (0.555, 0.55), (0.445, 0.55), (0.415, 0.455))

_MASKS = (
    _mask("field", "Field", Rectangle(x=0.06, y=0.06, width=0.88, height=0.88, soft=0.0)),
    Mask(id="frame", title="Frame", shape=Border(mask=MaskRef(mask="field"), width=1.2)),
    _mask("band", "Band", Rectangle(x=0.06, y=0.11, width=0.88, height=0.17, soft=0.0)),
    _mask("foot", "Foot", Rectangle(x=0.06, y=0.8, width=0.88, height=0.08, soft=0.0)),
    _mask(
        "stem",
        "Stem and leaves",
        _outline((0.493, 0.5), (0.507, 0.5), (0.515, 0.78), (0.485, 0.78)),
        _and(
            _outline(
                (0.5, 0.76), (0.53, 0.69), (0.58, 0.645), (0.69, 0.62), (0.65, 0.69), (0.59, 0.735)
            )
        ),
        _and(
            _outline(
                (0.5, 0.74), (0.47, 0.69), (0.42, 0.655), (0.32, 0.645), (0.36, 0.7), (0.42, 0.73)
            )
        ),
    ),
    _mask(
        "petals",
        "Petals",
        _round(*_PETALS[0], 0.13, 0.13),
        *(_and(_round(x, y, 0.13, 0.13)) for x, y in _PETALS[1:]),
    ),
    _mask("heart", "Heart", _round(0.5, 0.485, 0.09, 0.09)),
    Mask(
        id="lines",
        title="Lines",
        shape=Stripes(width=2, every=8, level=True),
        parts=(_and(Rectangle(x=0.06, y=0.8, width=0.88, height=0.08, soft=0.0), Combine.MEET),),
    ),
    Mask(
        id="worn",
        title="Worn",
        shape=NoiseMask(size=30, octaves=6, cover=0.3, soft=0.4, seed=21),
    ),
    Mask(
        id="rubbed",
        title="Rubbed rim",
        shape=Border(mask=MaskRef(mask="field"), width=9, side="outside", soft=4),
        parts=(_and(NoiseMask(size=20, octaves=5, cover=0.6, soft=1.0, seed=5), Combine.MEET),),
    ),
)

LABEL = Recipe(
    title="Seed packet label",
    steps=(
        Step(
            id="fibres",
            amount=0.35,
            blend=Blend.OVERLAY,
            params=Noise(start="#5c5240", end="#c9c2ae", size=2.5, octaves=6, seed=8),
        ),
        Step(
            id="sky",
            mask="field",
            amount=0.55,
            params=Gradient(start="#f0e6c8", end="#b9c7a2", length=0.9, turn=90),
        ),
        Step(id="band", mask="band", params=Fill(colour=_LEAF)),
        Step(id="foot", mask="foot", params=Fill(colour="#b98a34")),
        Step(
            id="stem", mask="stem", params=Gradient(start="#5b8a4e", end=_LEAF, length=0.5, turn=90)
        ),
        Step(
            id="petals",
            mask="petals",
            params=Gradient(shape="radial", start="#c98ab4", end=_PETAL, y=0.485, length=0.34),
        ),
        Step(id="heart", mask="heart", params=Fill(colour="#e2b848")),
        Step(id="frame", mask="frame", params=Fill(colour=_INK)),
        Step(
            id="name",
            params=Lettering(
                text="SALT ASTER", font="slab", colour="#f2e8ca", y=0.195, width=0.74, light=0.2
            ),
        ),
        Step(
            id="house",
            params=Lettering(
                text="Saltglass / house", font="hand", colour=_INK, x=0.2, y=0.38, width=0.2
            ),
        ),
        Step(
            id="sown",
            params=Lettering(
                text="sow in / March", font="hand", colour=_INK, x=0.81, y=0.38, width=0.16
            ),
        ),
        Step(
            id="lot",
            params=Lettering(text="LOT 14", font="narrow", colour="#2c2418", y=0.84, width=0.16),
        ),
        Step(
            id="worn",
            mask="worn",
            amount=0.5,
            params=Tone(brightness=1.15, saturation=0.6),
        ),
        Step(
            id="rubbed",
            mask="rubbed",
            amount=0.4,
            blend=Blend.MULTIPLY,
            params=Fill(colour="#a58a5c"),
        ),
        Step(id="grain", params=Grain(strength=0.025, size=0.4)),
        Step(
            id="lines",
            mask="lines",
            amount=0.25,
            finish=True,
            blend=Blend.MULTIPLY,
            params=Fill(colour="#6a4a1c"),
        ),
        Step(
            id="inks",
            finish=True,
            params=Palette(count=48, dither="ordered", dithering=0.5),
        ),
    ),
    masks=_MASKS,
)
"""A flower in flat inks on old paper; lines and inks are of the finished texels."""
