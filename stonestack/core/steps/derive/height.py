"""Height from colour: what the tones of a picture tell of its relief.

Light multiplies, so the logarithm of tone is the sum of what is painted, of what the sky lights and
of what a lamp does. Each of them is asked by what it alone can do:

- A matt relief under a whole sky is dark where it is deep, by about its depth over its breadth (M.
  Langer and S. Zucker, "Shape-from-shading on a cloudy day", J. Opt. Soc. Am. A 11 (1994)), so
  each wave of the relief shows by its slope: a height is found by undoing that, wave by wave.
- Under a lamp at one side it shows by its slope towards the lamp (A. Pentland, "Linear Shape From
  Shading", Int. J. Computer Vision 4 (1990), equation 7), if it is known where the lamp stood:
  :mod:`.lighting`. Where that cannot be told, what lies along the lamp's axis is taken out.
- A pigment changes tone by more than the sky can, or with it the hue (B. Funt, M. Drew and M.
  Brockington, "Recovering Shading from Color Images", ECCV 1992), or makes plain areas with a
  sharp border; each of these lessens what counts as relief.
- Joints are told by their shape, whatever their tone: :mod:`.joints`.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import colour
from stonestack.core.picture.filters import gaussian
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.measures.ramps import ramp
from stonestack.core.picture.remembering import Remembered
from stonestack.core.picture.resize import at_most, resample
from stonestack.core.runtime.parallel import texelwise
from stonestack.core.steps.derive.joints import Joints, joints_of, without_thin
from stonestack.core.steps.derive.lighting import Lighting, lighting_of, slopes_across
from stonestack.core.steps.derive.waves import Complex, length_of, shaped
from stonestack.core.tables.roles import Role

ASKED_AT = 512
"""Longest side at which is asked what holds for all of a picture."""
FULL_RANGE = 0.01
"""Relief, as a share of the width, that heights from 0 to 1 stand for; a flatter one has less."""
_FLOOR = np.float32(0.015)
_BROAD_BY_SKY, _BROAD_BY_LAMP, _FINE_WAVES = 4.5, 6.0, 80.0
"""Waves over the width between broad forms, middle forms and fine grain."""
_PLAIN = 0.02
"""Half of the breadth, as a share of the width, from which on an even area is one of pigment."""
_SHARE_OF_PLAIN = 0.85
_MOST_BY_SKY = np.float32(0.18)
"""What the sky darkens a usual relief by, in the logarithm."""
_SIDE_BY_SKY, _SIDE_BY_LAMP = 0.3, 1.6
"""How strongly slopes show under a lamp: by the sky's part of the light, and by the lamp's."""
_NOISE = 0.14
_HUE = 0.4
"""Change of hue, against that of tone, from which on a pigment changes."""
_PRINTED = (0.06, 0.11)
_LEFT_OF_PRINT = 0.1
_WEIGHTS = colour.LUMINANCE


class ReliefFromColour(StepParams):
    """How a relief is read from a colour; shared by what makes heights and normals of it."""

    light: Literal["found", "even", "given"] = Field(
        "found",
        title="Light came from",
        description="Where it can be told from the picture; from all round; or from where you say",
    )
    azimuth: float = Field(
        90.0,
        ge=0,
        le=360,
        multiple_of=1,
        title="Angle of the light",
        description="Where you say: degrees anticlockwise from the right, 90 is from above",
    )
    joints: Literal["found", "stand_out", "not_told"] = Field(
        "found",
        title="Joints",
        description="Thin lines that part the picture into pieces lie deep, pale or dark",
    )
    pigment: float = Field(
        1.0,
        ge=0,
        le=1,
        multiple_of=0.01,
        title="Leave pigment out",
        description="What is only another colour makes no relief; 0 takes every tone for relief",
    )
    invert: bool = Field(False, title="Dark stands out", description="Turns heights upside down")
    broad: float = Field(
        0.0,
        ge=0,
        le=1,
        multiple_of=0.01,
        title="Broad forms",
        description="Slow change of tone; most of it is light or dirt",
    )
    middle: float = Field(
        1.0, ge=0, le=2, multiple_of=0.01, title="Middle forms", description="Stones, dents, waves"
    )
    fine: float = Field(
        1.0, ge=0, le=2, multiple_of=0.01, title="Fine grain", description="The smallest marks"
    )


class HeightFromColour(ReliefFromColour):
    """Parameters of :func:`height_from_colour`."""

    kind: Literal["height_from_colour"] = "height_from_colour"


def height_from_colour(picture: Picture, params: ReliefFromColour) -> Picture:
    """Read a relief from a colour, as heights between 0 and 1.

    The range stands for at least :data:`FULL_RANGE` of the width: a picture that tells of little
    relief gets little, and a print next to none.

    Parameters
    ----------
    picture : Picture
        Linear colour.
    """
    relief = relief_of(picture, params)
    low, high = np.percentile(relief, (0.5, 99.5))
    span = max(float(high - low), FULL_RANGE * picture.width)
    shift = np.float32(0.5 - (low + high) / 2 / span)

    def within(rows: Floats) -> Floats:
        return np.asarray(np.clip(rows * np.float32(1 / span) + shift, 0, 1), np.float32)

    return Picture(texelwise(within, relief)[..., np.newaxis], Space.DATA, wraps=picture.wraps)


def relief_of(picture: Picture, params: ReliefFromColour) -> Floats:
    """Return the relief that a colour tells of.

    Parameters
    ----------
    picture : Picture
        Linear colour.

    Returns
    -------
    ndarray, float32, shape (height, width)
        In texels, around 0.
    """
    wraps, told = picture.wraps, params.joints != "not_told"
    read = _READ.of_look(picture.body, wraps, told, work=lambda: _read(picture, told))
    joints = read.joints
    asked = _asked(read.tone, joints, params, wraps)
    even, lit = _told_by_tone(read, asked, params, wraps)
    relief = _relief(even, lit, asked, params, wraps)
    if joints is not None:
        relief = relief + joints.deep if params.joints == "stand_out" else relief - joints.deep
    return np.asarray(-relief if params.invert else relief, np.float32)


@dataclass(frozen=True)
class _Read:
    """What is read of a colour whatever is asked of it.

    Parameters
    ----------
    tone, faces, plain : ndarray, float32, shape (height, width)
        Logarithm of its light; that without joints; and that without what is thin.
    small : ndarray, float32
        The colour itself, small.
    joints : Joints or None
    """

    tone: Floats
    faces: Floats
    plain: Floats
    small: Floats
    joints: Joints | None


_READ: Remembered[_Read] = Remembered(2)


def _read(picture: Picture, joints_too: bool) -> _Read:
    tone = texelwise(_tone, picture.body)
    joints = joints_of(tone, picture.wraps) if joints_too else None
    faces = tone if joints is None else joints.without
    plain = without_thin(faces, max(1, round(_PLAIN * tone.shape[1])), picture.wraps)
    small = at_most(np.ascontiguousarray(picture.body), ASKED_AT)
    return _Read(tone, faces, plain, small, joints)


def _tone(rows: Floats) -> Floats:
    r, g, b = (float(v) for v in _WEIGHTS)
    seen = rows[..., 0] * np.float32(r) + rows[..., 1] * np.float32(g)
    return np.asarray(np.log(seen + rows[..., 2] * np.float32(b) + _FLOOR), np.float32)


def _asked(tone: Floats, joints: Joints | None, params: ReliefFromColour, wraps: bool) -> Lighting:
    """Return where light came from: as said, or as the picture tells."""
    if params.light == "even":
        return Lighting(0.0, 0.0, 0.0, 0.0, 0.0)
    if params.light == "given":
        return Lighting(math.radians(params.azimuth), 1.0, 0.0, 0.0, 0.0)
    pale = joints is not None and joints.pale and joints.sure > 0.5
    read = tone if joints is None or pale else joints.without
    found = lighting_of(at_most(read[..., np.newaxis], ASKED_AT)[..., 0], wraps, pale)
    sure = 0.0 if joints is None else joints.sure
    return Lighting(found.azimuth, found.side, found.axis, found.uneven, found.lost * (1 - sure))


@dataclass(frozen=True)
class _Pigment:
    """What of a tone is no relief.

    Parameters
    ----------
    hue : ndarray, float32
        0 to 1 for every texel: how far its tone goes without a change of hue.
    printed : float
        0 to 1: how surely it is a print.
    """

    hue: Floats
    printed: float


def _told_by_tone(
    read: _Read, light: Lighting, params: ReliefFromColour, wraps: bool
) -> tuple[Floats | None, Floats | None]:
    """Return what of the tone tells of relief: under light from all round, and from one side."""
    faces, plain, joints = read.faces, read.plain, read.joints
    kept = np.float32(1 - _SHARE_OF_PLAIN * params.pigment)
    mean = np.float32(faces.mean(dtype=np.float64))
    broad = np.float32(plain.mean(dtype=np.float64))

    def detail(face: Floats, plain: Floats) -> Floats:
        return (face - plain) + (plain - broad) * kept - (mean - broad)

    told = texelwise(detail, faces, plain)
    if joints is not None:
        told = _set_aside(told, joints.beside)
    if light.side >= 1:
        return None, told
    pigment = _pigment(read.small, faces, params.pigment, wraps)
    even = texelwise(
        _as_by_sky, told, pigment.hue * np.float32(1 - (1 - _LEFT_OF_PRINT) * pigment.printed)
    )
    return even, told if light.side > 0 else None


def _set_aside(told: Floats, beside: Floats) -> Floats:
    """Return what is told with its mean in and close to joints."""
    weight = 1 - beside
    total = max(float(weight.sum(dtype=np.float64)), 1.0)
    mean = np.float32(float((told * weight).sum(dtype=np.float64)) / total)
    return np.asarray(told + beside * (mean - told), np.float32)


def _as_by_sky(told: Floats, share: Floats) -> Floats:
    most = _MOST_BY_SKY
    return np.asarray(most * np.tanh(told * share / most), np.float32)


def _relief(
    even: Floats | None,
    lit: Floats | None,
    light: Lighting,
    params: ReliefFromColour,
    wraps: bool,
) -> Floats:
    """Undo what sky and lamp made of the relief, wave by wave."""
    turn = light.azimuth
    total: Floats | None = None
    if even is not None:
        weight = (1 - light.side) * (1 - 0.6 * light.lost)
        total = shaped(even, lambda x, y: _by_sky(x, y, light, params, even.shape[1]), wraps)
        total *= np.float32(weight)
    if lit is not None:
        side = shaped(lit, lambda x, y: _by_lamp(x, y, turn, params, lit.shape[1]), wraps)
        side *= np.float32(light.side)
        total = side if total is None else total + side
    assert total is not None
    return total


def _by_sky(
    right: Floats, up: Floats, light: Lighting, params: ReliefFromColour, width: int
) -> Floats:
    length = length_of(right, up)
    gain = (
        _bands(length * np.float32(width), params, _BROAD_BY_SKY)
        / (1 + _NOISE * 0.5)
        / (2 * np.pi * length)
    )
    if light.lost > 0:
        along = (right * math.cos(light.axis) + up * math.sin(light.axis)) / length
        # A lamp at an end of the axis makes waves along it so much stronger than those across.
        across = (1 - light.uneven) / (1 + light.uneven)
        left = across / (across + (1 - across) * np.square(along))
        gain = gain * (1 - light.lost * (1 - left))
    return np.asarray(gain, np.float32)


def _by_lamp(
    right: Floats, up: Floats, turn: float, params: ReliefFromColour, width: int
) -> Complex:
    length = length_of(right, up)
    towards = (right * math.cos(turn) + up * math.sin(turn)) / length
    shown = _SIDE_BY_SKY - 1j * _SIDE_BY_LAMP * towards
    noise = 0.3 * ((_SIDE_BY_SKY + 1) / 4) ** 2
    undone = np.conj(shown) / (np.square(np.abs(shown)) + noise) / (2 * np.pi * length)
    return np.asarray(
        undone * _bands(length * np.float32(width), params, _BROAD_BY_LAMP), np.complex64
    )


def _bands(waves: Floats, params: ReliefFromColour, fewest: float) -> Floats:
    """Return how much of each wave counts, by how many of it the width holds."""
    broad = np.exp(-np.square(waves * np.float32(1 / fewest)))
    middle = np.exp(-np.square(waves * np.float32(1 / _FINE_WAVES)))
    gain = params.broad * broad + params.middle * (middle - broad) + params.fine * (1 - middle)
    gain[0, 0] = 0
    return np.asarray(gain, np.float32)


_KNOWN: Remembered[_Pigment] = Remembered()


def _pigment(small: Floats, faces: Floats, share: float, wraps: bool) -> _Pigment:
    """Tell what of a tone comes with another hue, and whether all of it is printed."""
    height, width = faces.shape
    tone = at_most(faces[..., np.newaxis], ASKED_AT)[..., 0]
    both = np.concatenate([small, tone[..., np.newaxis]], axis=2)
    found = _KNOWN.of(both, wraps, work=lambda: _pigment_of(small, tone, wraps))
    same: Floats = np.asarray(1 - np.float32(share) * (1 - found.hue), np.float32)
    if same.shape != faces.shape:
        same = resample(same[..., np.newaxis], width, height, "mitchell", wraps)[..., 0]
    return _Pigment(same, share * found.printed)


def _pigment_of(small: Floats, tone: Floats, wraps: bool) -> _Pigment:
    """Return where tone changes without the hue, and how surely all is printed."""
    columns = tone.shape[1]
    logs = np.log(np.maximum(small, np.float32(0.004)))
    hues = (logs[..., 0] - logs[..., 1], logs[..., 2] - logs[..., 1])
    changes = [_change(hue, columns, wraps) for hue in hues]
    most = np.float32(_HUE**2) * _change(_tone(small), columns, wraps) + np.float32(1e-6)
    apart = (changes[0] + changes[1]) * np.float32(0.5) / most
    least, whole = _PRINTED
    printed = ramp(-flatness(tone, wraps), -whole, -least)
    return _Pigment(np.asarray(1 / (1 + np.square(apart)), np.float32), printed)


def _change(values: Floats, columns: int, wraps: bool) -> Floats:
    """Return how much values change around each place, squared."""
    fine, around = max(0.7, 0.003 * columns), 0.01 * columns
    right, up = slopes_across(gaussian(values[..., np.newaxis], fine, wraps)[..., 0], wraps)
    energy = np.square(right) + np.square(up)
    return gaussian(energy[..., np.newaxis], around, wraps)[..., 0]


def flatness(tone: Floats, wraps: bool) -> float:
    """Return how much tones stray within the two or three that suit them best, against between.

    A print has a few flat tones, and what little strays is paper and grain; what is lit has all
    tones between. Tones are parted as in S. Lloyd, "Least Squares Quantization in PCM", IEEE Trans.
    Information Theory 28 (1982), method I.
    """
    soft = gaussian(tone[..., np.newaxis], 0.002 * tone.shape[1], wraps)
    some = np.sort(soft.ravel())[:: max(1, tone.size // 4096)].astype(np.float64)
    spread = float(some.std()) + 1e-6
    return min(_straying(some, count) for count in (2, 3)) / spread


def _straying(values: np.ndarray[tuple[int], np.dtype[np.float64]], count: int) -> float:
    middles = np.quantile(values, (np.arange(count) + 0.5) / count)
    for _ in range(30):
        nearest = np.searchsorted((middles[1:] + middles[:-1]) / 2, values)
        middles = np.array(
            [
                values[nearest == k].mean() if (nearest == k).any() else middles[k]
                for k in range(count)
            ]
        )
    nearest = np.searchsorted((middles[1:] + middles[:-1]) / 2, values)
    total = 0.0
    for k in range(count):
        own = values[nearest == k]
        if len(own):
            total += len(own) / len(values) * float(np.median(np.abs(own - np.median(own))))
    return 1.4826 * total


STEP = StepKind(
    name="height_from_colour",
    title="Height from colour",
    hint="Reads relief from light, shade and joints",
    params=HeightFromColour,
    version=2,
    apply=height_from_colour,
    spaces=frozenset({Space.LINEAR}),
    makes=frozenset({Role.HEIGHT}),
    group=Group.MAKE,
    summary=lambda p: f"{'dark' if p.invert else 'light'} stands out",
)
