"""Trial of the guess of roles and uses: files of known role, with names and without.

Each file is drawn from a matter, made into a map of its role by plain filters of its own (none
of the derivations that are tried elsewhere), stored in a usual kind and named by a usual habit.
"""

from __future__ import annotations

import io
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from PIL import Image, ImageDraw
from scipy import ndimage

from stonestack.core.catalogue.sources import examine
from stonestack.core.files.codecs.pictures import write_texels
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.picture.image import Floats
from stonestack.core.runtime.parallel import processes
from stonestack.core.tables.roles import Role
from stonestack.demo.paint import Canvas
from stonestack.trials.matters import MATTERS, drawn

_SIDES = (256, 384, 512)
_JPEG = 0.3
_DEEP = 0.5
"""Share of heights that are stored in sixteen bits."""

WORDS: dict[Role, tuple[str, ...]] = {
    Role.COLOUR: ("albedo", "basecolor", "diff", "d", "col", "diffuse", "BaseColor", "color"),
    Role.NORMAL: ("normal", "n", "nrm", "Normal", "nor_gl", "NormalDX", "norm", "normal_map"),
    Role.SPECULAR: ("spec", "s", "specular", "Specular"),
    Role.HEIGHT: ("height", "h", "disp", "Displacement", "bump", "height_map"),
    Role.ALPHA: ("alpha", "opacity", "Opacity", "a", "mask"),
    Role.OCCLUSION: ("ao", "AO", "occ", "AmbientOcclusion", "ambient_occlusion"),
    Role.CAVITY: ("cavity", "cav", "Cavity"),
    Role.GLOSS: ("gloss", "glossiness", "smoothness", "Gloss"),
    Role.ROUGHNESS: ("rough", "roughness", "Roughness", "r"),
    Role.METALNESS: ("metal", "metallic", "Metalness", "m"),
    Role.EMISSIVE: ("emissive", "em", "glow", "Emission"),
    Role.PACKED: ("orm", "arm", "packed", "ORM", "mask_map"),
}
"""Words by which people name each role; not the table that the guess has."""
_ENDINGS = ("", "", "", "_1k", "_2k", "_01", "_v2")


@dataclass(frozen=True)
class Labelled:
    """A file whose role is known.

    Parameters
    ----------
    data : bytes
        The whole file.
    suffix : str
        Of its kind.
    word : str
        By which its name says the role.
    """

    role: Role
    matter: str
    data: bytes
    suffix: str
    word: str


@dataclass(frozen=True)
class Told:
    """What was said of a file, by its name and by its pixels alone.

    Parameters
    ----------
    listed : bool
        Whether the pixels alone left it open, and the right role is among those named.
    """

    role: Role
    named: Role | None
    named_sure: float
    bare: Role | None
    bare_sure: float
    listed: bool


def _tones(values: Floats, low: float, high: float) -> Floats:
    """Bring values to a range by their hundredths, and clip."""
    least, most = np.percentile(values, (2, 98))
    scaled = (values - least) / max(1e-6, most - least)
    return np.asarray(np.clip(low + (high - low) * scaled, 0, 1), np.float32)


def _relief(matter: str, canvas: Canvas) -> Floats:
    """Return a height 0..1: the lightness of a matter, softened, on a broad swell."""
    light = drawn(matter, canvas).mean(axis=2)
    soft = ndimage.gaussian_filter(light, 1.2, mode="wrap")
    swell = canvas.noise(canvas.width / 3, 2, 900)
    return _tones(soft + 0.15 * soft.std() * swell, 0, 1)


def _normal(matter: str, canvas: Canvas, rng: np.random.Generator) -> Floats:
    height = _relief(matter, canvas) * rng.uniform(1, 30)
    across = ndimage.sobel(height, axis=1, mode="wrap") / 8
    down = ndimage.sobel(height, axis=0, mode="wrap") / 8
    way = 1 if rng.random() < 0.5 else -1
    vectors = np.stack([-across, way * down, np.ones_like(height)], axis=-1)
    vectors /= np.linalg.norm(vectors, axis=2, keepdims=True)
    return np.asarray(vectors / 2 + 0.5, np.float32)


def _occlusion(matter: str, canvas: Canvas, rng: np.random.Generator) -> Floats:
    height = _relief(matter, canvas)
    hollow = np.zeros_like(height)
    for sigma in (2, 6, 14):
        hollow += np.clip(ndimage.gaussian_filter(height, sigma, mode="wrap") - height, 0, None)
    return np.asarray(np.clip(1 - rng.uniform(1, 3) * hollow, 0, 1), np.float32)


