"""Matters of which trials are made: sound rings and raw pictures of the same, by seed.

All that varies, grain, tint, contrast and the count of bricks, is drawn from the seed, so that
another seed is another matter of the same kind.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats
from stonestack.demo.paint import Canvas, mix, plain, relief_light, step, toned

Matter = Callable[[Canvas], Floats]
"""Draws on a canvas; returns stored values, float32, shape (3, height, width)."""


def drawn(name: str, canvas: Canvas) -> Floats:
    """Return a matter as stored values 0..1, float32, shape (height, width, 3)."""
    planes = MATTERS[name](canvas)
    return np.ascontiguousarray(np.clip(planes, 0, 1).transpose(1, 2, 0))


def _tint(canvas: Canvas, salt: int, least: float = 0.25, most: float = 0.65) -> Floats:
    """Return an earthy colour of the canvas's own."""
    rng = np.random.default_rng((canvas.seed, 5000 + salt))
    light = rng.uniform(least, most)
    warm = rng.uniform(-0.05, 0.1)
    return np.array([light + warm, light, light - warm * 0.8], np.float32)


def _drawn_from(canvas: Canvas, salt: int, least: float, most: float) -> float:
    return float(np.random.default_rng((canvas.seed, 6000 + salt)).uniform(least, most))


def _ground(canvas: Canvas, salt: int) -> Floats:
    r, g, b = (float(v) for v in _tint(canvas, salt))
    return plain(canvas, (r, g, b))


def _side(canvas: Canvas) -> float:
    return float(np.sqrt(canvas.width * canvas.height))


def _cells(canvas: Canvas, count: int) -> tuple[Floats, Floats, NDArray[np.int64]]:
    """Return distances to the nearest and second nearest of scattered points, and whose.

    Exact at every pixel, over the edges too, where the canvas wraps.
    """
    from scipy.spatial import KDTree

    rng = np.random.default_rng((canvas.seed, 57))
    box = (canvas.width, canvas.height)
    points = rng.random((count, 2)) * box
    tree = KDTree(points, boxsize=np.array(box)) if canvas.wraps else KDTree(points)
    grid = np.stack(np.broadcast_arrays(canvas.x, canvas.y), axis=-1).reshape(-1, 2)
    distance, index = tree.query(grid, k=2)
    near = np.asarray(distance, np.float32).reshape(canvas.height, canvas.width, 2)
    owner = np.asarray(index, np.int64)[:, 0].reshape(canvas.height, canvas.width)
    return near[..., 0], near[..., 1], owner


def grit(canvas: Canvas) -> Floats:
    """Grains of three sizes, each with a tint of its own."""
    unit = _side(canvas) / 320 * _drawn_from(canvas, 1, 0.7, 1.6)
    body = _ground(canvas, 1)
    for n, (cell, share) in enumerate(((3, 0.05), (7, 0.06), (20, 0.04))):
        body = body + canvas.noise(max(1.5, cell * unit), 1, n) * np.float32(share)
        body[n] += canvas.noise(max(1.5, cell * unit), 1, 10 + n) * np.float32(0.015)
    return body


def sand(canvas: Canvas) -> Floats:
    """Fine grains of low contrast, and faint drifts."""
    body = _ground(canvas, 2)
    contrast = _drawn_from(canvas, 2, 0.03, 0.07)
    rng = np.random.default_rng((canvas.seed, 77))
    grain = rng.standard_normal((canvas.height, canvas.width), dtype=np.float32)
    return toned(
        body, 1 + grain * np.float32(contrast) + canvas.noise(_side(canvas) / 20, 3, 3) * 0.02
    )


def plaster(canvas: Canvas) -> Floats:
    """Smooth trowelled ground with faint clouds and fine tooth."""
    unit = _side(canvas)
    clouds = canvas.noise(unit / 6, 4, 1) * np.float32(0.02)
    tooth = relief_light(canvas.noise(6, 3, 2), _drawn_from(canvas, 3, 0.1, 0.3), 225, canvas.wraps)
    return toned(_ground(canvas, 3) + clouds, 0.9 + 0.1 * tooth + canvas.noise(2, 1, 4) * 0.008)


def rust(canvas: Canvas) -> Floats:
    """Patches of rust in paint: strong variation at every size."""
    unit = _side(canvas)
    where = canvas.noise(unit / _drawn_from(canvas, 4, 5, 9), 5, 1, fall=0.6)
    body = mix(_ground(canvas, 4), _tint(canvas, 41, 0.15, 0.35), step(0.2, 0.6, where))
    return toned(body, 1 + canvas.noise(8, 3, 2) * 0.08)


def gravel(canvas: Canvas) -> Floats:
    """Pebbles lit from one side, each of its own tone."""
    count = round(_drawn_from(canvas, 5, 350, 900))
    first, second, owner = _cells(canvas, count)
    rng = np.random.default_rng((canvas.seed, 55))
    own = rng.uniform(0.7, 1.25, count).astype(np.float32)[owner]
    size = _side(canvas) / np.sqrt(count)
    dome = np.sqrt(np.clip((second - first) / size, 0, 1)).astype(np.float32)
    light = relief_light(dome * np.float32(size * 0.4), 0.8, 225, canvas.wraps)
    return toned(
        _ground(canvas, 5), own * (0.35 + 0.65 * dome) * light + canvas.noise(3, 1, 6) * 0.03
    )


