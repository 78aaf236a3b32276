from __future__ import annotations

import unittest
from unittest.mock import patch

from stonestack.core.runtime import memory
from stonestack.core.runtime.memory import LEAST, MOST_BY_ITSELF, Memory, default_budget, kept


class Budget(unittest.TestCase):
    def test_it_is_a_quarter_of_the_machine_and_no_more_than_a_gigabyte(self) -> None:
        for machine, wanted in ((2 << 30, 512 << 20), (64 << 30, MOST_BY_ITSELF)):
            with patch.object(memory, "of_machine", return_value=machine):
                self.assertEqual(default_budget(), wanted)
        self.assertGreater(memory.of_machine(), 256 << 20)

    def test_each_has_what_the_others_leave(self) -> None:
        budget = Memory(1000)
        budget.hold("graph", 300)
        budget.hold("results", 500)
        self.assertEqual(budget.room_for("results"), 700)
        self.assertEqual(budget.room_for("indexes"), 200)
        budget.hold("graph", 900)
        self.assertEqual(budget.room_for("results"), 100)
        budget.hold("graph", 0)
        self.assertEqual((budget.room_for("results"), budget.used()), (1000, 500))

    def test_small_things_have_a_part_and_the_oldest_go_first(self) -> None:
        budget = Memory(8000)
        for i in range(12):
            budget.keep(i, f"thing {i}", 100)
            budget.taken(0)
        self.assertLessEqual(budget.used(), 1000)
        self.assertEqual(budget.taken(0), "thing 0")
        self.assertIsNone(budget.taken(1))
        self.assertEqual(budget.taken(11), "thing 11")
        budget.keep(11, "again", 50)
        self.assertEqual(budget.used(), 950)

    def test_a_smaller_budget_is_kept_at_once_but_is_never_nothing(self) -> None:
        budget = Memory(1 << 30)
        budget.keep("a", "a", 100 << 20)
        budget.limit(1)
        self.assertEqual(budget.most, LEAST)
        self.assertEqual(budget.used(), 0)

    def test_what_a_function_returns_is_kept_by_its_parameters(self) -> None:
        called = []

        @kept(lambda word, times=1: len(word) * times)
        def repeated(word: str, times: int = 1) -> str:
            called.append((word, times))
            return word * times

        with patch.object(memory, "MEMORY", Memory(8000)):
            self.assertEqual(
                [repeated("ab"), repeated("ab"), repeated("ab", times=2)], ["ab", "ab", "abab"]
            )
            self.assertEqual(called, [("ab", 1), ("ab", 2)])
            self.assertEqual(memory.MEMORY.used(), 6)


if __name__ == "__main__":
    unittest.main()