def _cavity(matter: str, canvas: Canvas, rng: np.random.Generator) -> Floats:
    height = _relief(matter, canvas)
    bent = height - ndimage.gaussian_filter(height, rng.uniform(1.5, 3), mode="wrap")
    return np.asarray(np.clip(0.5 + rng.uniform(1, 3) * bent, 0, 1), np.float32)


def _rough(matter: str, canvas: Canvas, rng: np.random.Generator) -> Floats:
    light = drawn(matter, canvas).mean(axis=2)
    if rng.random() < 0.5:
        light = -light
    low = rng.uniform(0.3, 0.7)
    return _tones(light + 0.1 * light.std() * canvas.noise(9, 3, 901), low, low + 0.25)


def _specular(matter: str, canvas: Canvas, rng: np.random.Generator) -> Floats:
    light = drawn(matter, canvas).mean(axis=2)
    return _tones(light, 0.02, rng.uniform(0.3, 0.7))


def _gloss(matter: str, canvas: Canvas, rng: np.random.Generator) -> Floats:
    return np.asarray(1 - _rough(matter, canvas, rng), np.float32)


def _blobs(canvas: Canvas, rng: np.random.Generator, share: float, soft: float) -> Floats:
    field = canvas.noise(canvas.width / rng.uniform(3, 8), 3, 902)
    return np.asarray(
        np.clip((field - np.quantile(field, 1 - share)) / soft + 0.5, 0, 1), np.float32
    )


def _metal(matter: str, canvas: Canvas, rng: np.random.Generator) -> Floats:
    return _blobs(canvas, rng, rng.uniform(0.15, 0.85), 0.05)


def _opening(matter: str, canvas: Canvas, rng: np.random.Generator) -> Floats:
    pitch = canvas.width / rng.integers(4, 9)
    y, x = np.broadcast_arrays(canvas.y, canvas.x)
    wire = np.minimum(np.abs((x + y) % pitch - pitch / 2), np.abs((x - y) % pitch - pitch / 2))
    if rng.random() < 0.5:
        return np.asarray(np.clip(pitch / 6 - wire + 0.5, 0, 1), np.float32)
    return _blobs(canvas, rng, rng.uniform(0.4, 0.9), 0.02)


def _emissive(matter: str, canvas: Canvas, rng: np.random.Generator) -> Floats:
    where = _blobs(canvas, rng, rng.uniform(0.04, 0.2), 0.3)
    tint = rng.permutation([1.0, rng.uniform(0.4, 0.9), rng.uniform(0, 0.4)]).astype(np.float32)
    return where[..., np.newaxis] * tint


def _packed(matter: str, canvas: Canvas, rng: np.random.Generator) -> Floats:
    metal = (
        np.full((canvas.height, canvas.width), float(rng.integers(0, 2)), np.float32)
        if rng.random() < 0.4
        else _metal(matter, canvas, rng)
    )
    planes = [_occlusion(matter, canvas, rng), _rough(matter, canvas, rng), metal]
    if rng.random() < 0.3:
        planes = [planes[2], planes[0], planes[1]]
    return np.stack(planes, axis=-1)


def _colour(matter: str, canvas: Canvas, rng: np.random.Generator) -> Floats:
    tint = rng.uniform(0.75, 1.25, 3).astype(np.float32)
    return np.asarray(np.clip(drawn(matter, canvas) * tint, 0, 1), np.float32)


_MAKERS: dict[Role, Callable[[str, Canvas, np.random.Generator], Floats]] = {
    Role.COLOUR: _colour,
    Role.NORMAL: _normal,
    Role.SPECULAR: _specular,
    Role.HEIGHT: lambda matter, canvas, rng: _relief(matter, canvas),
    Role.ALPHA: _opening,
    Role.OCCLUSION: _occlusion,
    Role.CAVITY: _cavity,
    Role.GLOSS: _gloss,
    Role.ROUGHNESS: _rough,
    Role.METALNESS: _metal,
    Role.EMISSIVE: _emissive,
    Role.PACKED: _packed,
}
_SHARES: dict[Role, int] = {Role.COLOUR: 3, Role.NORMAL: 3, Role.PACKED: 2}
"""How often a role is made for each time that another is."""


