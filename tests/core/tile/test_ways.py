"""Every way of making a tile, measured alike: seams, the detail of the joins, and copies."""

import unittest
from functools import cache

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from stonestack.core.judge.choosing import choose
from stonestack.core.kinds.step import SOLVED_AT
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.resize import limited
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.steps import STEPS
from stonestack.core.tile import quilt
from stonestack.core.tile.blend import BlendTile
from stonestack.core.tile.boundary import CutTile
from stonestack.core.tile.mirrored import MirrorTile
from stonestack.core.tile.patches import PatchSpots, Spot, patch_spots
from stonestack.core.tile.quilt import QuiltTile, quilt_tile
from stonestack.core.tile.scores import tile_scores
from stonestack.core.tile.seam import seam_score
from stonestack.core.tile.ways import FAMILY
from stonestack.core.tile.wrapped import WrapTile
from stonestack.demo.paint import Canvas
from stonestack.trials.matters import drawn
from tests.core.tile import defects
from tests.sizes import times
from tests.support import noise

SEAM = 0.15
"""How far from 1 a method may leave its test pictures."""
SPECTRUM_DB = 1.5
"""How far the power of any octave may differ between a tile and its source."""
COPY = 0.8
"""Correlation above which a patch counts as seen twice."""

Ways = CutTile | WrapTile | QuiltTile | BlendTile | MirrorTile
SUITS: dict[str, tuple[Ways, ...]] = {
    "stochastic": (CutTile(), WrapTile(), QuiltTile(), BlendTile(), MirrorTile()),
    "bricks": (CutTile(), QuiltTile()),
    "weave": (CutTile(), QuiltTile(), BlendTile()),
}
"""Which ways suit which matter."""


@cache
def raw(base: str, side: int = 420) -> Picture:
    stored = defects.BASES[base](side, 5, False)
    return Picture(colour.to_linear(stored), Space.LINEAR)


@cache
def tiled(base: str, params: Ways) -> Picture:
    return STEPS[params.kind].apply(raw(base), params)


def octaves(picture: Picture, columns: slice = slice(None)) -> NDArray[np.float64]:
    """Return the power of lightness in octaves of scale, in decibels; the finest first."""
    light = colour.seen(picture).mean(axis=2)
    powers = []
    finer = light
    for sigma in (0.7, 1.4, 2.8, 5.6):
        coarser = gaussian_filter(light, sigma, mode="wrap")
        powers.append(np.square((finer - coarser)[:, columns]).mean())
        finer = coarser
    return 10 * np.log10(np.array(powers))


