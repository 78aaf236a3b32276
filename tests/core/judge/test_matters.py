"""What a surface is made of: its table, its guess, and what follows for its maps."""

import threading
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np

from stonestack.core.document import MapOrigin, Surface, edits, new_surface
from stonestack.core.document.materials import PhysicalKind
from stonestack.core.judge.matter_guess import guess_matter
from stonestack.core.picture import colour
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.remembering import Remembered
from stonestack.core.runtime.errors import Cancelled
from stonestack.core.tables.matters import MATTERS, Matter
from stonestack.core.tables.roles import Role
from stonestack.demo.paint import Canvas
from stonestack.trials import matters, scenes


def drawn(name: str, seed: int = 5) -> Picture:
    stored = matters.drawn(name, Canvas(256, 256, seed, True))
    return Picture(colour.to_linear(stored), Space.LINEAR, wraps=True)


def seen(name: str, seed: int = 5) -> Picture:
    stored = scenes.photograph(scenes.scene(name, seed, 256), scenes.Light(), seed)
    return Picture(colour.bytes_to_linear(stored), Space.LINEAR, wraps=True)


class Table(unittest.TestCase):
    def test_its_ranges_are_ranges_and_its_words_mean_one_matter(self) -> None:
        words: list[str] = []
        for matter, info in MATTERS.items():
            for low, high in (info.reflects, info.albedo):
                self.assertTrue(0 <= low < high <= 1, matter)
            self.assertTrue(0 < info.steepness <= 35 and 0 <= info.gloss <= 1, matter)
            self.assertIn(info.physical, list(PhysicalKind))
            words += info.words.split()
        self.assertEqual(len(words), len(set(words)))

    def test_only_metals_reflect_as_metals_do(self) -> None:
        for info in MATTERS.values():
            self.assertEqual(info.metal, info.reflects[0] >= 0.5)

    def test_reflection_follows_from_the_refractive_index(self) -> None:
        for matter, index in ((Matter.GLASS, 1.52), (Matter.STONE, 1.54), (Matter.CLOTH, 1.55)):
            low, high = MATTERS[matter].reflects
            self.assertTrue(low <= ((index - 1) / (index + 1)) ** 2 <= high, matter)


class Guess(unittest.TestCase):
    def test_a_name_that_says_it_is_believed(self) -> None:
        for name, matter in (
            ("wall_brick_old.png", Matter.BRICK),
            ("oak_planks_c.tga", Matter.WOOD),
            ("rusty_iron", Matter.RUSTED_METAL),
            ("wall_limewash", Matter.PLASTER),
            ("leather02", Matter.LEATHER),
        ):
            guess = guess_matter(drawn("granite"), name)
            self.assertEqual(guess.matter, matter, name)
            self.assertGreater(guess.sure, 0.5)
            self.assertIn("name", guess.why)

    def test_what_looks_like_it_is_told_without_a_name(self) -> None:
        for picture, matter in (
            (drawn("grass"), Matter.PLANTS),
            (drawn("wood"), Matter.WOOD),
            (seen("bricks, pale joints"), Matter.BRICK),
        ):
            guess = guess_matter(picture)
            self.assertEqual(guess.matter, matter)
            self.assertGreater(guess.sure, 0.3)

    def test_what_says_nothing_is_not_sure(self) -> None:
        grey = Picture(np.full((64, 64, 3), 0.2, np.float32), Space.LINEAR)
        self.assertLess(guess_matter(grey).sure, 0.4)