def files(seed: int, count: int = 200) -> Iterator[Labelled]:
    """Make files of known role."""
    rng = np.random.default_rng((seed, 8000))
    order = [role for role in _MAKERS for _ in range(_SHARES.get(role, 1))]
    for number in range(count):
        yield _file(order[number % len(order)], int(rng.integers(1 << 31)), rng)


def _file(role: Role, seed: int, rng: np.random.Generator) -> Labelled:
    matter = str(rng.choice(list(MATTERS)))
    side = int(rng.choice(_SIDES))
    values = _MAKERS[role](matter, Canvas(side, side, seed, True), rng)
    suffix, data = _stored(role, values, rng)
    word = str(rng.choice(WORDS[role])) + str(rng.choice(_ENDINGS))
    return Labelled(role, matter, data, suffix, word)


def _stored(role: Role, values: Floats, rng: np.random.Generator) -> tuple[str, bytes]:
    if role is Role.HEIGHT and rng.random() < _DEEP:
        deep = np.rint(values * 65535).astype(np.uint16)
        return "png", write_texels(deep[..., np.newaxis], FileKind.PNG)
    texels = np.rint(values * 255).astype(np.uint8)
    if texels.ndim == 2 and rng.random() < 0.5:
        texels = np.repeat(texels[..., np.newaxis], 3, axis=2)
    jpeg = rng.random() < _JPEG
    buffer = io.BytesIO()
    Image.fromarray(texels).save(buffer, "JPEG" if jpeg else "PNG", quality=92)
    return ("jpg" if jpeg else "png"), buffer.getvalue()


def outcomes(seed: int, count: int = 200) -> list[Told]:
    """Guess each file's role, once by its name too and once without."""
    with processes(__name__) as pool:
        return list(pool.map(judged, files(seed, count)))


def judged(made: Labelled) -> Told:
    """Guess a file's role by its name and its pixels, and by its pixels alone."""
    named = examine(f"{made.matter}_{made.word}.{made.suffix}", made.data).facts
    bare = examine(f"img_{len(made.data) % 9973}x.{made.suffix}", made.data).facts
    listed = "one of" in bare.role_reason and made.role.info.title.lower() in bare.role_reason
    return Told(
        *(made.role, named.role, named.role_confidence, bare.role, bare.role_confidence, listed)
    )


@dataclass(frozen=True)
class Placed:
    """A picture whose use is known, and what was said of it."""

    use: str
    told: str


def uses(seed: int, each: int = 12) -> list[Placed]:
    """Guess what pictures are used for: surfaces, icons, sheets, atlases, and cards of leaves."""
    rng = np.random.default_rng((seed, 8100))
    out: list[Placed] = []
    for use, maker in _USES:
        for _ in range(each):
            buffer = io.BytesIO()
            maker(rng).save(buffer, "PNG")
            out.append(Placed(use, examine("img_7.png", buffer.getvalue()).facts.use))
    return out


def _picture(rng: np.random.Generator, side: int, wraps: bool = True) -> Image.Image:
    canvas = Canvas(side, side, int(rng.integers(1 << 31)), wraps)
    values = _colour(str(rng.choice(list(MATTERS))), canvas, rng)
    return Image.fromarray(np.rint(values * 255).astype(np.uint8))


def _surface(rng: np.random.Generator) -> Image.Image:
    return _picture(rng, int(rng.choice(_SIDES)), bool(rng.random() < 0.5))


def _shape(rng: np.random.Generator, side: int) -> Image.Image:
    """Draw a shape of its own, filled with a matter, on clear ground."""
    out = _picture(rng, side).convert("RGBA")
    mask = Image.new("L", (side, side))
    corners = int(rng.integers(3, 9))
    turns = np.sort(rng.uniform(0, 2 * np.pi, corners))
    far = rng.uniform(0.28, 0.45, corners) * side
    points = [
        (side / 2 + r * np.cos(t), side / 2 + r * np.sin(t))
        for t, r in zip(turns, far, strict=True)
    ]
    draw = ImageDraw.Draw(mask)
    draw.ellipse((side * 0.25, side * 0.25, side * 0.75, side * 0.75), fill=255)
    draw.polygon(points, fill=255)
    out.putalpha(mask)
    return out


