"""What screens ask for first is made before, and what cannot be made holds nothing up."""

import unittest

from stonestack.core.document import edits
from stonestack.core.kinds.node import Node
from stonestack.core.tables.roles import Role
from stonestack.services.documents import materials, projects, surfaces
from stonestack.services.game import sources
from stonestack.services.jobs import silent
from stonestack.services.making import checking
from stonestack.services.making.warming import SLOT, SWATCH, THUMB, warm
from stonestack.store.files import sha256
from tests.services.test_surfaces import SurfaceCase
from tests.support import raw_picture


class Warming(SurfaceCase):
    def test_a_new_start_makes_nothing_for_lists_slots_and_checks(self) -> None:
        self.assertEqual(warm(self.ws, silent()), {"left": []})
        again = self.opened()
        ran: list[Node] = []
        again.renderer.on_run = ran.append
        (project,) = projects.listed(again)
        shown = [(k, THUMB) for m in self.surface.keys.values() for k in m.values()]
        shown += [(k, SWATCH) for s in surfaces.listed(again, project.id) for k in s.keys.values()]
        slots = [slot.key for m in materials.listed(again, project.id) for slot in m.slots]
        shown += [(key, SLOT) for key in slots]
        for key, side in shown:
            if key is not None:
                again.renderer.png(key, side)
        checking.checked(again, self.surface.id)
        self.assertGreater(len([key for key in slots if key]), 1)
        self.assertEqual([node.op for node in ran], [])

    def test_a_surface_whose_picture_is_gone_does_not_hold_up_the_others(self) -> None:
        lost = sources.bring(self.ws, self.project.id, "lost.png", raw_picture(seed=31))
        made = surfaces.create(self.ws, self.project.id, "Gone", "gone")
        self.edit(made, edits.SetOrigin(map=Role.COLOUR, origin=lost.origin))
        self.ws.files.path(sha256(raw_picture(seed=31))).unlink()
        self.assertEqual(warm(self.ws, silent()), {"left": ["Gone"]})
        again = self.opened()
        ran: list[Node] = []
        again.renderer.on_run = ran.append
        checking.checked(again, self.surface.id)
        self.assertEqual(ran, [])


if __name__ == "__main__":
    unittest.main()