def cobbles(canvas: Canvas) -> Floats:
    """Few large stones with mortar between."""
    count = round(_drawn_from(canvas, 6, 40, 90))
    first, second, owner = _cells(canvas, count)
    rng = np.random.default_rng((canvas.seed, 56))
    own = rng.uniform(0.8, 1.2, count).astype(np.float32)[owner]
    size = _side(canvas) / np.sqrt(count)
    stone = step(0.08, 0.08, (second - first) / size)
    body = toned(_ground(canvas, 6), own * (1 + canvas.noise(size / 3, 4, 2) * 0.1))
    mortar = toned(_ground(canvas, 61), 0.8 + canvas.noise(4, 2, 3) * 0.06)
    return mix(mortar, body, stone)


def grass(canvas: Canvas) -> Floats:
    """Upright blades: grain much longer one way."""
    blades = canvas.noise(4, 2, 1, stretch=6) + 0.7 * canvas.noise(9, 2, 2, stretch=4)
    body = plain(canvas, (0.2, 0.32, 0.12))
    return toned(body, 1 + blades * 0.28 + canvas.noise(_side(canvas) / 10, 2, 3) * 0.06)


def wood(canvas: Canvas) -> Floats:
    """Grain that runs across, without joints."""
    turned = Canvas(canvas.height, canvas.width, canvas.seed, canvas.wraps)
    long = turned.noise(turned.width / 20, 4, 1, stretch=14).T
    pores = turned.noise(3, 1, 2, stretch=12).T
    return toned(_ground(canvas, 7), 1 + long * 0.12 + pores * 0.06)


def granite(canvas: Canvas) -> Floats:
    """Speckles of three minerals."""
    unit = _side(canvas) / 320
    body = _ground(canvas, 8)
    for n, tint in enumerate(((0.75, 0.7, 0.68), (0.18, 0.18, 0.2), (0.55, 0.4, 0.35))):
        where = canvas.noise(max(3, 7 * unit), 2, n)
        body = mix(body, tint, step(1.0, 0.3, where) * np.float32(0.8))
    return toned(body, 1 + canvas.noise(2, 1, 9) * 0.04)


def bark(canvas: Canvas) -> Floats:
    """Ridges that run down, deep and uneven."""
    ridges: Floats = np.abs(canvas.noise(_side(canvas) / 14, 4, 1, stretch=3))
    light = relief_light(ridges * np.float32(_side(canvas) / 40), 0.5, 200, canvas.wraps)
    depth = np.float32(0.5) + np.float32(0.4) * np.minimum(ridges, np.float32(1.5))
    return toned(_ground(canvas, 9), depth * light)


def _courses(
    canvas: Canvas, across: float, down: float, shift: float, joint: float, spread: float
) -> Floats:
    """Lay bricks: ``across`` and ``down`` of them over the sides, courses shifted in turn."""
    wide, high = canvas.width / across, canvas.height / down
    y, x = np.broadcast_arrays(canvas.y, canvas.x)
    course = np.floor(y / high).astype(int)
    moved = x + (course % 2) * np.float32(wide * shift)
    column = np.floor(moved / wide).astype(int)
    rows, columns = (round(down), round(across)) if canvas.wraps else (97, 89)
    tone = np.random.default_rng((canvas.seed, 91)).uniform(-1, 1, (rows, columns))
    own = (tone[course % rows, column % columns] * spread).astype(np.float32)
    edge = np.minimum(
        np.minimum(moved % wide, wide - moved % wide), np.minimum(y % high, high - y % high)
    )
    soft = max(1.0, joint * 0.6)
    inside = step(joint, soft, edge + canvas.noise(5, 2, 8) * np.float32(joint * 0.15))
    rough = canvas.noise(max(3, high / 5), 3, 2)
    body = toned(_ground(canvas, 10), 1 + own + rough * np.float32(0.07))
    mortar = toned(plain(canvas, (0.62, 0.6, 0.56)), 1 + canvas.noise(3, 2, 3) * 0.05)
    return mix(mortar, body, inside)


def _raw(canvas: Canvas, count: float) -> float:
    """Return a count of bricks that a raw picture would have: no whole one."""
    return count if canvas.wraps else count + 0.37


def wall(canvas: Canvas) -> Floats:
    """Bricks in half bond."""
    across, down = round(_drawn_from(canvas, 11, 3, 7)), 2 * round(_drawn_from(canvas, 12, 3, 6))
    joint = _side(canvas) / 320 * _drawn_from(canvas, 13, 1.5, 3)
    return _courses(canvas, _raw(canvas, across), _raw(canvas, down), 0.5, joint, 0.15)


