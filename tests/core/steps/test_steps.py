"""Steps that work on texels where they are: laws that all keep, and known answers of each."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np
from pydantic import ValidationError
from skimage import color as independent

from stonestack.core.kinds.references import MapRef, SourceRef, fields_read
from stonestack.core.picture import colour, swatches
from stonestack.core.picture.image import Floats, Picture, Space, premultiplied
from stonestack.core.picture.resize import resize
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.steps import STEPS, StepKind, StepParams
from stonestack.core.steps.borrowing import Borrow, borrow
from stonestack.core.steps.channels import Channel, Pack, Swizzle, Take, pack, swizzle
from stonestack.core.steps.colourise import Colourise, colourise
from stonestack.core.steps.curves import Curves, Point, curves, through
from stonestack.core.steps.desaturate import Desaturate, desaturate
from stonestack.core.steps.detail import (
    Blur,
    Denoise,
    HighPass,
    Sharpen,
    blur,
    denoise,
    high_pass,
    sharpen,
)
from stonestack.core.steps.exposure import Exposure, exposure
from stonestack.core.steps.fill import (
    Fill,
    Gradient,
    Noise,
    Pattern,
    fill,
    gradient,
    noise,
    pattern,
)
from stonestack.core.steps.grain import Grain, grain
from stonestack.core.steps.lettering import Lettering, lettering
from stonestack.core.steps.match import Match, likeness, match
from stonestack.core.steps.palette import LowResolution, Palette, low_resolution, palette
from stonestack.core.steps.recolour import Recolour, recolour
from stonestack.core.steps.tone import Tone, tone
from stonestack.core.tables.roles import Role
from tests.support import photograph

FILE = SourceRef(sha256="ab" * 32, name="other.png")
SIDE = 96
PLACED = (
    *("lettering", "lay_picture", "gradient", "pattern", "borrow", "detail_normal"),
    "line_out",
)
"""Steps that lie at a place of the tile: under a shift it moves with it."""
EXACT = ("low_resolution", "palette", "grain", "noise", "spread_beneath")
"""Steps whose dots, noise or levels stand still, whatever lies beneath."""


def matter(side: int = SIDE, space: Space = Space.LINEAR) -> Picture:
    """Draw something that tiles: smooth, with an edge and a little noise, of any size."""
    x = (np.arange(side) + 0.5) / side
    y = x[:, np.newaxis]
    waves = [
        0.5 + 0.3 * np.sin(2 * np.pi * (n * x + (3 - n) * y) + n) + 0.08 * np.cos(6 * np.pi * y)
        for n in range(3)
    ]
    body = np.clip(np.stack(waves, axis=2), 0.02, 0.98).astype(np.float32)
    if space is Space.VECTOR:
        slopes = np.stack([body[..., 0] - 0.5, body[..., 1] - 0.5, np.ones_like(y + x)], axis=2)
        body = slopes / np.linalg.norm(slopes, axis=2, keepdims=True)
    if space is Space.DATA:
        body = body[..., :1]
    return Picture(np.ascontiguousarray(body, np.float32), space, wraps=True)


def begun(kind: StepKind, **values: object) -> StepParams:
    """Return a step's usual parameters, with something for all that it reads."""
    for name, read in fields_read(kind.params).items():
        if kind.params.model_fields[name].is_required():
            values.setdefault(name, FILE if read is SourceRef else MapRef(map="m"))
    return kind.params.model_validate(values)


def read_by(kind: StepKind) -> list[Picture]:
    return [replace(matter(48), wraps=False)] * kind.reads


def plain_kinds() -> list[StepKind]:
    return [k for k in STEPS.values() if k.mixes and not k.blobs]


def curve(*points: tuple[float, float], channel: str = "all") -> Curves:
    whole = [{"x": x, "y": y} for x, y in points]
    return Curves.model_validate({"points": whole, "channel": channel})


