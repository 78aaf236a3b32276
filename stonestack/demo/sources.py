"""The raw sources of the demo: odd sizes, uneven light, edges that do not meet."""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PIL import Image

from stonestack.core.picture.image import Bytes, Floats
from stonestack.demo.paint import (
    Canvas,
    cells,
    fill,
    hexed,
    mix,
    photographed,
    plain,
    relief_light,
    step,
    toned,
    uneven,
)


@dataclass(frozen=True)
class RawSource:
    """One raw picture of the demo."""

    file_name: str
    draw: Callable[[], Bytes]

    def encoded(self, shrunk: int = 1) -> bytes:
        """Draw the picture and store it in the kind its name says, so many times smaller."""
        pixels = self.draw()
        if shrunk > 1:
            pixels = np.asarray(Image.fromarray(pixels).reduce(shrunk))
        return encoded(pixels, self.file_name)


def encoded(pixels: Bytes, file_name: str) -> bytes:
    """Store pixels in the kind that a file name says."""
    kind = file_name.rsplit(".", 1)[1]
    buffer = io.BytesIO()
    options: dict[str, dict[str, object]] = {
        "jpg": {"format": "JPEG", "quality": 94, "subsampling": 0},
        "png": {"format": "PNG", "compress_level": 3},
        "tga": {"format": "TGA", "compression": "tga_rle"},
        "tif": {"format": "TIFF", "compression": "tiff_lzw"},
    }
    Image.fromarray(pixels).save(buffer, **options[kind])  # type: ignore[arg-type]
    return buffer.getvalue()


def floor_pattern(canvas: Canvas, tile: float, worn: float) -> Floats:
    """Draw encaustic tiles: a quatrefoil in each, rings where four meet.

    Parameters
    ----------
    canvas : Canvas
    tile : float
        Pixels of one tile.
    worn : float
        How much of the clay shows through, 0..1.
    """
    x, y = canvas.x / np.float32(tile), canvas.y / np.float32(tile)
    column, row = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
    rng = np.random.default_rng((canvas.seed, 7))
    tone = rng.normal(0, 1, (64, 64)).astype(np.float32)
    turn = rng.normal(0, 0.006, (2, 64, 64)).astype(np.float32)
    r, c = row % 64, column % 64
    u = x - column - np.float32(0.5) + turn[0][r, c]
    v = y - row - np.float32(0.5) + turn[1][r, c]
    u, v = np.broadcast_arrays(u, v)
    wobble = canvas.noise(tile / 3, 3, 11) * np.float32(0.0035)
    scale = np.float32(tile)

    cream = mix(plain(canvas, hexed("#d9c7a0")), hexed("#c9b283"), step(0.3, 2.2, tone[r, c]))
    picture = toned(cream, 1 + canvas.noise(tile / 2, 4, 1) * np.float32(0.035))
    centre = np.hypot(u, v) + wobble
    petals = np.min(
        [np.hypot(u - dx, v - dy) for dx, dy in ((0.105, 0), (-0.105, 0), (0, 0.105), (0, -0.105))],
        axis=0,
    )
    petals = petals + wobble
    picture = mix(picture, hexed("#8f2b22"), fill((petals - 0.132) * scale))
    picture = mix(picture, hexed("#e2d2ab"), fill((petals - 0.112) * scale))
    leaf = np.min(
        [
            np.hypot((u * cs + v * sn) / 1.9 - 0.062, -u * sn + v * cs)
            for cs, sn in ((1, 0), (-1, 0), (0, 1), (0, -1))
        ],
        axis=0,
    )
    picture = mix(picture, hexed("#2d7468"), fill((leaf - 0.049 + wobble) * scale))
    picture = mix(picture, hexed("#c98a2b"), fill((centre - 0.042) * scale))
    picture = mix(picture, hexed("#1f2a44"), fill((centre - 0.021) * scale))
    for sx, sy in ((1, 1), (1, -1), (-1, 1), (-1, -1)):
        bud = np.hypot(u - sx * 0.205, v - sy * 0.205) + wobble
        picture = mix(picture, hexed("#8f2b22"), fill((bud - 0.024) * scale))

    corner = np.hypot(np.abs(u) - 0.5, np.abs(v) - 0.5) + wobble
    for radius, tint in (
        (0.262, "#1f2a44"),
        (0.222, "#c98a2b"),
        (0.198, "#1f2a44"),
        (0.128, "#d9c7a0"),
        (0.108, "#1f2a44"),
        (0.052, "#e2d2ab"),
    ):
        picture = mix(picture, hexed(tint), fill((corner - radius) * scale))

    edge = (0.5 - np.maximum(np.abs(u), np.abs(v))) * scale
    chip = canvas.noise(26, 3, 3) * np.float32(2.2)
    age = canvas.noise(tile * 0.7, 5, 5, fall=0.62)
    rim = np.exp(-edge / (0.05 * scale))
    clay = step(2.05 - worn, 0.35, age + rim * np.float32(0.9) + tone[r, c] * np.float32(0.12))
    body = toned(plain(canvas, hexed("#a5694a")), 1 + canvas.noise(9, 3, 6) * np.float32(0.07))
    picture = mix(picture, body, clay * np.float32(0.86))
    fine = canvas.noise(5, 2, 8) * np.float32(0.022) + canvas.noise(60, 3, 9) * np.float32(0.02)
    picture = toned(picture, 1 + fine)

    groove = step(0.016 * tile, 3.0, edge + chip)
    height = groove * 3 - clay * np.float32(0.8) + canvas.noise(7, 3, 10) * np.float32(0.12)
    mortar = toned(plain(canvas, hexed("#6f675a")), 1 + canvas.noise(6, 3, 12) * np.float32(0.09))
    moss = step(0.35, 0.8, canvas.noise(120, 4, 13))
    mortar = mix(mortar, hexed("#4c5a34"), moss * np.float32(0.8))
    creep = step(0.9, 0.7, canvas.noise(90, 5, 14, fall=0.6) + rim * np.float32(1.1))
    picture = mix(picture, hexed("#55613a"), creep * moss * np.float32(0.5))
    picture = mix(mortar, picture, groove)
    return toned(picture, relief_light(height, 0.55, wraps=canvas.wraps))


