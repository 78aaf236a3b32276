import io

import numpy as np
from PIL import Image

from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tables.roles import Role
from stonestack.services.documents import projects
from stonestack.services.game import alike, cataloguing, finding, games, shelf, sources, taking
from stonestack.services.game.finding import EntryView, Query
from stonestack.services.jobs import silent
from stonestack.services.safe import planning
from tests.core.tile import defects
from tests.support import WorkspaceCase, noise, png


def stored(base: str, seed: int = 5, side: int = 200) -> bytes:
    return png(np.rint(defects.BASES[base](side, seed, False) * 255).astype(np.uint8))


def grey(seed: int = 9) -> bytes:
    values = (noise(200, 200, seed, 6, channels=1) * 255).astype(np.uint8)
    return png(np.repeat(values, 3, axis=2))


class Shelves(WorkspaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.project = projects.create(self.ws, "Quay", None).id

    def bring(self, **files: bytes) -> str:
        for name, data in files.items():
            sources.bring(self.ws, self.project, f"{name}.png", data)
        return shelf.catalogue(self.ws, self.project)

    def found(self, words: str = "", **wanted: str) -> list[EntryView]:
        query = Query.model_validate({"words": words, **wanted})
        return finding.search(self.ws, shelf.catalogue(self.ws, self.project), query).entries

    def test_what_comes_in_is_found_by_the_same_search_as_a_game_s_files(self) -> None:
        self.bring(quay_wall_c=stored("bricks"), quay_wall_h=grey(), sail=stored("weave"))
        self.assertEqual(
            [e.path for e in self.found("wall quay")], ["quay_wall_c.png", "quay_wall_h.png"]
        )
        self.assertEqual([e.path for e in self.found(role="height")], ["quay_wall_h.png"])
        self.assertEqual(self.found("nothing such"), [])

    def test_entries_say_of_their_role_what_the_source_says(self) -> None:
        self.bring(wall_opening=grey(), wall=stored("bricks"))
        facts = {s.facts.name: s.facts for s in sources.listed(self.ws, self.project)}
        for entry in self.found():
            told = facts[entry.path]
            self.assertEqual(
                (entry.role, entry.role_reason, entry.use),
                (str(told.role), told.role_reason, told.use),
            )
        # "opening" is a word of the target's own.
        self.assertEqual(facts["wall_opening.png"].role, Role.ALPHA)
        self.assertEqual({e.thing for e in self.found()}, {"wall"})

    def test_the_bytes_are_those_that_came_and_a_second_name_is_a_twin(self) -> None:
        data = stored("bricks")
        shelf_id = self.bring(wall=data, south_side=data)
        entries = self.found()
        self.assertEqual(len(entries), 2)
        for entry in entries:
            self.assertEqual(finding.content(self.ws, shelf_id, entry.id), data)
        self.assertEqual(sorted(e.relation for e in entries), ["map", "twin"])

    def test_what_is_shown_stays_the_same_entry_when_its_content_comes_again(self) -> None:
        data = stored("bricks")
        self.bring(wall=data, sail=stored("weave"))
        before = {e.path: e.id for e in self.found()}
        self.bring(annex=data, zinc=data, sand=stored("stochastic"))
        after = {e.path: e.id for e in self.found()}
        self.assertEqual(len(after), 5)
        self.assertEqual({path: after[path] for path in before}, before)

    def test_a_picture_is_found_by_its_looks_beside_another_catalogue(self) -> None:
        shelf_id = self.bring(
            wall=stored("bricks"), sail=stored("weave"), sand=stored("stochastic")
        )
        other = projects.create(self.ws, "Mill", None).id
        sources.bring(self.ws, other, "old_wall.png", stored("bricks"))
        picture = Image.open(io.BytesIO(stored("bricks"))).convert("RGB").resize((150, 150))
        asked = io.BytesIO()
        picture.save(asked, "JPEG", quality=80)
        places = [shelf_id, shelf.catalogue(self.ws, other)]
        found = alike.like(self.ws, places, asked.getvalue(), silent())
        self.assertEqual({e.path for e in found[:2]}, {"wall.png", "old_wall.png"})
        self.assertEqual({e.game_id for e in found[:2]}, set(places))

    def test_a_photograph_that_the_camera_turned_is_known_as_it_is_seen(self) -> None:
        # Courses lie level; the camera was held upright, so they are stored standing.
        seen = Image.open(io.BytesIO(stored("bricks"))).convert("RGB").crop((0, 0, 200, 120))
        turned = io.BytesIO()
        exif = Image.Exif()
        exif[0x0112] = 6
        seen.transpose(Image.Transpose.ROTATE_90).save(turned, "JPEG", quality=92, exif=exif)
        sources.bring(self.ws, self.project, "turned.jpg", turned.getvalue())
        asked = io.BytesIO()
        seen.save(asked, "PNG")
        places = [shelf.catalogue(self.ws, self.project)]
        (found,) = alike.like(self.ws, places, asked.getvalue(), silent())
        self.assertLess(found.distance or 0, 20)
        self.assertEqual((found.width, found.height), (200, 120))

    def test_files_that_belong_together_are_one_set_and_what_lacks_is_said(self) -> None:
        self.bring(
            kelp_rope_c=stored("weave"),
            kelp_rope_h=grey(9),
            kelp_rope_s=grey(4),
            salt_crust_c=stored("stochastic"),
        )
        (found,) = shelf.sets(self.ws, self.project)
        by_id = {s.id: s.facts.name for s in sources.listed(self.ws, self.project)}
        self.assertEqual(found.stem, "kelp_rope")
        self.assertEqual(by_id[found.roles[Role.HEIGHT]], "kelp_rope_h.png")
        self.assertEqual(found.missing, [Role.NORMAL])

    def test_a_shelf_is_no_game_folder(self) -> None:
        shelf_id = self.bring(wall=stored("bricks"))
        (entry,) = self.found()
        for act in (
            lambda: taking.into_project(self.ws, self.project, shelf_id, [entry.id]),
            lambda: cataloguing.catalogue(self.ws, shelf_id, silent()),
            lambda: planning.plan(
                self.ws, shelf_id, [planning.from_file(entry.id, stored("weave"))], None
            ),
        ):
            with self.assertRaises(BadRequest):
                act()
        self.assertEqual(finding.content(self.ws, shelf_id, entry.id), stored("bricks"))
        self.assertEqual(games.listed(self.ws), [])