class EveryStep(unittest.TestCase):
    def test_it_gives_numbers_in_range_of_the_same_size_and_meaning(self) -> None:
        for kind in plain_kinds():
            for space in kind.spaces:
                with self.subTest(kind.name, space=space):
                    got = kind.apply(matter(space=space), begun(kind), *read_by(kind))
                    self.assertEqual((got.width, got.height, got.space), (SIDE, SIDE, space))
                    self.assertTrue(np.isfinite(got.pixels).all())
                    self.assertGreaterEqual(got.pixels.min(), -1 if space is Space.VECTOR else 0)
                    self.assertLessEqual(got.pixels.max(), 1 + 1e-6)
                    if space is Space.VECTOR:
                        length = np.linalg.norm(got.pixels[..., :3], axis=2)
                        np.testing.assert_allclose(length, 1, atol=1e-4)

    def test_on_a_sliver_it_gives_numbers_or_says_what_is_wanting(self) -> None:
        geometries = [kind for kind in STEPS.values() if kind.geometry is not None]
        for width, height in ((1, 1), (2, 1), (3, 3), (1, 40), (40, 1), (5, 64)):
            for kind in (*plain_kinds(), *geometries):
                for space in kind.spaces:
                    whole = matter(space=space)
                    sliver = whole.with_pixels(whole.pixels[:height, :width].copy())
                    with self.subTest(kind.name, space=space, sides=(width, height)):
                        try:
                            got = kind.apply(sliver, begun(kind), *read_by(kind))
                        except BadRequest as refused:
                            self.assertTrue(refused.fix)
                            continue
                        self.assertTrue(np.isfinite(got.pixels).all())

    def test_on_a_tile_that_is_shifted_the_result_is_shifted(self) -> None:
        still = [k for k in plain_kinds() if k.name not in (*PLACED, *EXACT, "balance_light")]
        for kind in still:
            for space in kind.spaces:
                with self.subTest(kind.name, space=space):
                    picture = matter(space=space)
                    # What reads another map reads it shifted too.
                    others = [matter()] * kind.reads
                    moved = [o.with_pixels(np.roll(o.pixels, (31, 17), (0, 1))) for o in others]
                    rolled = picture.with_pixels(np.roll(picture.pixels, (31, 17), axis=(0, 1)))
                    got = kind.apply(rolled, begun(kind), *moved)
                    wanted = np.roll(
                        kind.apply(picture, begun(kind), *others).pixels, (31, 17), axis=(0, 1)
                    )
                    np.testing.assert_allclose(got.pixels, wanted, atol=2e-5)

    def test_what_is_placed_is_shifted_by_its_place_and_wraps(self) -> None:
        for name in ("lettering", "lay_picture"):
            kind = STEPS[name]
            here = kind.apply(matter(), begun(kind, x=0.5, y=0.5, width=0.5), *read_by(kind))
            edge = kind.apply(matter(), begun(kind, x=0.0, y=0.25, width=0.5), *read_by(kind))
            rolled = np.roll(here.pixels, (-SIDE // 4, -SIDE // 2), axis=(0, 1))
            with self.subTest(name):
                np.testing.assert_allclose(edge.pixels[..., 3], rolled[..., 3], atol=2e-3)

    def test_at_twice_the_resolution_the_look_stays(self) -> None:
        for kind in plain_kinds():
            if kind.name in ("palette", "pattern", "low_resolution"):
                continue  # Told apart below: they have hard edges.
            for space in kind.spaces:
                with self.subTest(kind.name, space=space):
                    coarse = kind.apply(matter(192, space), begun(kind), *read_by(kind))
                    fine = kind.apply(matter(384, space), begun(kind), *read_by(kind))
                    shrunk = resize(fine, 192, 192, "box")
                    apart = np.abs(premultiplied(shrunk) - premultiplied(coarse))
                    self.assertLess(apart.mean(), 0.02 if space is Space.VECTOR else 0.01)

    def test_values_out_of_range_are_refused(self) -> None:
        for wrong in (
            lambda: Fill(colour="red"),
            lambda: curve((0, 0), (0, 1)),
            lambda: curve((0, 0), (1, 2)),
            lambda: Blur(radius=-1),
            lambda: Lettering(text=""),
        ):
            with self.assertRaises(ValidationError):
                wrong()


class Tones(unittest.TestCase):
    def test_a_curve_passes_through_its_points_and_never_beyond_them(self) -> None:
        chance = np.random.default_rng(3)
        for _ in range(40):
            across = np.sort(chance.choice(np.arange(1, 20), 5, replace=False)) / 20
            up = chance.uniform(0, 1, 5)
            points = tuple(Point(x=x, y=y) for x, y in zip(across, up, strict=True))
            table = through(points)
            places = np.round(across * (len(table) - 1)).astype(int)
            np.testing.assert_allclose(table[places], up, atol=5e-3)
            for low, high, a, b in zip(places, places[1:], up, up[1:], strict=False):
                self.assertGreaterEqual(table[low : high + 1].min(), min(a, b) - 5e-3)
                self.assertLessEqual(table[low : high + 1].max(), max(a, b) + 5e-3)

    def test_a_straight_curve_changes_nothing_bit_for_bit(self) -> None:
        picture = matter()
        np.testing.assert_array_equal(curves(picture, Curves()).pixels, picture.pixels)

    def test_a_curve_of_one_channel_leaves_the_others(self) -> None:
        picture = matter()
        got = curves(picture, curve((0, 1), (1, 0), channel="green")).pixels
        np.testing.assert_allclose(got[..., [0, 2]], picture.pixels[..., [0, 2]], atol=1e-5)
        upside = 1 - colour.to_srgb(picture.pixels[..., 1])
        np.testing.assert_allclose(colour.to_srgb(got[..., 1]), upside, atol=1e-3)

    def test_a_stop_is_twice_the_light_and_contrast_leaves_the_middle(self) -> None:
        picture = matter()
        brighter = exposure(picture, Exposure(stops=1)).pixels
        np.testing.assert_allclose(brighter, np.clip(picture.pixels * 2, 0, 1), rtol=1e-6)
        grey = Picture(np.full((2, 2, 3), 0.18, np.float32), Space.LINEAR)
        np.testing.assert_allclose(exposure(grey, Exposure(contrast=2)).pixels, 0.18, rtol=1e-5)

    def test_lightness_goes_to_black_and_white(self) -> None:
        for lightness, end in ((-1, 0), (1, 1)):
            got = tone(matter(), Tone(lightness=lightness)).pixels
            np.testing.assert_allclose(got, end, atol=1e-5)


class Colours(unittest.TestCase):
    def lab(self, linear: Floats) -> Floats:
        """Return CIE Lab by an independent conversion."""
        return independent.rgb2lab(colour.to_srgb(linear).astype(np.float64))

    def test_colourise_gives_grey_a_hue_and_keeps_its_lightness(self) -> None:
        ramp = np.repeat(np.linspace(0.02, 0.9, 64, dtype=np.float32), 3).reshape(1, 64, 3)
        got = colourise(Picture(ramp, Space.LINEAR), Colourise(colour="#8a5a33")).pixels
        before, after = self.lab(ramp), self.lab(got)
        self.assertLess(np.abs(after[..., 0] - before[..., 0]).mean(), 2)
        target = self.lab(swatches.linear("#8a5a33").reshape(1, 1, 3))[0, 0]
        hue = np.degrees(np.arctan2(after[0, 16:48, 2], after[0, 16:48, 1]))
        wanted = np.degrees(np.arctan2(target[2], target[1]))
        self.assertLess(np.abs(hue - wanted).max(), 12)

    def test_colourise_leaves_what_has_a_colour(self) -> None:
        red = Picture(np.tile(swatches.linear("#c02020"), (4, 4, 1)), Space.LINEAR)
        np.testing.assert_allclose(colourise(red, Colourise()).pixels, red.pixels, atol=1e-4)

    def test_recolour_makes_one_colour_the_other_and_leaves_the_rest(self) -> None:
        old, new, far = "#a04030", "#3c6e9a", "#40a040"
        values = np.stack([swatches.linear(old), swatches.linear(far)])[np.newaxis]
        got = recolour(Picture(values, Space.LINEAR), Recolour(old=old, new=new)).pixels
        self.assertEqual(swatches.named(got[0, 0]), new)
        np.testing.assert_allclose(got[0, 1], values[0, 1], atol=1e-4)

    def test_recolour_keeps_the_order_of_shades(self) -> None:
        shades = swatches.linear("#a04030") * np.linspace(0.6, 1.2, 20)[:, np.newaxis]
        picture = Picture(shades[np.newaxis].astype(np.float32), Space.LINEAR)
        got = recolour(picture, Recolour(tolerance=0.3)).pixels
        light = self.lab(got)[0, :, 0]
        self.assertTrue((np.diff(light) > 0).all())

    def test_grey_by_the_eye_has_the_same_luminance(self) -> None:
        picture = matter()
        got = desaturate(picture, Desaturate()).pixels
        np.testing.assert_allclose(
            colour.luminance(got), colour.luminance(picture.pixels), atol=1e-6
        )
        self.assertEqual(float(np.ptp(got, axis=2).max()), 0)

    def test_match_takes_mean_and_spread_of_the_other(self) -> None:
        rocket = photograph("rocket", 128)[..., :3]
        other = Picture(colour.bytes_to_linear(rocket), Space.LINEAR)
        picture = matter(128)
        got = likeness(match(picture, Match(picture=FILE), other))
        wanted = likeness(other)
        before = likeness(picture)
        self.assertLess(np.abs(got.mean - wanted.mean).max(), 0.02)
        self.assertLess(
            abs(got.mean[0] - wanted.mean[0]), 0.2 * abs(before.mean[0] - wanted.mean[0])
        )
        self.assertLess(np.abs(got.spread - wanted.spread).max(), 0.03)

    def test_match_of_nothing_changes_nothing(self) -> None:
        picture = matter()
        none = Match(picture=FILE, lightness=0, spread=0, colour=0)
        np.testing.assert_allclose(
            match(picture, none, matter(64)).pixels, picture.pixels, atol=1e-5
        )


class Details(unittest.TestCase):
    def test_denoise_keeps_an_edge_and_takes_noise(self) -> None:
        chance = np.random.default_rng(9)
        edge = np.where(np.arange(128) < 64, 0.3, 0.7)
        clean = np.tile(edge, (128, 1)).astype(np.float32)
        noisy = clean + chance.normal(0, 0.02, clean.shape).astype(np.float32)
        picture = Picture(noisy[..., np.newaxis], Space.DATA)
        got = denoise(picture, Denoise(radius=3, contrast=0.1)).pixels[..., 0]
        flat = (slice(20, 108), slice(10, 50))
        self.assertLess(got[flat].std(), 0.4 * noisy[flat].std())
        step = got[:, 66].mean() - got[:, 61].mean()
        self.assertGreater(step, 0.35)

    def test_blur_is_a_gaussian_and_keeps_the_mean_on_a_tile(self) -> None:
        from scipy.ndimage import gaussian_filter

        picture = matter()
        for radius in (0.5, 3.0, 20.0):
            got = blur(picture, Blur(radius=radius)).pixels
            sigma = radius / 100 * SIDE
            wanted = gaussian_filter(
                picture.pixels.astype(float), (sigma, sigma, 0), mode="wrap", truncate=8
            )
            np.testing.assert_allclose(got, wanted, atol=1e-4)
        np.testing.assert_array_equal(blur(picture, Blur(radius=0)).pixels, picture.pixels)

    def test_blur_lets_clear_texels_have_no_say(self) -> None:
        pixels = np.zeros((32, 32, 4), np.float32)
        pixels[:, :16] = (0.8, 0.2, 0.1, 1)
        got = blur(Picture(pixels, Space.LINEAR, alpha=True), Blur(radius=5)).pixels
        np.testing.assert_allclose(
            got[:, :16, :3], np.broadcast_to((0.8, 0.2, 0.1), (32, 16, 3)), atol=0.02
        )
        np.testing.assert_array_equal(got[..., 3], pixels[..., 3])

    def test_sharpen_of_nothing_is_nothing_and_of_an_edge_is_steeper(self) -> None:
        picture = blur(matter(), Blur(radius=1))
        same = sharpen(picture, Sharpen(strength=0)).pixels
        np.testing.assert_allclose(same, picture.pixels, atol=2e-6)
        sharper = sharpen(picture, Sharpen(radius=2, strength=2)).pixels
        self.assertGreater(
            np.abs(np.diff(sharper, axis=1)).mean(), np.abs(np.diff(picture.pixels, axis=1)).mean()
        )

    def test_high_pass_takes_broad_tones_out_and_keeps_the_mean(self) -> None:
        x = np.arange(128) / 128
        broad = 0.5 + 0.2 * np.sin(2 * np.pi * x)
        fine = 0.05 * np.sin(2 * np.pi * 16 * x)
        values = np.tile(broad + fine, (128, 1)).astype(np.float32)[..., np.newaxis]
        got = high_pass(Picture(values, Space.DATA, wraps=True), HighPass(radius=8)).pixels[0, :, 0]
        waves = np.abs(np.fft.rfft(got)) * 2 / 128
        self.assertLess(waves[1], 0.03)
        self.assertAlmostEqual(float(waves[16]), 0.05, delta=0.002)
        self.assertAlmostEqual(float(got.mean()), 0.5, delta=1e-3)

    def test_grain_has_its_strength_and_no_mean(self) -> None:
        grey = Picture(np.full((256, 256, 1), 0.5, np.float32), Space.DATA, wraps=True)
        got = grain(grey, Grain(strength=0.1)).pixels - 0.5
        self.assertAlmostEqual(float(got.mean()), 0, delta=0.01)
        self.assertGreater(float(got.std()), 0.02)
        self.assertLess(float(got.std()), 0.1)
        np.testing.assert_array_equal(grain(grey, Grain(strength=0)).pixels, grey.pixels)


class Fills(unittest.TestCase):
    def test_a_typed_colour_is_stored_as_typed(self) -> None:
        got = fill(matter(), Fill(colour="#1289ef")).pixels
        self.assertEqual(swatches.named(got[3, 5]), "#1289ef")
        grey = fill(matter(space=Space.DATA), Fill(colour="#404040")).pixels
        np.testing.assert_allclose(grey, 0x40 / 255, atol=1e-6)

    def test_a_gradient_ends_at_its_colours_with_the_middle_between(self) -> None:
        ends = Gradient(start="#000000", end="#ffffff", turn=0)
        got = colour.to_srgb(gradient(matter(), ends).pixels)[0, :, 0]
        np.testing.assert_allclose(got, (np.arange(SIDE) + 0.5) / SIDE, atol=1e-3)
        there = Gradient(mirrored=True, turn=90)
        back = gradient(matter(), there).pixels[:, 0, 0]
        np.testing.assert_allclose(back, back[::-1], atol=1e-6)

    def test_noise_wraps_and_is_the_same_at_any_resolution(self) -> None:
        coarse, fine = (noise(matter(n), Noise(octaves=2)).pixels for n in (128, 256))
        shrunk = fine.reshape(128, 2, 128, 2, 3).mean(axis=(1, 3))
        np.testing.assert_allclose(shrunk, coarse, atol=0.01)
        over = np.abs(np.diff(coarse, axis=1, append=coarse[:, :1]))
        self.assertLess(over[:, -1].max(), 2 * over[:, :-1].max())
        other = noise(matter(128), Noise(octaves=2, seed=2)).pixels
        self.assertGreater(np.abs(other - coarse).mean(), 0.02)

    def test_a_pattern_meets_itself_over_the_edges_at_any_turn(self) -> None:
        x = (np.arange(32) + 0.5) / 32
        dots = 0.5 + 0.5 * np.sin(2 * np.pi * x) * np.sin(2 * np.pi * x)[:, np.newaxis]
        other = Picture(
            np.repeat(dots[..., np.newaxis], 3, axis=2).astype(np.float32), Space.LINEAR
        )
        for turn in (0.0, 17.0, 45.0, -80.0):
            got = pattern(matter(256), Pattern(picture=FILE, repeats=6, turn=turn), other).pixels
            for axis in (0, 1):
                first, last = np.take(got, 0, axis), np.take(got, -1, axis)
                inner = np.abs(np.diff(got, axis=axis)).max()
                self.assertLessEqual(np.abs(first - last).max(), 1.3 * inner)

    def test_a_pattern_of_whole_repeats_is_that_picture(self) -> None:
        other = replace(matter(32), wraps=False)
        got = pattern(matter(64), Pattern(picture=FILE, repeats=2), other).pixels
        np.testing.assert_allclose(got[:32, :32], other.pixels, atol=1e-5)


class Placed(unittest.TestCase):
    def test_a_place_is_copied_exactly_where_nothing_is_fitted(self) -> None:
        picture = Picture(
            np.random.default_rng(1).random((64, 64, 3), np.float32), Space.LINEAR, wraps=True
        )
        params = Borrow(
            shape="straight",
            fit=False,
            soft=0,
            x=0.5,
            y=0.5,
            from_x=0.25,
            from_y=0.75,
            width=0.25,
            height=0.25,
        )
        got = borrow(picture, params).pixels
        np.testing.assert_allclose(got[26:38, 26:38], picture.pixels[42:54, 10:22], atol=1e-5)
        np.testing.assert_allclose(got[:20], picture.pixels[:20], atol=1e-6)

    def test_a_fitted_copy_leaves_no_step_at_its_rim(self) -> None:
        x = np.linspace(0.2, 0.8, 96, dtype=np.float32)
        slope = np.tile(x, (96, 1))[..., np.newaxis]
        for shape in ("round", "straight"):
            params = Borrow(
                shape=shape, x=0.7, y=0.5, from_x=0.3, from_y=0.5, width=0.3, height=0.3, soft=0
            )
            picture = Picture(slope, Space.DATA)
            fitted = borrow(picture, params).pixels
            plain = borrow(picture, params.model_copy(update={"fit": False})).pixels
            with self.subTest(shape):
                self.assertLess(np.abs(np.diff(fitted, axis=1)).max(), 0.02)
                self.assertGreater(np.abs(np.diff(plain, axis=1)).max(), 0.1)

    def test_lettering_goes_on_over_the_edge_of_a_tile(self) -> None:
        picture = matter(128)
        got = lettering(picture, Lettering(text="HOLM", x=0.0, y=0.5, width=0.6)).pixels[..., 3]
        self.assertGreater(got[:, :20].max(), 0.9)
        self.assertGreater(got[:, -20:].max(), 0.9)
        self.assertEqual(float(got[:, 50:78].max()), 0)

    def test_lettering_has_the_width_that_is_asked_for(self) -> None:
        for side in (128, 512):
            for font in ("slab", "narrow", "stencil", "hand"):
                got = lettering(
                    matter(side), Lettering(text="Saltglass", font=font, width=0.5)
                ).pixels
                columns = np.flatnonzero(got[..., 3].max(axis=0) > 0.4)
                self.assertAlmostEqual((columns[-1] - columns[0] + 1) / side, 0.5, delta=0.03)

    def test_lettering_stands_out_of_a_normal_map_on_both_flanks(self) -> None:
        flat = Picture(
            np.zeros((128, 128, 3), np.float32) + np.float32([0, 0, 1]), Space.VECTOR, wraps=True
        )
        layer = lettering(flat, Lettering(text="I", font="narrow", width=0.12, depth=2))
        shown = layer.pixels[..., 3] > 0.5
        across = np.where(shown, layer.pixels[..., 0], 0)[64]
        # Left flank faces left, right flank faces right; both as steep.
        self.assertLess(across.min(), -0.2)
        self.assertGreater(across.max(), 0.2)
        self.assertLess(int(across.argmin()), int(across.argmax()))
        sunk = lettering(flat, Lettering(text="I", font="narrow", width=0.12, depth=-2))
        np.testing.assert_allclose(sunk.pixels[64, :, 0], -layer.pixels[64, :, 0], atol=1e-5)


class Channels(unittest.TestCase):
    def test_swapping_twice_is_nothing(self) -> None:
        turn = Swizzle(red=Take.BLUE, green=Take.GREEN, blue=Take.RED)
        picture = matter()
        got = swizzle(swizzle(picture, turn), turn).pixels
        np.testing.assert_allclose(got, picture.pixels, atol=1e-5)

    def test_green_of_a_normal_map_is_turned_round(self) -> None:
        picture = matter(space=Space.VECTOR)
        got = swizzle(picture, Swizzle(green=Take.GREEN_TURNED)).pixels
        np.testing.assert_allclose(got[..., 1], -picture.pixels[..., 1], atol=1e-6)

    def test_what_is_packed_comes_out_as_it_went_in(self) -> None:
        for bits in (8, 16):
            top = (1 << bits) - 1
            stored = np.random.default_rng(bits).integers(0, top + 1, (3, 16, 16))
            maps = [
                Picture((one[..., np.newaxis] / top).astype(np.float32), Space.DATA, bits=bits)
                for one in stored
            ]
            refs = {name: MapRef(map=name) for name in ("red", "green", "blue")}
            for space in (Space.LINEAR, Space.DATA):
                under = Picture(np.zeros((16, 16, 3), np.float32), space)
                packed = pack(under, Pack(**refs), *maps)
                values = colour.to_srgb(packed.pixels) if space is Space.LINEAR else packed.pixels
                out = np.rint(values * top).astype(int)
                self.assertEqual(packed.bits, bits)
                for place in range(3):
                    np.testing.assert_array_equal(out[..., place], stored[place])

    def test_of_normals_any_channel_can_be_packed_exactly(self) -> None:
        stored = np.random.default_rng(6).integers(0, 256, (16, 16, 3))
        normal = Picture((stored / 255 * 2 - 1).astype(np.float32), Space.VECTOR)
        under = Picture(np.full((16, 16, 3), 0.5, np.float32), Space.DATA)
        names = list(Channel)
        for place, name in enumerate(names):
            params = Pack(green=MapRef(map="normal"), green_of=name)
            out = np.rint(pack(under, params, normal).pixels[..., 1] * 255).astype(int)
            np.testing.assert_array_equal(out, stored[..., place])
        self.assertTrue(STEPS["pack"].can_read(Role.NORMAL))
        self.assertFalse(STEPS["another_map"].can_read(Role.NORMAL))

    def test_a_channel_without_a_map_stays(self) -> None:
        picture = matter()
        other = matter(space=Space.DATA)
        got = pack(picture, Pack(green=MapRef(map="m")), other).pixels
        np.testing.assert_allclose(got[..., [0, 2]], picture.pixels[..., [0, 2]], atol=1e-5)


class Palettes(unittest.TestCase):
    def test_a_picture_of_few_colours_keeps_them_exactly(self) -> None:
        chosen = [swatches.linear(c) for c in ("#102030", "#c04020", "#e0d0b0", "#408040")]
        places = np.random.default_rng(2).integers(0, 4, (40, 40))
        picture = Picture(np.stack(chosen)[places], Space.LINEAR)
        got = palette(picture, Palette(count=4)).pixels
        np.testing.assert_allclose(got, picture.pixels, atol=1e-6)

    def test_two_clusters_are_found_at_their_means(self) -> None:
        chance = np.random.default_rng(4)
        low, high = (chance.normal(m, 2, (50, 50)).round() for m in (60, 180))
        values = np.concatenate([low, high]).astype(np.uint8)
        picture = Picture(
            colour.bytes_to_linear(np.repeat(values[..., np.newaxis], 3, 2)), Space.LINEAR
        )
        got = np.unique(colour.linear_to_bytes(palette(picture, Palette(count=2)).pixels))
        np.testing.assert_allclose(got, (60, 180), atol=1)

    def test_given_colours_and_no_others_are_used_with_any_dither(self) -> None:
        given = ("#000000", "#ffffff", "#7f3f20")
        for dither in ("none", "ordered", "diffused"):
            got = palette(matter(), Palette(colours=given, dither=dither)).pixels
            names = {swatches.named(one) for one in got.reshape(-1, 3)}
            self.assertLessEqual(names, set(given))

    def test_dithered_grey_has_the_mean_of_what_it_stands_for(self) -> None:
        grey = Picture(
            np.full((64, 64, 3), swatches.linear("#777777")[0], np.float32),
            Space.LINEAR,
            wraps=True,
        )
        for dither in ("ordered", "diffused"):
            got = palette(grey, Palette(colours=("#000000", "#ffffff"), dither=dither)).pixels
            share = float((got[..., 0] > 0.5).mean())
            # In OKLab, where the error is spread: the grey's lightness is the share of white.
            from stonestack.core.picture.perceptual import to_lab

            self.assertAlmostEqual(share, float(to_lab(grey.pixels)[0, 0, 0]), delta=0.03)

    def test_low_resolution_has_dots_of_one_value_with_hard_edges(self) -> None:
        got = low_resolution(matter(128), LowResolution(across=16)).pixels
        dots = got.reshape(16, 8, 16, 8, 3)
        self.assertEqual(float(np.ptp(dots, axis=(1, 3)).max()), 0)


if __name__ == "__main__":
    unittest.main()