class Said(unittest.TestCase):
    def begun(self) -> Surface:
        return new_surface("Wall", "wall", frozenset(Role) - {Role.PACKED, Role.METALNESS})

    def params(self, surface: Surface, role: Role) -> Any:
        return surface.map(role).steps[0].params

    def test_maps_begin_with_its_numbers_and_keep_their_other_settings(self) -> None:
        surface = edits.SetMatter(matter=Matter.GLASS).apply(self.begun())
        info = MATTERS[Matter.GLASS]
        self.assertEqual(surface.matter, Matter.GLASS)
        normal = self.params(surface, Role.NORMAL)
        self.assertEqual((normal.by, normal.steepness), ("steepness", info.steepness))
        self.assertEqual(self.params(surface, Role.GLOSS).level, info.gloss)
        self.assertAlmostEqual(self.params(surface, Role.ROUGHNESS).level, 1 - info.gloss)
        self.assertAlmostEqual(
            self.params(surface, Role.SPECULAR).high, info.reflects[1], delta=0.003
        )
        again = edits.SetMatter(matter=Matter.EARTH).apply(surface)
        self.assertEqual(self.params(again, Role.NORMAL).kernel, normal.kernel)
        self.assertNotEqual(self.params(again, Role.NORMAL).steepness, normal.steepness)
        self.assertEqual(self.params(again, Role.HEIGHT), self.params(surface, Role.HEIGHT))

    def test_a_map_that_is_derived_later_begins_with_them_too(self) -> None:
        small = edits.SetMatter(matter=Matter.METAL).apply(new_surface("Rib", "rib"))
        more = edits.AddMap(role=Role.GLOSS).apply(small)
        self.assertEqual(self.params(more, Role.GLOSS).level, MATTERS[Matter.METAL].gloss)
        other = edits.SetOrigin(map="normal", origin=MapOrigin(map="colour")).apply(more)
        self.assertEqual(self.params(other, Role.NORMAL).by, "steepness")

    def test_words_tell_a_guess_from_what_was_said(self) -> None:
        surface = self.begun()
        self.assertEqual(edits.SetMatter(matter=Matter.WOOD).words(surface), "It is wood")
        guessed = edits.SetMatter(matter=Matter.WOOD, guessed=0.7, why="boards")
        self.assertEqual(guessed.apply(surface).matter_why, "boards")
        self.assertEqual(guessed.words(surface), "Taken for wood")
        self.assertEqual(guessed.apply(surface).matter_guessed, 0.7)


class Remembering(unittest.TestCase):
    def test_what_is_known_is_not_found_again_and_the_oldest_is_let_go(self) -> None:
        known: Remembered[float] = Remembered(2)
        asked: list[float] = []

        def find(value: float) -> float:
            def work() -> float:
                asked.append(value)
                return value

            return known.of(np.full((2, 2), value, np.float32), True, work=work)

        self.assertEqual([find(v) for v in (1, 2, 1, 3, 1, 2)], [1, 2, 1, 3, 1, 2])
        self.assertEqual(asked, [1, 2, 3, 2])

    def test_who_asks_while_it_is_found_out_waits_for_that(self) -> None:
        known: Remembered[int] = Remembered()
        values, asked, at_work = np.zeros((2, 2), np.float32), [], threading.Event()

        def work() -> int:
            asked.append(1)
            at_work.set()
            time.sleep(0.2)
            return 7

        with ThreadPoolExecutor(3) as pool:
            first = pool.submit(known.of, values, work=work)
            at_work.wait(10)
            others = [pool.submit(known.of, values, work=work) for _ in range(2)]
            self.assertEqual([one.result(10) for one in (first, *others)], [7, 7, 7])
        self.assertEqual(asked, [1])

    def test_after_a_failure_who_waited_tries_anew(self) -> None:
        known: Remembered[int] = Remembered()
        values, at_work = np.zeros((2, 2), np.float32), threading.Event()

        def stopped() -> int:
            at_work.set()
            time.sleep(0.2)
            raise Cancelled

        with ThreadPoolExecutor(2) as pool:
            first = pool.submit(known.of, values, work=stopped)
            at_work.wait(10)
            second = pool.submit(known.of, values, work=lambda: 3)
            self.assertRaises(Cancelled, first.result, 10)
            self.assertEqual(second.result(10), 3)

    def test_what_else_it_depends_on_parts_it(self) -> None:
        known: Remembered[int] = Remembered()
        values = np.zeros((2, 2), np.float32)
        self.assertEqual(known.of(values, True, work=lambda: 1), 1)
        self.assertEqual(known.of(values, False, work=lambda: 2), 2)
        self.assertEqual(known.of(values.reshape(4, 1), True, work=lambda: 3), 3)
