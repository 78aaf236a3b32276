"""Balance light: planted lamps go, what the matter varies by itself stays."""

import unittest

import numpy as np

from stonestack.core.picture import colour
from stonestack.core.picture.image import Picture, Space
from stonestack.core.tile.light import BalanceLight, _terms, balance_light, light_field
from stonestack.demo.paint import Canvas
from stonestack.trials import lights
from stonestack.trials.matters import drawn

SEED = 804


class Terms(unittest.TestCase):
    def test_they_are_upright_and_hold_every_polynomial_of_their_order(self) -> None:
        for width, height in ((96, 96), (96, 40), (12, 3), (1, 5)):
            powers, terms = _terms(width, height)
            np.testing.assert_allclose(terms.T @ terms, np.eye(len(powers)), atol=1e-9)
            y, x = np.mgrid[0:height, 0:width].reshape(2, -1) / max(width, height)
            for order in range(min(width, height, 11)):
                kept = terms[:, powers.sum(axis=1) <= order]
                one = (x + 0.3 * y) ** order
                np.testing.assert_allclose(kept @ (kept.T @ one), one, atol=1e-9)


class Lamps(unittest.TestCase):
    def test_next_to_nothing_is_left_of_a_planted_lamp(self) -> None:
        left = [lights.told((matter, SEED)).left for matter in ("sand", "granite", "wall", "rust")]
        for name in lights.LAMPS:
            shares = [each[name] for each in left]
            with self.subTest(lamp=name):
                self.assertLess(np.median(shares), 0.08 if name == "spot" else 0.05, shares)
                self.assertLess(max(shares), 0.3, shares)

    def test_what_a_matter_varies_by_itself_stays(self) -> None:
        lost = [lights.told((m, SEED)).lost for m in ("grit", "gravel", "cobbles", "bark")]
        self.assertLess(np.median(lost), 0.15, lost)

    def test_a_tint_that_no_lamp_has_is_the_matter_s_own(self) -> None:
        stored = drawn("grit", Canvas(240, 200, SEED, False))
        x = np.linspace(-0.4, 0.4, 240, dtype=np.float32)[np.newaxis, :, np.newaxis]
        redder = colour.to_linear(stored) * np.exp(x * np.array([1, 0, -1], np.float32))
        picture = Picture(np.clip(redder, 0, 1).astype(np.float32), Space.LINEAR)
        field = light_field(picture)
        np.testing.assert_allclose(field[..., 0], field[..., 2], rtol=1e-4)

    def test_clear_places_neither_count_nor_change(self) -> None:
        stored = drawn("granite", Canvas(240, 200, SEED, False))
        x = np.linspace(0.7, 1.3, 240, dtype=np.float32)[np.newaxis, :, np.newaxis]
        lit = (colour.to_linear(stored) * x).astype(np.float32)
        alpha = np.ones((200, 240, 1), np.float32)
        alpha[60:140, 80:160] = 0
        cut = np.where(alpha > 0, lit, np.float32(0))
        picture = Picture(np.concatenate([cut, alpha], axis=2), Space.LINEAR, alpha=True)
        whole = light_field(Picture(lit, Space.LINEAR))
        np.testing.assert_allclose(light_field(picture), whole, rtol=0.06)
        again = balance_light(picture, BalanceLight())
        np.testing.assert_array_equal(again.pixels[..., 3:], alpha)


if __name__ == "__main__":
    unittest.main()
