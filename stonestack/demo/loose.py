"""Raw pictures of the demo that no surface uses yet: one for each thing that goes wrong.

Uneven light, a structure seen at an angle, plain grit, one spot that would repeat; and a set
of maps that belong together, with one missing.
"""

from __future__ import annotations

import io

import numpy as np
from PIL import Image

from stonestack.core.files.codecs import pictures
from stonestack.core.picture.image import Bytes
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


def shingle() -> bytes:
    """Shingle of the tide line: no structure, even light; a PNG."""
    canvas = Canvas(1180, 940, 71)
    first, second, owner = cells(canvas, 1500, 3)
    rng = np.random.default_rng(71)
    tone = rng.normal(1, 0.16, 1500).astype(np.float32)[owner]
    warm = rng.random(1500).astype(np.float32)[owner]
    height = step(2, 9, second - first) * 5 + canvas.noise(14, 3, 1) * np.float32(0.5)
    picture = mix(plain(canvas, hexed("#8d8a80")), hexed("#a08468"), step(0.72, 0.2, warm))
    picture = toned(picture, tone * (1 + canvas.noise(6, 3, 2) * np.float32(0.05)))
    gap = fill(second - first - np.float32(4.5), 3)
    picture = mix(picture, hexed("#3c3a34"), gap * np.float32(0.9))
    picture = toned(picture, relief_light(height.astype(np.float32), 0.5))
    return _png(photographed(picture, np.ones_like(tone), 0.008, 71))


def setts() -> bytes:
    """Granite setts of the slipway, photographed at an angle under a lamp; a JPEG on its side."""
    import cv2

    canvas = Canvas(1400, 1400, 72)
    wide, high = 140.0, 100.0
    course = np.floor(canvas.y / np.float32(high)).astype(np.int64)
    x = canvas.x + (course % 2) * np.float32(wide / 2)
    column = np.floor(x / np.float32(wide)).astype(np.int64)
    rng = np.random.default_rng(72)
    tone = rng.normal(1, 0.07, (64, 64)).astype(np.float32)[course % 64, column % 64]
    u, v = x - column * wide, canvas.y - course * high
    edge = np.minimum(np.minimum(u, wide - u), np.minimum(v, high - v)).astype(np.float32)
    worn = edge + canvas.noise(40, 3, 1) * np.float32(2.5)
    stone = step(7, 5, worn)
    picture = toned(plain(canvas, hexed("#84878a")), tone * (1 + canvas.noise(7, 3, 2) * 0.06))
    picture = mix(
        mix(
            plain(canvas, hexed("#4a4438")),
            hexed("#55603c"),
            step(0.2, 0.8, canvas.noise(80, 3, 3)),
        ),
        picture,
        stone,
    )
    height = stone * 5 + canvas.noise(12, 3, 4) * np.float32(0.4)
    picture = toned(picture, relief_light(height.astype(np.float32), 0.5))
    flat = photographed(picture, uneven(canvas, 0.25, 0.3, 0.35) * np.float32(1.2), 0.006, 72)
    square = np.array([(0, 0), (1400, 0), (1400, 1400), (0, 1400)], np.float32)
    seen_at = np.array([(190, 60), (1190, 20), (1370, 1010), (30, 1040)], np.float32)
    camera = cv2.getPerspectiveTransform(square, seen_at)
    seen = cv2.warpPerspective(
        flat, camera, (1400, 1060), flags=cv2.INTER_AREA, borderValue=(52, 58, 60)
    )
    exif = Image.Exif()
    exif[0x0112] = 6
    # The camera was held upright: stored on its side, with a note to turn it.
    stored = Image.fromarray(np.rot90(np.asarray(seen, np.uint8), 1))
    buffer = io.BytesIO()
    stored.save(buffer, "JPEG", quality=93, subsampling=0, exif=exif.tobytes())
    return buffer.getvalue()


def sand() -> bytes:
    """Salt sand with one shell in it, which would be seen in every repeat; a PNG."""
    canvas = Canvas(1024, 1024, 73)
    ripple = np.sin(
        (canvas.y + canvas.noise(220, 3, 1) * np.float32(26)) * np.float32(2 * np.pi / 64)
    )
    height = ripple * np.float32(2.2) + canvas.noise(5, 3, 2) * np.float32(0.5)
    picture = toned(plain(canvas, hexed("#c8b48c")), 1 + canvas.noise(4, 3, 3) * np.float32(0.06))
    picture = toned(picture, relief_light(height.astype(np.float32), 0.32))
    x, y = canvas.x - np.float32(640), canvas.y - np.float32(410)
    away = np.hypot(x, y * np.float32(1.25))
    ribs = np.cos(np.arctan2(y, x) * 15) * np.float32(0.06)
    shell = toned(plain(canvas, hexed("#f3ece0")), 1 + ribs * step(4, 10, away))
    picture = mix(
        picture,
        hexed("#6e5d40"),
        fill(np.hypot(x - 5, (y - 7) * np.float32(1.25)) - 40, 8) * np.float32(0.6),
    )
    picture = mix(picture, shell, fill(away - np.float32(38), 2))
    return _png(photographed(picture, np.ones_like(height), 0.006, 73))


def kelp() -> dict[str, bytes]:
    """Matted kelp: its colour, and a height in sixteen bits; the normals are missing."""
    canvas = Canvas(900, 760, 74)
    strands = canvas.noise(150, 5, 1, stretch=3.2)
    fold = np.abs(canvas.noise(90, 4, 2, stretch=2.4))
    height = (
        step(0, 2.4, strands) * np.float32(0.6) + step(0.1, 1.2, fold) * np.float32(0.4)
    ).astype(np.float32)
    picture = mix(plain(canvas, hexed("#2f3318")), hexed("#7a6a2c"), height)
    picture = toned(picture, 1 + canvas.noise(5, 3, 3) * np.float32(0.08))
    picture = toned(picture, relief_light(height * 12, 0.45))
    deep = np.rint(np.clip(height, 0, 1) * 65535).astype(np.uint16)
    return {
        "kelp_mat_c.png": _png(photographed(picture, np.ones_like(height), 0.006, 74)),
        "kelp_mat_h.png": pictures.deep_png(deep),
    }


def _png(pixels: Bytes) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, "PNG", compress_level=3)
    return buffer.getvalue()


def loose() -> dict[str, bytes]:
    """Return all loose sources by file name."""
    return {
        "tideline_shingle.png": shingle(),
        "slipway_setts.jpg": setts(),
        "salt_sand.png": sand(),
        **kelp(),
    }