class EveryWay(unittest.TestCase):
    def test_all_that_are_registered_are_measured_here(self) -> None:
        kinds = {params.kind for ways in SUITS.values() for params in ways}
        self.assertEqual(kinds, {s.name for s in STEPS.values() if s.family == FAMILY})

    def test_edges_cannot_be_told_from_the_inside(self) -> None:
        for base, ways in SUITS.items():
            before = seam_score(raw(base))
            if base != "weave":  # A thread of half a width is not seen by its edges alone.
                self.assertGreater(max(before.x, before.y), 1.4)
            for params in ways:
                with self.subTest(base=base, way=params.kind):
                    score = seam_score(tiled(base, params))
                    self.assertAlmostEqual(score.x, 1, delta=SEAM)
                    self.assertAlmostEqual(score.y, 1, delta=SEAM)

    def test_the_spectrum_is_the_source_s_all_over_and_in_the_band_of_the_seam(self) -> None:
        for base, ways in SUITS.items():
            for params in ways:
                tile = tiled(base, params)
                inside = octaves(tile, slice(tile.width // 3, -tile.width // 3))
                for name, got in (
                    ("whole", octaves(tile)),
                    ("left", octaves(tile, slice(0, 40))),
                    ("right", octaves(tile, slice(-40, None))),
                ):
                    wanted = octaves(raw(base)) if name == "whole" else inside
                    with self.subTest(base=base, way=params.kind, part=name):
                        self.assertLess(np.abs(got - wanted).max(), SPECTRUM_DB)

    def test_the_same_measure_catches_a_cross_fade(self) -> None:
        faded = defects.made("stochastic", "cross-fade 20 %")
        whole = defects.made("stochastic", "whole")
        # The middle of the faded band, where both pictures have half a say.
        lost = octaves(whole) - octaves(faded, slice(20, 44))
        self.assertGreater(lost.max(), SPECTRUM_DB)

    def test_one_axis_alone_leaves_the_other(self) -> None:
        for params in SUITS["stochastic"]:
            for axis, other in (("x", "y"), ("y", "x")):
                only = params.model_copy(update={"axes": axis})
                with self.subTest(way=params.kind, axis=axis):
                    score = seam_score(tiled("stochastic", only))
                    self.assertAlmostEqual(getattr(score, axis), 1, delta=SEAM)
                    self.assertGreater(getattr(score, other), 1.5)

    def test_the_same_twice_gives_the_same_bytes(self) -> None:
        for params in SUITS["stochastic"]:
            again = STEPS[params.kind].apply(raw("stochastic"), params)
            with self.subTest(way=params.kind):
                np.testing.assert_array_equal(again.pixels, tiled("stochastic", params).pixels)

    def test_normals_stay_unit_length_and_alpha_comes_along(self) -> None:
        vectors = noise(140, 120) * 2 - 1
        unit = vectors / np.linalg.norm(vectors, axis=2, keepdims=True)
        normals = Picture(unit.astype(np.float32), Space.VECTOR)
        colours = raw("stochastic", 140)
        open_ = np.concatenate([colours.pixels, np.ones((140, 140, 1), np.float32)], axis=2)
        open_[60:70, 60:70, 3] = 0
        for params in SUITS["stochastic"]:
            with self.subTest(way=params.kind):
                tile = STEPS[params.kind].apply(normals, params)
                np.testing.assert_allclose(np.linalg.norm(tile.pixels, axis=2), 1, atol=1e-5)
                self.assertTrue(tile.wraps)
                cut = STEPS[params.kind].apply(Picture(open_, Space.LINEAR, alpha=True), params)
                self.assertTrue(cut.alpha)

    def test_a_picture_of_a_few_pixels_is_tiled_or_refused_in_words(self) -> None:
        tiny = Picture(np.full((5, 9, 3), 0.5, np.float32), Space.LINEAR)
        for params in SUITS["stochastic"]:
            with self.subTest(way=params.kind):
                try:
                    tile = STEPS[params.kind].apply(tiny, params)
                    self.assertTrue(np.isfinite(tile.pixels).all())
                except BadRequest as refused:
                    self.assertTrue(refused.fix)


class Strips(unittest.TestCase):
    """Pictures that are far longer than wide, as trims are, and such as hold nothing."""

    def test_a_trim_is_tiled_along_its_whole_length(self) -> None:
        rng = np.random.default_rng(8)
        long = gaussian_filter(
            rng.random((48, times(1200, 600), 3)), (2, 2, 0), mode="wrap"
        ).astype(np.float32)
        strip = Picture(colour.to_linear((long - long.min()) / np.ptp(long)), Space.LINEAR)
        for params in SUITS["stochastic"]:
            with self.subTest(way=params.kind):
                tile = STEPS[params.kind].apply(strip, params)
                # What seams take is a share of each side; not one as wide as the strip is long.
                self.assertGreaterEqual(tile.width, strip.width / 3)
                score = seam_score(tile)
                assert score is not None
                self.assertAlmostEqual(score.x, 1, delta=0.3)
        self.assertGreaterEqual(len(choose(strip).tried), 3)

    def test_slivers_are_refused_in_words_by_every_way(self) -> None:
        for width, height in ((1, 1), (2, 2), (3000, 1), (1, 3000), (15, 400), (17, 5)):
            sliver = Picture(np.full((height, width, 3), 0.5, np.float32), Space.LINEAR)
            for params in SUITS["stochastic"]:
                with (
                    self.subTest(way=params.kind, sides=(width, height)),
                    self.assertRaisesRegex(BadRequest, "too few pixels"),
                ):
                    STEPS[params.kind].apply(sliver, params)
            with self.assertRaisesRegex(BadRequest, "too few pixels"):
                choose(sliver)


class OneSolution(unittest.TestCase):
    """What is seen while a control moves is the cut that the result has."""

    def test_the_result_is_the_passing_look_only_finer(self) -> None:
        large = raw("bricks", 1100)
        guide = limited(large, SOLVED_AT)
        for params in SUITS["stochastic"]:
            geometry = STEPS[params.kind].geometry
            assert geometry is not None
            solution = geometry.solve(guide, params)
            passing = geometry.lay(guide, guide, solution, params)
            result = geometry.lay(large, large, solution, params)
            small = self._at(result, passing)
            with self.subTest(way=params.kind):
                a, b = (gaussian_filter(p.mean(axis=2), 3) for p in (passing.pixels, small))
                self.assertGreater(np.corrcoef(a.ravel(), b.ravel())[0, 1], 0.85)

    def test_another_map_follows_the_colour_s_cut(self) -> None:
        colours = raw("bricks", 420)
        # What it shows is the colour turned round, so the cut would be another by its own light.
        seen = colour.seen(colours)
        other = Picture((1 - 0.9 * seen).astype(np.float32), Space.DATA)
        for params in SUITS["bricks"] + SUITS["stochastic"][1:3]:
            geometry = STEPS[params.kind].geometry
            assert geometry is not None
            solution = geometry.solve(colours, params)
            tile = geometry.lay(colours, colours, solution, params)
            followed = geometry.lay(other, colours, solution, params)
            with self.subTest(way=params.kind):
                back = (1 - followed.pixels) / np.float32(0.9)
                # Equal but where either had to be clipped to its range.
                apart = np.abs(back - colour.seen(tile))
                self.assertLess(np.quantile(apart, 0.99), 1e-3)

    def test_mirrored_normals_face_the_other_way(self) -> None:
        lean = np.zeros((32, 32, 3), np.float32)
        lean[:] = np.array([0.6, 0.0, 0.8], np.float32)
        normals = Picture(lean, Space.VECTOR)
        tile = STEPS["mirror_tile"].apply(normals, MirrorTile(axes="x"))
        np.testing.assert_allclose(tile.pixels[:, :16, 0], 0.6, atol=1e-6)
        np.testing.assert_allclose(tile.pixels[:, 16:, 0], -0.6, atol=1e-6)
        np.testing.assert_allclose(tile.pixels[..., 1], 0, atol=1e-6)

    @staticmethod
    def _at(result: Picture, like: Picture) -> Floats:
        from stonestack.core.picture.resize import resize

        return resize(result, like.width, like.height, "box").pixels


class PatchingTogether(unittest.TestCase):
    def test_no_patch_is_seen_twice(self) -> None:
        tile = tiled("stochastic", QuiltTile())
        light = colour.seen(tile).mean(axis=2)
        side = 56
        worst = 0.0
        for top in range(0, light.shape[0] - side, side):
            for left in range(0, light.shape[1] - side, side):
                worst = max(worst, self._best_elsewhere(light, top, left, side))
        self.assertLess(worst, COPY)

    def test_the_same_measure_finds_a_copied_patch(self) -> None:
        light = colour.seen(tiled("stochastic", QuiltTile())).mean(axis=2).copy()
        light[200:256, 210:266] = light[20:76, 30:86]
        self.assertGreater(self._best_elsewhere(light, 20, 30, 56), 0.99)

    def test_patches_follow_the_grain_so_that_none_is_seen_again(self) -> None:
        sides = {}
        for matter in ("granite", "cobbles", "wood"):
            stored = drawn(matter, Canvas(300, 300, 23, False))
            source = Picture(colour.to_linear(stored), Space.LINEAR)
            sides[matter] = quilt.solve(source, QuiltTile(), None).side
            if matter == "wood":
                # Its patches are a sixth of the picture: some parts are there again.
                continue
            scores = tile_scores(quilt_tile(source, QuiltTile(structure="free")))
            assert scores is not None
            self.assertNotIn("copy", [f.kind for f in scores.faults if f.strength >= 1], matter)
        self.assertLess(sides["granite"], sides["cobbles"])
        self.assertLess(sides["cobbles"], sides["wood"])

    def test_a_larger_tile_than_the_source(self) -> None:
        square = quilt_tile(
            Picture(raw("weave", 200).pixels[:140], Space.LINEAR), QuiltTile(shape="square")
        )
        self.assertEqual(square.width, square.height)
        self.assertAlmostEqual(square.width, (200 * 140) ** 0.5, delta=10)
        tile = quilt_tile(raw("weave", 200), QuiltTile(width=2, height=1.5))
        # As near as whole threads come.
        self.assertAlmostEqual(tile.width, 400, delta=10)
        self.assertAlmostEqual(tile.height, 300, delta=10)
        score = seam_score(tile)
        self.assertAlmostEqual(score.x, 1, delta=0.2)
        self.assertAlmostEqual(score.y, 1, delta=0.2)

    def test_masked_places_are_never_used(self) -> None:
        source = raw("stochastic", 200)
        marked = np.concatenate([source.pixels, np.ones((200, 200, 1), np.float32)], axis=2)
        marked[80:110, 60:100] = [1, 0, 1, 0]
        tile = quilt_tile(Picture(marked, Space.LINEAR, alpha=True), QuiltTile(patch=0.2))
        self.assertGreater(tile.pixels[..., 3].min(), 0.99)
        self.assertLess((tile.pixels[..., 0] - tile.pixels[..., 1]).max(), 0.6)

    def test_too_many_patches_are_refused_in_words(self) -> None:
        with self.assertRaises(BadRequest) as refused:
            quilt_tile(raw("stochastic", 420), QuiltTile(patch=0.06, width=4, height=4))
        self.assertIn("larger patches", refused.exception.fix)

    @staticmethod
    def _best_elsewhere(light: NDArray[np.float32], top: int, left: int, side: int) -> float:
        """Return the best normalised correlation of a patch with any place away from its own."""
        import cv2

        patch = np.ascontiguousarray(light[top : top + side, left : left + side])
        ring = np.pad(light, ((0, side - 1), (0, side - 1)), mode="wrap")
        found = cv2.matchTemplate(ring.astype(np.float32), patch, cv2.TM_CCOEFF_NORMED)
        rows = np.arange(light.shape[0])[:, np.newaxis] - top
        columns = np.arange(light.shape[1])[np.newaxis, :] - left
        height, width = light.shape
        down = np.minimum(np.abs(rows), height - np.abs(rows))
        across = np.minimum(np.abs(columns), width - np.abs(columns))
        found[np.hypot(down, across) < side / 2] = -1
        return float(found.max())


class RepairingSpots(unittest.TestCase):
    def test_one_repair_takes_the_culprit_away_on_every_matter(self) -> None:
        for base in times(list(defects.BASES), list(defects.BASES)[::2]):
            spoiled = defects.made(base, "spot 0.5")
            before = tile_scores(spoiled)
            assert before is not None
            worst = before.culprits[0]
            spot = Spot(x=worst.x, y=worst.y, radius=worst.radius)
            mended = patch_spots(spoiled, PatchSpots(spots=(spot,)))
            after = tile_scores(mended)
            assert after is not None
            with self.subTest(base=base):
                self.assertGreater(before.repetition, 2.5)
                self.assertLess(after.repetition, 1.25)

    def test_nothing_else_is_changed_and_the_rim_has_no_step(self) -> None:
        spoiled = defects.made("stochastic", "spot 0.5")
        spot = Spot(x=0.4, y=0.55, radius=0.06)
        mended = patch_spots(spoiled, PatchSpots(spots=(spot,)))
        y, x = np.mgrid[0:320, 0:320]
        away = np.hypot(x - 0.4 * 320, y - 0.55 * 320)
        outside = away > 0.06 * 320 * 1.25 + 1
        np.testing.assert_allclose(mended.pixels[outside], spoiled.pixels[outside], atol=1e-6)
        seen = colour.seen(mended).mean(axis=2)
        slope = np.hypot(*np.gradient(seen))
        rim = np.abs(away - 0.06 * 320 * 1.25) < 1.5
        self.assertLess(slope[rim].mean(), 1.25 * slope[outside].mean())

    def test_it_never_makes_a_tile_worse(self) -> None:
        rng = np.random.default_rng(31)
        for matter in ("rust", "cobbles", "planks"):
            stored = drawn(matter, Canvas(240, 200, 31, True))
            tile = Picture(colour.to_linear(stored), Space.LINEAR, wraps=True)
            before = tile_scores(tile)
            assert before is not None
            spots = tuple(Spot(x=x, y=y, radius=0.06) for x, y in rng.random((3, 2)))
            after = tile_scores(patch_spots(tile, PatchSpots(spots=spots)))
            assert after is not None
            with self.subTest(matter=matter):
                self.assertLessEqual(after.repetition, 1.05 * before.repetition)

    def test_over_the_corner_it_works_as_anywhere(self) -> None:
        spoiled = defects.made("weave", "spot 0.5")
        moved = spoiled.with_pixels(np.roll(spoiled.pixels, (144, 192), axis=(0, 1)))
        scores = tile_scores(moved)
        assert scores is not None
        worst = scores.culprits[0]
        spot = Spot(x=worst.x, y=worst.y, radius=worst.radius)
        after = tile_scores(patch_spots(moved, PatchSpots(spots=(spot,))))
        assert after is not None
        self.assertLess(after.repetition, 1.25)

    def test_another_piece_can_be_asked_for(self) -> None:
        spoiled = defects.made("stochastic", "spot 0.5")
        spots = (Spot(x=0.4, y=0.55, radius=0.06),)
        first, second = (
            patch_spots(spoiled, PatchSpots(spots=spots, other=n)).pixels for n in (0, 1)
        )
        self.assertGreater(np.abs(first - second).max(), 0.05)