def floor() -> Bytes:
    """Encaustic floor under a lamp that stands off to one side."""
    canvas = Canvas(1423, 1291, 41)
    light = uneven(canvas, 0.3, 0.2, 0.28) * np.float32(1.25)
    return photographed(floor_pattern(canvas, 361, 0.62), light, 0.008, 41)


def copper_pattern(canvas: Canvas, bay: float, patina: float) -> Floats:
    """Draw sheet copper with standing seams, rivets, verdigris and runs.

    Parameters
    ----------
    canvas : Canvas
    bay : float
        Pixels between seams.
    patina : float
        How much is verdigris, 0..1.
    """
    x, y = canvas.x, canvas.y
    bend = canvas.noise(420, 2, 1, stretch=3) * np.float32(1.5)
    across = (x + bend) / np.float32(bay)
    seam_at = (across - np.floor(across) - np.float32(0.5)) * np.float32(bay)
    from_seam = np.abs(seam_at)

    grey = canvas.noise(240, 5, 2, fall=0.6)
    bare = plain(canvas, hexed("#7a4a33"))
    bare = mix(bare, hexed("#5a3527"), step(0.4, 1.6, canvas.noise(110, 4, 3)))
    bare = mix(bare, hexed("#9a6446"), step(0.9, 1.0, canvas.noise(40, 3, 4, stretch=2.5)))
    green = plain(canvas, hexed("#4f9181"))
    green = mix(green, hexed("#6fae98"), step(0.2, 1.8, canvas.noise(90, 5, 5)))
    green = mix(green, hexed("#2f6f66"), step(0.5, 1.5, canvas.noise(190, 4, 6, stretch=1.6)))
    green = mix(green, hexed("#a5cdb4"), step(1.5, 0.8, canvas.noise(18, 3, 7)) * np.float32(0.7))

    runs = canvas.noise(17, 3, 8, stretch=20)
    runs += canvas.noise(46, 2, 9, stretch=12) * np.float32(0.8)
    near = np.exp(-from_seam / 34)
    cover = step(0.35 - patina, 0.55, grey * np.float32(0.8) + runs * np.float32(0.24) + near * 0.4)
    picture = mix(bare, green, cover)
    pale = step(1.15, 0.9, runs + near * np.float32(0.9))
    picture = mix(picture, hexed("#b4d3bd"), pale * np.float32(0.5) * cover)
    dark = step(1.25, 0.8, canvas.noise(9, 2, 10, stretch=40) + near * np.float32(0.7))
    picture = mix(picture, hexed("#23453f"), dark * np.float32(0.2))

    crest = fill(from_seam - np.float32(13), 4)
    height = np.sqrt(np.clip(1 - (from_seam / 17) ** 2, 0, 1)) * np.float32(17)
    height += canvas.noise(180, 3, 11) * np.float32(1.3) + canvas.noise(6, 3, 12) * np.float32(0.14)
    gap = np.float32(bay * 0.42)
    along = (y / gap - np.floor(y / gap) - np.float32(0.5)) * gap
    for side in (-1, 1):
        rivet = np.hypot(seam_at - side * np.float32(30), along)
        head = np.sqrt(np.clip(1 - (rivet / 8.5) ** 2, 0, 1))
        height += head * np.float32(5)
        below = np.clip(along / (gap * np.float32(0.5)), 0, 1)
        streak = np.exp(-np.abs(seam_at - side * 30 + runs * 1.6) / 4.5) * (1 - below)
        streak = streak * (along > 0)
        picture = mix(picture, hexed("#8fc2ab"), (streak * np.float32(0.65)).astype(np.float32))
        picture = mix(picture, hexed("#33574f"), np.clip(fill(rivet - 10) - head, 0, 1) * 0.7)
        picture = mix(picture, hexed("#8a5a40"), head * np.float32(0.35))
    picture = mix(
        picture, hexed("#a3684a"), crest * step(-0.4, 1.6, canvas.noise(60, 4, 14)) * 0.75
    )
    shade = relief_light(height.astype(np.float32), 0.34, wraps=canvas.wraps)
    return toned(picture, shade * (1 - np.float32(0.25) * np.exp(-np.abs(from_seam - 21) / 6)))