def _icon(rng: np.random.Generator) -> Image.Image:
    side = int(rng.choice((48, 64, 128, 256)))
    shape = _shape(rng, side)
    if rng.random() < 0.5:
        return shape
    rim = max(2, side // 16)
    tint = tuple(int(v) for v in rng.integers(20, 230, 3))
    framed = Image.new("RGB", (side, side), tint)
    framed.paste(_picture(rng, side - 2 * rim), (rim, rim))
    return framed


def _sheet(rng: np.random.Generator) -> Image.Image:
    count, cell = int(rng.integers(2, 6)), 128
    sheet = Image.new("RGBA", (count * cell, count * cell))
    for n in range(count * count):
        sheet.paste(_shape(rng, cell), (n % count * cell, n // count * cell))
    if rng.random() < 0.5:
        return sheet
    ground = Image.new("RGBA", sheet.size, (255, 0, 255, 255))
    return Image.alpha_composite(ground, sheet).convert("RGB")


def _atlas(rng: np.random.Generator) -> Image.Image:
    out = Image.new("RGB", (512, 512))
    for n in range(4):
        out.paste(_picture(rng, 256), (n % 2 * 256, n // 2 * 256))
    return out


def _card(rng: np.random.Generator) -> Image.Image:
    side = int(rng.choice((256, 512)))
    mask = Image.new("L", (side, side))
    draw = ImageDraw.Draw(mask)
    for _ in range(int(rng.integers(9, 24))):
        x, y = rng.uniform(0.12, 0.88, 2) * side
        turn, long = rng.uniform(0, 2 * np.pi), rng.uniform(0.06, 0.12) * side
        tip = np.array([np.cos(turn), np.sin(turn)]) * long
        side_ = np.array([-tip[1], tip[0]]) * 0.35
        leaf = [(-tip), (side_), tip, (-side_)]
        draw.polygon([(x + p[0], y + p[1]) for p in leaf], fill=255)
        draw.line((side / 2, side, x, y), fill=255, width=max(2, side // 128))
    out = _picture(rng, side).convert("RGBA")
    out.putalpha(mask)
    return out


_USES: tuple[tuple[str, Callable[[np.random.Generator], Image.Image]], ...] = (
    ("surface", _surface),
    ("icon", _icon),
    ("sheet", _sheet),
    ("sheet", _atlas),
    ("card", _card),
)


def uses_table(told: Sequence[Placed]) -> list[str]:
    """Lay out how many uses were right, and which were taken for another."""
    wrong = Counter((t.use, t.told) for t in told if t.use != t.told)
    words = ", ".join(f"{use} as {said} {n}" for (use, said), n in wrong.most_common())
    share = 100 * np.mean([t.use == t.told for t in told])
    return [f"{len(told)} pictures: use right {share:.0f} % ({words or 'none wrong'})"]


def right(one: Told) -> bool:
    """Tell whether pixels alone were judged rightly: the role, or one of several with it."""
    return one.bare is one.role or one.listed


def table(told: Sequence[Told]) -> list[str]:
    """Lay out how many were right, the confusions, and how sure the right ones were."""
    with_names = np.mean([t.named is t.role for t in told])
    without = np.mean([right(t) for t in told])
    exact = np.mean([t.bare is t.role for t in told])
    lines = [
        f"{len(told)} files: role right by name and pixels {100 * with_names:.1f} %, "
        f"by pixels alone {100 * without:.1f} % (the very role {100 * exact:.1f} %)"
    ]
    for title, pairs in (
        ("with names", Counter((t.role, t.named) for t in told)),
        ("without", Counter((t.role, t.bare) for t in told if not t.listed)),
    ):
        wrong = [(n, was, said) for (was, said), n in pairs.items() if was is not said]
        words = [f"{was} as {said} {n}" for n, was, said in sorted(wrong, key=lambda w: -w[0])]
        lines.append(f"  {title}, taken for another: {', '.join(words) or 'none'}")
    lines += _sureness("with names", [(t.named_sure, t.named is t.role) for t in told])
    lines += _sureness("without", [(t.bare_sure, t.bare is t.role) for t in told])
    return lines


def _sureness(title: str, pairs: Sequence[tuple[float, bool]]) -> list[str]:
    bins: list[str] = []
    for low, high in ((0, 0.5), (0.5, 0.8), (0.8, 0.95), (0.95, 1.01)):
        inside = [ok for sure, ok in pairs if low <= sure < high]
        if inside:
            said = np.mean([sure for sure, _ in pairs if low <= sure < high])
            bins.append(f"says {100 * said:.0f} %: {100 * np.mean(inside):.0f} % of {len(inside)}")
    return [f"  sure, {title}: {'; '.join(bins)}"]
