"""What is good or wrong with a map at a stage, in plain words."""

from __future__ import annotations

from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.codecs.texture import Texture
from stonestack.core.judge.advising import CLEAN
from stonestack.core.judge.losses import Loss
from stonestack.core.kinds.findings import Finding
from stonestack.core.picture.image import Picture
from stonestack.core.picture.measures.quantiles import quantiles
from stonestack.core.steps import STEPS
from stonestack.core.tables.sizing import Fit, Size, proposal, stretch_percent
from stonestack.core.tile.faults.evidence import FaultKind
from stonestack.core.tile.light import light_field
from stonestack.core.tile.scores import GOES_ON, TileScores
from stonestack.core.tile.ways import FAMILY

VERSION = 18
"""Raised when the same picture is judged otherwise, so that kept judgements are made anew."""

_SEAM_GOOD = (0.8, 1.25)
_REPEATS = 1.5
_NOTICED = 1.0
_EVEN = "Balance the light."
_FAULTS: dict[FaultKind, tuple[str, str]] = {
    "seam": ("a seam runs through it", ""),
    "fade": ("a band of it is faded", ""),
    "blur": ("a band of it is blurred", ""),
    "line": ("a line runs through it", "Repair the line, or frame another part."),
    "copy": ("a part is there again", "Another seed lays the parts elsewhere."),
    "ghost": ("its own ghost lies over it", ""),
    "mirror": ("it is mirrored", "The eye finds mirrors; cut it instead."),
    "light": ("broad light repeats", _EVEN),
    "spot": ("a spot repeats", "Repair the marked spots."),
    "bond": ("its structure breaks", ""),
    "tone": ("its tone steps", _EVEN),
}
"""What each fault is called, and what helps; nothing where the joins must be mended."""
_UNEVEN = 0.35
_STRETCH_LOOK = 8.0
_ENLARGED = 1.25
_EVENER = "At Source, frame a part with evener light."
HOLES_ONLY = "alpha is holes only"
_ROUGH = 31.0
_ANGLE_LOOK = 2.5


def of_source(light: float | None) -> Finding:
    """Judge a raw picture by how uneven its light is; None for what is no colour."""
    if light is not None and light > _UNEVEN:
        return Finding(level="look", words="uneven light", fix="Balance light evens it out.")
    return Finding(level="good", words="read whole")


def unevenness(picture: Picture) -> float:
    """Return by what share the broad light of the brightest part exceeds the darkest."""
    field = light_field(picture)
    low, high = (float(v) for v in quantiles(field, (0.02, 0.98)))
    return high / max(low, 1e-3) - 1


def of_tile(scores: TileScores | None, done: frozenset[str] = frozenset()) -> Finding:
    """Judge a tile: its edges first, then what makes the repeat visible.

    Parameters
    ----------
    scores : TileScores or None
        None where the picture is too small to be measured.
    done : frozenset of str
        Operations that led to it, so that what is advised is not done already.
    """
    if scores is None:
        return Finding(level="look", words="too small to score")
    low, high = _SEAM_GOOD
    edges = (scores.x, scores.y)
    if any(edge > high for edge in edges):
        return Finding(level="look", words="a step at the edge", fix=_join_fix(scores, done))
    if any(edge < low for edge in edges):
        return Finding(level="look", words="a blur at the edge", fix=_join_fix(scores, done))
    if scores.structure < GOES_ON and not scores.mirrored:
        words = "its structure breaks at the edge"
        return Finding(level="look", words=words, fix=_join_fix(scores, done))
    if scores.mirrored:
        return Finding(
            level="look", words="mirror-symmetric", fix="The eye finds mirrors; cut it instead."
        )
    if scores.spots > _REPEATS:
        words = f"a {scores.culprits[0].words} spot repeats" if scores.culprits else "spots repeat"
        return Finding(level="look", words=words, fix="Repair the marked spots.")
    if scores.broad > _REPEATS:
        fix = _EVEN
        if "balance_light" in done:
            fix = "Quilt mixes it up." if _tiled(done) != "quilt_tile" else _EVENER
        return Finding(level="look", words="broad light repeats", fix=fix)
    worst = scores.faults[0] if scores.faults else None
    if worst is not None and worst.strength >= _NOTICED:
        words, fix = _FAULTS[worst.kind]
        return Finding(level="look", words=words, fix=fix or _join_fix(scores, done))
    return Finding(level="good", words="tiles both ways")


def _join_fix(scores: TileScores, done: frozenset[str]) -> str:
    """Say what helps an edge that shows."""
    if scores.period is not None and "frame" not in done:
        return "It has a structure: at Source, frame whole repeats of it."
    return "Choose another way to tile." if _tiled(done) else "Add Tiling."


def _tiled(done: frozenset[str]) -> str:
    """Return which step made a tile of it, or nothing."""
    return next(
        (kind for kind in sorted(done) if kind in STEPS and STEPS[kind].family == FAMILY), ""
    )


def of_size(before: Picture, size: Size) -> Finding:
    """Judge a change of size by what it costs."""
    if size.fit is Fit.PAD and before.wraps:
        return Finding(
            level="look", words="a tile no more", fix="Stretch or repeat it; a canvas has a rim."
        )
    stretch = stretch_percent(before.width, before.height, size)
    if stretch > _STRETCH_LOOK:
        return Finding(
            level="look", words=f"stretch {stretch:.1f} %", fix="Choose sides of another ratio."
        )
    one = proposal(before.width, before.height, size)
    if one.scale > _ENLARGED:
        return Finding(
            level="look", words=f"enlarged {one.scale:.1f} ×", fix="Choose a smaller size."
        )
    return Finding(level="good", words=one.words.split(", ")[0])


def of_compression(before: Picture, after: Texture, loss: Loss) -> Finding:
    """Judge a compressed texture by what was lost."""
    if before.alpha and after.format is BlockFormat.BC1:
        return Finding(level="look", words=HOLES_ONLY, fix="BC3 and BC7 keep soft alpha.")
    if loss.angle is not None:
        if loss.angle > _ANGLE_LOOK:
            return Finding(level="look", words="facets may show", fix="Store it as RGBA8.")
        return Finding(level="good", words="smooth")
    if loss.psnr is None:
        return Finding(level="good", words="exact")
    if loss.psnr < _ROUGH:
        return Finding(level="look", words="blocks may show", fix="Try a format with more bits.")
    return Finding(level="good", words="clean" if loss.psnr >= CLEAN else "fair")