def copper() -> Bytes:
    """Verdigris copper, lit from the right, in shade at the foot."""
    canvas = Canvas(1203, 1377, 52)
    light = uneven(canvas, 0.85, 0.25, 0.3) * np.float32(1.3)
    return photographed(copper_pattern(canvas, 268, 0.12), light, 0.007, 52)


def lattice_pattern(canvas: Canvas, cell: float, rust: float) -> tuple[Floats, Floats]:
    """Draw a cast-iron lattice; returns colour and coverage.

    Parameters
    ----------
    canvas : Canvas
    cell : float
        Pixels of one square of the lattice.
    rust : float
        How far paint has given way to rust, 0..1.
    """
    x, y = canvas.x / np.float32(cell), canvas.y / np.float32(cell)
    u, v = np.broadcast_arrays(x - np.floor(x) - 0.5, y - np.floor(y) - 0.5)
    u, v = u.astype(np.float32), v.astype(np.float32)
    scale = np.float32(cell)
    knot = np.hypot(np.abs(u) - 0.5, np.abs(v) - 0.5)
    middle = np.hypot(u, v)
    diagonal = np.minimum(np.abs(u - v), np.abs(u + v)) * np.float32(0.7071)
    bars = diagonal - np.float32(0.052)
    ring = np.abs(middle - np.float32(0.27)) - np.float32(0.036)
    boss = middle - np.float32(0.115)
    scroll = np.abs(knot - np.float32(0.19)) - np.float32(0.03)
    stud = knot - np.float32(0.085)
    tip = np.min(
        [np.hypot(u - dx, v - dy) for dx, dy in ((0, 0.5), (0, -0.5), (0.5, 0), (-0.5, 0))], axis=0
    ) - np.float32(0.062)
    frame = np.float32(0.03) - (0.5 - np.maximum(np.abs(u), np.abs(v)))
    shape = np.min([bars, ring, boss, scroll, stud, tip, -frame], axis=0) * scale
    shape = shape + canvas.noise(14, 2, 1) * np.float32(0.35)
    cover = fill(shape, 1.6)

    def dome(distance: Floats, reach: float, tall: float) -> Floats:
        inside = np.clip(-distance / reach, 0, 1)
        tops: Floats = (np.sqrt(1 - (1 - inside) ** 2) * tall).astype(np.float32)
        return tops

    height = np.max(
        [
            dome(bars, 0.052, 10),
            dome(ring, 0.036, 12),
            dome(boss, 0.115, 17),
            dome(scroll, 0.03, 9),
            dome(stud, 0.085, 15),
            dome(tip, 0.062, 11),
        ],
        axis=0,
    )
    height -= dome(middle - np.float32(0.05), 0.05, 7)
    petal = np.cos(8 * np.arctan2(v, u)) * np.float32(2.2)
    height += petal * fill((middle - 0.1) * scale, 6) * fill((0.055 - middle) * scale, 6)
    height += canvas.noise(5, 3, 2) * np.float32(0.22)

    paint = plain(canvas, hexed("#3d4a4d"))
    paint = mix(paint, hexed("#2c3639"), step(0.2, 1.6, canvas.noise(120, 4, 3)))
    wear = canvas.noise(70, 5, 4, fall=0.62) + canvas.noise(9, 3, 5) * np.float32(0.35)
    edge = np.exp(shape / np.float32(6)) * np.float32(0.7)
    chip = step(1.35 - rust, 0.4, wear + edge)
    iron = mix(
        plain(canvas, hexed("#7b4527")), hexed("#4d2c1e"), step(0, 1.4, canvas.noise(24, 4, 6))
    )
    iron = mix(iron, hexed("#b0703a"), step(1.2, 0.8, canvas.noise(12, 3, 7)))
    picture = mix(paint, iron, chip)
    drip = step(1.2, 0.8, canvas.noise(10, 2, 8, stretch=18))
    picture = mix(picture, hexed("#80502f"), drip * np.float32(0.4))
    shade = relief_light(height.astype(np.float32), 0.42, wraps=canvas.wraps)
    lit = toned(picture, shade * (np.float32(0.82) + height.astype(np.float32) * np.float32(0.016)))
    return lit, cover