def tiles(canvas: Canvas) -> Floats:
    """Square tiles with grout, in no bond."""
    across = round(_drawn_from(canvas, 14, 3, 9))
    joint = _side(canvas) / 320 * _drawn_from(canvas, 15, 1, 2.5)
    return _courses(canvas, _raw(canvas, across), _raw(canvas, across), 0, joint, 0.08)


def planks(canvas: Canvas) -> Floats:
    """Boards of uneven width that run down, with butt joints here and there."""
    rng = np.random.default_rng((canvas.seed, 92))
    count = int(rng.integers(5, 10))
    # Of a ring: a board that begins before its start ends it.
    edges = np.sort((np.arange(count) + rng.uniform(-0.25, 0.25, count)) / count % 1)
    x = np.broadcast_to(canvas.x / canvas.width, (canvas.height, canvas.width))
    board = np.searchsorted(edges, x) % count
    away = np.min([np.abs((x - e + 0.5) % 1 - 0.5) for e in edges], axis=0) * np.float32(
        canvas.width
    )
    butt = rng.uniform(0, 1, count)[board] * canvas.height
    y = np.broadcast_to(canvas.y, x.shape)
    high = np.abs((y - butt + canvas.height / 2) % canvas.height - canvas.height / 2)
    gap = np.minimum(away, high).astype(np.float32)
    tone = rng.uniform(0.8, 1.2, count).astype(np.float32)[board]
    grain = canvas.noise(canvas.width / 30, 4, 1, stretch=10)
    wood_ = toned(_ground(canvas, 12), tone * (1 + grain * 0.1))
    unit = _side(canvas) / 320
    return toned(wood_, 0.3 + 0.7 * step(1.5 * unit, 1.5 * unit, gap))


def hexagons(canvas: Canvas) -> Floats:
    """Hexagonal tiles: two interleaved grids of points, nearest wins."""
    across = round(_drawn_from(canvas, 16, 4, 8))
    down = max(2, round(across * canvas.height / canvas.width / np.sqrt(3)))
    a, d = _raw(canvas, across), _raw(canvas, down)
    wide, high = canvas.width / a, canvas.height / d
    y, x = np.broadcast_arrays(canvas.y, canvas.x)
    grids = []
    for n, (ox, oy) in enumerate(((0.0, 0.0), (0.5, 0.5))):
        u, v = x / wide - ox, y / high - oy
        i, j = np.rint(u).astype(int), np.rint(v).astype(int)
        grids.append((np.hypot((u - i) * wide, (v - j) * high), i, j, n))
    first = np.minimum(grids[0][0], grids[1][0])
    second = np.maximum(grids[0][0], grids[1][0])
    mine = grids[0][0] <= grids[1][0]
    rows, columns = (down, across) if canvas.wraps else (97, 89)
    rng = np.random.default_rng((canvas.seed, 93))
    tone = rng.uniform(0.88, 1.12, (2, rows, columns)).astype(np.float32)
    own = np.where(
        mine,
        tone[0, grids[0][2] % rows, grids[0][1] % columns],
        tone[1, grids[1][2] % rows, grids[1][1] % columns],
    )
    unit = _side(canvas) / 320
    # Neighbours in one row are told by their own column's middle line.
    u = np.where(mine, grids[0][1], grids[1][1] + 0.5)
    rim = wide / 2 - np.abs(x - u * wide)
    gap = np.minimum((second - first) * 0.6, rim).astype(np.float32)
    body = toned(_ground(canvas, 13), own * (1 + canvas.noise(6, 3, 2) * 0.05))
    return toned(body, 0.45 + 0.55 * step(1.5 * unit, 1.5 * unit, gap))


def weave(canvas: Canvas) -> Floats:
    """Cloth: threads over and under, uneven in tone."""
    threads = 2 * round(_drawn_from(canvas, 17, 6, 14))
    count = _raw(canvas, threads)
    x = np.broadcast_to(
        canvas.x * np.float32(np.pi * count / canvas.width), (canvas.height, canvas.width)
    )
    y = np.broadcast_to(canvas.y * np.float32(np.pi * count / canvas.height), x.shape)
    over = np.sin(x) * np.sin(y)
    thread = np.where(over > 0, np.abs(np.sin(x)), np.abs(np.sin(y))).astype(np.float32)
    long = canvas.noise(5, 2, 1, stretch=8) * 0.05 + canvas.noise(4, 2, 2) * 0.04
    return toned(_ground(canvas, 14), 0.6 + 0.5 * thread + long)


MATTERS: dict[str, Matter] = {
    "grit": grit,
    "sand": sand,
    "plaster": plaster,
    "rust": rust,
    "gravel": gravel,
    "cobbles": cobbles,
    "grass": grass,
    "wood": wood,
    "granite": granite,
    "bark": bark,
    "wall": wall,
    "tiles": tiles,
    "planks": planks,
    "hexagons": hexagons,
    "weave": weave,
}
STRUCTURED = frozenset({"wall", "tiles", "hexagons", "weave"})
"""Those that recur on a lattice."""