def lattice() -> Bytes:
    """Cast-iron lattice, cut out; what is not iron is open."""
    canvas = Canvas(1117, 1093, 63)
    picture, cover = lattice_pattern(canvas, 236, 0.42)
    light = uneven(canvas, 0.6, 0.1, 0.45) * np.float32(1.3)
    seen = photographed(picture, light, 0.006, 63)
    alpha = np.round(cover * 255).astype(np.uint8)
    return np.dstack([seen, alpha])


def plaster_pattern(canvas: Canvas, stain: float) -> Floats:
    """Draw limewashed plaster: trowel marks, brush haze, hairline cracks, damp.

    Parameters
    ----------
    canvas : Canvas
    stain : float
        How much damp shows, 0..1.
    """
    height = canvas.noise(260, 3, 1) * np.float32(2.4)
    tone = canvas.noise(330, 4, 2) * np.float32(0.03)
    rng = np.random.default_rng((canvas.seed, 3))
    x, y = np.broadcast_arrays(canvas.x, canvas.y)
    for _ in range(46):
        cx, cy = rng.random() * canvas.width, rng.random() * canvas.height
        radius = rng.uniform(170, 420)
        start, sweep = rng.uniform(0, 6.283), rng.uniform(0.5, 1.1)
        wide = rng.uniform(34, 78)
        left, right = max(0, int(cx - radius - wide)), min(canvas.width, int(cx + radius + wide))
        top, foot = max(0, int(cy - radius - wide)), min(canvas.height, int(cy + radius + wide))
        if right - left < 8 or foot - top < 8:
            continue
        part = (slice(top, foot), slice(left, right))
        dx, dy = x[part] - np.float32(cx), y[part] - np.float32(cy)
        away = (np.hypot(dx, dy) - np.float32(radius)) / np.float32(wide)
        angle = np.mod(np.arctan2(dy, dx) - start, 6.283).astype(np.float32)
        inside = step(0, 0.24, np.minimum(angle, sweep - angle)) * step(0, 0.12, 1 - np.abs(away))
        hollow = (away * away - 1) * np.float32(2.6) * inside
        lip = np.exp(-(((away - 1) / 0.07) ** 2)) + np.exp(-(((away + 1) / 0.07) ** 2))
        height[part] += hollow + lip * np.float32(1.7) * step(
            0, 0.3, np.minimum(angle, sweep - angle)
        )
        scratch = np.sin(away * rng.uniform(26, 44) + rng.random() * 6) * np.float32(0.24)
        height[part] += scratch * inside
        tone[part] += np.float32(rng.normal(0, 0.016)) * inside
    height += canvas.noise(7, 3, 4) * np.float32(0.17)
    picture = plain(canvas, hexed("#cfc5b0"))
    picture = mix(picture, hexed("#ded7c6"), step(0.1, 1.8, canvas.noise(210, 5, 5, fall=0.6)))
    haze = canvas.noise(7, 3, 6, stretch=0.14) * np.float32(0.5)
    picture = mix(picture, hexed("#e9e4d6"), step(0.75, 1.4, haze + canvas.noise(90, 3, 7)))
    under = step(2.15 - stain, 0.3, canvas.noise(200, 6, 8, fall=0.66))
    clay = toned(plain(canvas, hexed("#b08a68")), 1 + canvas.noise(6, 3, 9) * np.float32(0.08))
    picture = mix(picture, clay, under * np.float32(0.9))
    height -= under * np.float32(2.2)
    damp = step(1.0, 1.4, canvas.noise(300, 4, 10, stretch=1.8))
    picture = mix(picture, hexed("#a79f83"), damp * np.float32(0.5 * stain))
    first, second, _ = cells(canvas, 16, 11)
    gap = second - first + canvas.noise(60, 4, 12) * np.float32(3.2)
    crack = np.exp(-np.abs(gap) / 1.5) * step(0.35, 0.5, canvas.noise(240, 2, 13))
    picture = mix(picture, hexed("#6e6452"), (crack * np.float32(0.85)).astype(np.float32))
    height -= crack * np.float32(2.4)
    picture = toned(picture, 1 + tone + canvas.noise(4, 2, 14) * np.float32(0.012))
    return toned(picture, relief_light(height.astype(np.float32), 0.5, 150, wraps=canvas.wraps))


def plaster() -> Bytes:
    """Limewash plaster in raking window light."""
    canvas = Canvas(1733, 1319, 74)
    light = uneven(canvas, 0.05, 0.35, 0.25) * np.float32(1.12)
    return photographed(plaster_pattern(canvas, 0.35), light, 0.006, 74)


def glass_pattern(canvas: Canvas, block: float, depth: float) -> Floats:
    """Draw bottle-glass blocks set in mortar.

    Parameters
    ----------
    canvas : Canvas
    block : float
        Pixels of one block with its joint.
    depth : float
        How dark the glass is, 0..1.
    """
    x, y = canvas.x / np.float32(block), canvas.y / np.float32(block)
    column, row = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
    u, v = np.broadcast_arrays(x - column - np.float32(0.5), y - row - np.float32(0.5))
    rng = np.random.default_rng((canvas.seed, 5))
    tone = rng.normal(0, 1, (64, 64)).astype(np.float32)[row % 64, column % 64]
    corner = np.hypot(np.maximum(np.abs(u) - 0.34, 0), np.maximum(np.abs(v) - 0.34, 0))
    rim = (corner - np.float32(0.115)) * np.float32(block)
    glass = fill(rim, 2.5)
    wobble = canvas.noise(90, 3, 1) * np.float32(0.02)
    away = np.maximum(np.abs(u), np.abs(v)) + wobble
    ripple = np.cos(np.hypot(u, v) * np.float32(62) + tone * 3 + wobble * 40)
    swirl = canvas.noise(60, 3, 2, stretch=2.2)
    deep = mix(plain(canvas, hexed("#3f8f63")), hexed("#123f2c"), np.clip(away * 1.9 * depth, 0, 1))
    deep = mix(deep, hexed("#9fd8a6"), step(0.75, 1.0, ripple + swirl * np.float32(0.3)) * 0.32)
    glow = np.exp(-((u + 0.12) ** 2 + (v + 0.14) ** 2) / 0.018)
    deep = mix(deep, hexed("#c9f0c4"), (glow * np.float32(0.5)).astype(np.float32))
    deep = toned(deep, 1 + tone * np.float32(0.08) + swirl * np.float32(0.04))
    first, _, _ = cells(canvas, 620, 6)
    bubble = np.exp(-(((first - 4.2) / 1.1) ** 2)) * np.float32(0.5)
    deep = mix(deep, hexed("#d9f5d6"), bubble.astype(np.float32))
    bevel = np.exp(-(((rim + 7) / 4.5) ** 2))
    facing = np.float32(0.5) - (u + v) * np.float32(0.9)
    edge = mix(plain(canvas, hexed("#0f3526")), hexed("#d4f2cf"), np.clip(facing, 0, 1))
    deep = mix(deep, edge, (bevel * np.float32(0.75)).astype(np.float32))
    mortar = plain(canvas, hexed("#a39c8c"))
    mortar = mix(mortar, hexed("#7d776a"), step(0.3, 1.5, canvas.noise(14, 4, 7)))
    mortar = mix(mortar, hexed("#5f6a4b"), step(0.8, 1.0, canvas.noise(150, 4, 8)) * 0.7)
    sink = np.clip(1 - np.exp(-rim / 5), 0, 1).astype(np.float32)
    mortar = toned(mortar, np.float32(0.62) + sink * np.float32(0.38))
    return mix(mortar, deep, glass)


def glass() -> Bytes:
    """Bottle-glass blocks, brighter where the day is behind them."""
    canvas = Canvas(1290, 1130, 85)
    light = uneven(canvas, 0.7, 0.75, 0.35) * np.float32(1.2)
    return photographed(glass_pattern(canvas, 316, 0.9), light, 0.006, 85)


def peat_pattern(canvas: Canvas, moss: float) -> Floats:
    """Draw a bed of peat with moss creeping over it.

    Parameters
    ----------
    canvas : Canvas
    moss : float
        How much is moss, 0..1.
    """
    first, second, owner = cells(canvas, 2600, 1)
    rng = np.random.default_rng((canvas.seed, 2))
    tone = rng.normal(0, 1, 2600).astype(np.float32)[owner]
    crumb = np.clip((second - first) / 9, 0, 1).astype(np.float32)
    fibre = canvas.noise(5, 3, 3, stretch=0.16) + canvas.noise(5, 3, 4, stretch=7)
    height = (
        crumb * 3 + canvas.noise(120, 4, 5) * 2 + fibre * np.float32(0.4) + tone * np.float32(0.5)
    )
    earth = mix(plain(canvas, hexed("#43301f")), hexed("#271b12"), step(0, 2, tone))
    earth = mix(earth, hexed("#6d5136"), step(1.15, 0.9, fibre) * np.float32(0.75))
    earth = toned(earth, np.float32(0.55) + crumb * np.float32(0.5))
    spread = canvas.noise(250, 5, 6, fall=0.58) + canvas.noise(16, 3, 7) * np.float32(0.28)
    cover = step(0.55 - moss, 0.5, spread)
    tuft, tuft2, whose = cells(canvas, 9000, 8)
    shade = rng.normal(0, 1, 9000).astype(np.float32)[whose]
    star = np.clip(1 - tuft / 9, 0, 1)
    leaf = mix(plain(canvas, hexed("#4a5c28")), hexed("#768a3c"), step(0.2, 1.8, shade))
    leaf = mix(leaf, hexed("#7d7433"), step(0.9, 1.0, canvas.noise(130, 4, 9)) * np.float32(0.7))
    leaf = mix(leaf, hexed("#27371a"), step(0.6, 0.7, 1 - np.clip((tuft2 - tuft) / 5, 0, 1)))
    leaf = mix(leaf, hexed("#a9b464"), step(0.72, 0.3, star) * np.float32(0.5))
    picture = mix(earth, leaf, cover)
    height = height + cover * (star * np.float32(4) + np.clip(spread, 0, 2) * np.float32(5))
    return toned(picture, relief_light(height.astype(np.float32), 0.3, wraps=canvas.wraps))


def peat() -> Bytes:
    """Peat and moss under an overcast roof light."""
    canvas = Canvas(1437, 1011, 96)
    light = uneven(canvas, 0.45, 0.9, 0.4) * np.float32(1.45)
    return photographed(peat_pattern(canvas, 0.45), light, 0.007, 96)


SOURCES: dict[str, RawSource] = {
    "floor_encaustic": RawSource("IMG_floor_hall_03.tif", floor),
    "rib_copper": RawSource("copper_roof_scan.tga", copper),
    "lattice_iron": RawSource("lattice painted v2.png", lattice),
    "wall_limewash": RawSource("DSC_0417 east wall.jpg", plaster),
    "glass_bottle": RawSource("glass_blocks.png", glass),
    "bed_peat": RawSource("peat-moss.jpg", peat),
}
"""Raw pictures by the name of the surface they are for."""
