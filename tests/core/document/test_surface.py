import unittest

from pydantic import TypeAdapter, ValidationError

from stonestack.core.document import (
    MapOrigin,
    SourceOrigin,
    Stage,
    Step,
    Surface,
    differences,
    edits,
    new_surface,
)
from stonestack.core.document.leaving import leaving
from stonestack.core.files.blocks import BlockFormat
from stonestack.core.graph.wiring import Wiring
from stonestack.core.kinds.node import Node, ordered
from stonestack.core.kinds.references import SourceRef
from stonestack.core.picture.normals import Green
from stonestack.core.raw.frame import Corner, Frame
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.steps import STEPS
from stonestack.core.steps.derive.normal import NormalFromHeight
from stonestack.core.steps.levels import Levels
from stonestack.core.tables.roles import Role
from stonestack.core.tables.sizing import Size
from stonestack.core.tables.targets import TARGETS
from stonestack.core.tile.boundary import CutTile
from tests.support import add_step, set_output, set_step

ORIGIN = SourceOrigin(sha256="ab" * 32, name="a.png", width=1437, height=1011)


def begun() -> Surface:
    return edits.SetOrigin(map=Role.COLOUR, origin=ORIGIN).apply(new_surface("Floor", "floor"))


def keys(surface: Surface) -> dict[tuple[Role, Stage], str]:
    found = {}
    for role, stages in Wiring(surface).stages().items():
        for stage, key in stages.items():
            assert key is not None
            found[role, stage] = key
    return found


def nodes(surface: Surface, role: Role, stage: Stage, longest: int | None = None) -> list[Node]:
    """Return all that a stage of a map comes from."""
    wiring = Wiring(surface, longest)
    key = wiring.at(role, stage)
    assert key is not None
    return ordered(key, wiring.graph.__getitem__)


class Wired(unittest.TestCase):
    def test_nothing_is_wired_before_there_is_a_source(self) -> None:
        wiring = Wiring(new_surface("Floor", "floor"))
        self.assertIsNone(wiring.at(Role.NORMAL, Stage.COMPRESS))

    def test_a_step_of_colour_changes_all_that_depends_on_it_and_no_source(self) -> None:
        before = begun()
        after = add_step(Role.COLOUR, Levels(black=0.1)).apply(before)
        for place, key in keys(after).items():
            changed = key != keys(before)[place]
            own = [(Role.COLOUR, stage) for stage in (Stage.RAW, Stage.SOURCE)]
            self.assertEqual(changed, place not in own, place)

    def test_a_step_of_the_normal_map_changes_only_the_normal_map(self) -> None:
        before = begun()
        step = NormalFromHeight(relief=7)
        after = set_step(before, Role.NORMAL, 0, step).apply(before)
        changed = {place for place, key in keys(after).items() if key != keys(before)[place]}
        later = {Stage.STEPS, Stage.SIZE, Stage.FINISH, Stage.COMPRESS}
        self.assertEqual(changed, {(Role.NORMAL, stage) for stage in later})

    def test_a_step_that_is_off_counts_for_nothing(self) -> None:
        surface = edits.AddStep(map=Role.COLOUR, step=Step(enabled=False, params=Levels())).apply(
            begun()
        )
        self.assertEqual(keys(surface), keys(begun()))

    def test_names_do_not_enter_the_key(self) -> None:
        named = set_output(Role.COLOUR, name="other_c").apply(begun())
        self.assertEqual(keys(named), keys(begun()))


class OwnLevels(unittest.TestCase):
    """A single smaller level exchanged for a picture."""

    PICTURE = SourceRef(sha256="ab" * 32, name="far.png", width=64, height=64)

    def test_it_changes_what_is_compressed_and_nothing_before(self) -> None:
        before = begun()
        edit = edits.SetLevel(map=Role.COLOUR, level=4, picture=self.PICTURE)
        after = edit.apply(before)
        changed = {place for place, key in keys(after).items() if key != keys(before)[place]}
        self.assertEqual(changed, {(Role.COLOUR, Stage.COMPRESS)})
        self.assertEqual(edit.words(before), "Colour: level 4 far.png")
        self.assertEqual(differences.between(before, after), ["Colour: level 4 far.png"])
        again = edits.SetLevel(map=Role.COLOUR, level=4).apply(after)
        self.assertEqual(keys(again), keys(before))

    def test_a_level_that_is_not_there_is_refused_and_one_that_vanished_is_left_out(self) -> None:
        before = begun()
        with self.assertRaises(BadRequest):
            edits.SetLevel(map=Role.COLOUR, level=14, picture=self.PICTURE).apply(before)
        small = edits.SetSize(map=Role.COLOUR, size=Size(width=8, height=8)).apply
        with_own = edits.SetLevel(map=Role.COLOUR, level=9, picture=self.PICTURE).apply(before)
        self.assertEqual(keys(small(with_own)), keys(small(before)))

    def test_a_look_that_passes_has_none(self) -> None:
        before = begun()
        after = edits.SetLevel(map=Role.COLOUR, level=4, picture=self.PICTURE).apply(before)
        looks = [Wiring(s, 128).at(Role.COLOUR, Stage.COMPRESS) for s in (before, after)]
        self.assertEqual(*looks)


class FollowingTheColour(unittest.TestCase):
    """Maps with files of their own are cut as the colour is."""

    OWN = SourceOrigin(sha256="cd" * 32, name="n.png", width=1437, height=1011)

    def setUp(self) -> None:
        self.surface = edits.SetOrigin(map=Role.NORMAL, origin=self.OWN).apply(begun())

    def test_a_step_that_moves_the_colour_s_texels_moves_theirs(self) -> None:
        step = CutTile(most=0.3)
        after = set_step(self.surface, Role.COLOUR, 1, step).apply(self.surface)
        place = (Role.NORMAL, Stage.STEPS)
        self.assertNotEqual(keys(after)[place], keys(self.surface)[place])

    def test_a_step_that_only_tones_the_colour_leaves_them(self) -> None:
        last = add_step(Role.COLOUR, Levels(black=0.1)).apply(self.surface)
        place = (Role.NORMAL, Stage.STEPS)
        self.assertEqual(keys(last)[place], keys(self.surface)[place])

    def test_the_colour_s_frame_is_theirs(self) -> None:
        frame = Frame(top_left=Corner(x=0.1, y=0))
        after = edits.SetFrame(map=Role.COLOUR, frame=frame).apply(self.surface)
        place = (Role.NORMAL, Stage.SOURCE)
        self.assertNotEqual(keys(after)[place], keys(self.surface)[place])
        self.assertEqual(
            keys(after)[Role.NORMAL, Stage.RAW], keys(self.surface)[Role.NORMAL, Stage.RAW]
        )

    def test_both_are_laid_by_one_solution(self) -> None:
        solved = []
        for role in (Role.COLOUR, Role.NORMAL):
            found = nodes(self.surface, role, Stage.STEPS)
            solved.append([n.key for n in found if n.op == "geometry:cut_tile"])
        self.assertEqual(solved[0], solved[1])
        self.assertEqual(len(solved[0]), 1)

    def test_a_passing_look_is_laid_by_the_result_s_solution(self) -> None:
        found = set()
        for longest in (None, 512):
            for node in nodes(self.surface, Role.COLOUR, Stage.STEPS, longest):
                if node.op == "geometry:cut_tile":
                    found.add(node.key)
        self.assertEqual(len(found), 1)

    def test_it_can_be_let_go(self) -> None:
        own = self.surface.map(Role.NORMAL)
        free = self.surface.with_map(own.model_copy(update={"moves_with": None}))
        self.assertEqual({n.op for n in nodes(free, Role.NORMAL, Stage.STEPS)}, {"decode"})


class Documents(unittest.TestCase):
    def test_a_document_comes_back_from_json(self) -> None:
        surface = begun()
        self.assertEqual(Surface.model_validate_json(surface.model_dump_json()), surface)

    def test_a_map_cannot_come_from_itself_by_any_way(self) -> None:
        height = begun().map(Role.HEIGHT)
        loop = height.model_copy(update={"origin": MapOrigin(map=Role.NORMAL)})
        with self.assertRaises(ValidationError):
            begun().with_map(loop)
        with self.assertRaises(ValidationError):
            edits.SetOrigin(map=Role.HEIGHT, origin=MapOrigin(map=Role.NORMAL)).apply(begun())

    def test_sizes_are_powers_of_two(self) -> None:
        for side in (0, 3, 1000, 8192):
            with self.assertRaises(ValidationError):
                Size(width=side, height=64)

    def test_a_format_that_cannot_carry_the_role_is_refused(self) -> None:
        with self.assertRaises(ValidationError):
            set_output(Role.NORMAL, format=BlockFormat.BC4).apply(begun())

    def test_a_step_for_another_role_is_refused(self) -> None:
        with self.assertRaises(ValidationError):
            add_step(Role.COLOUR, NormalFromHeight()).apply(begun())

    def test_names_that_leave_their_folder_are_refused(self) -> None:
        for name in (
            "../up",
            "a/b",
            "a\\b",
            "",
            "con",
            "CON.x",
            ".a",
            "a.",
            "a ",
            "x" * 120,
            "a\0b",
        ):
            with self.assertRaises((BadRequest, ValidationError)):
                set_output(Role.COLOUR, name=name).apply(begun())

    def test_unknown_fields_are_refused(self) -> None:
        with self.assertRaises(ValidationError):
            Surface.model_validate({**begun().model_dump(), "extra": 1})


class Edits(unittest.TestCase):
    def test_the_first_colour_settles_size_and_alpha(self) -> None:
        origin = ORIGIN.model_copy(update={"alpha": True})
        surface = edits.SetOrigin(map=Role.COLOUR, origin=origin).apply(new_surface("L", "l"))
        target = TARGETS["saltglass"]
        colour = leaving(surface, surface.map(Role.COLOUR), target)
        self.assertEqual(colour.format, BlockFormat.BC3)
        self.assertTrue(leaving(surface, surface.map(Role.ALPHA), target).delivered)
        self.assertEqual(surface.map(Role.NORMAL).size, Size(width=1024, height=1024))
        self.assertIsNone(begun().of_role(Role.ALPHA))

    def test_a_file_of_its_own_takes_the_derivation_away(self) -> None:
        surface = edits.SetOrigin(map=Role.NORMAL, origin=ORIGIN).apply(begun())
        self.assertEqual(surface.map(Role.NORMAL).steps, ())

    def test_steps_move_and_go(self) -> None:
        surface = begun()
        first, second = surface.map(Role.COLOUR).steps
        moved = edits.MoveStep(map=Role.COLOUR, step=first.id).apply(surface)
        self.assertEqual(moved.map(Role.COLOUR).steps, (second, first))
        back = edits.MoveStep(map=Role.COLOUR, step=first.id, before=second.id).apply(moved)
        self.assertEqual(back, surface)
        gone = edits.RemoveStep(map=Role.COLOUR, step=first.id).apply(surface)
        self.assertEqual(gone.map(Role.COLOUR).steps, (second,))
        with self.assertRaises(BadRequest):
            edits.RemoveStep(map=Role.COLOUR, step="nobody").apply(surface)

    def test_words_say_what_changed(self) -> None:
        surface = begun()
        step = NormalFromHeight(relief=2.5)
        change = set_step(surface, Role.NORMAL, 0, step)
        self.assertEqual(change.words(surface), "Normal: Normal from height, relief 2.5")
        green = set_output(Role.NORMAL, green=Green.DOWN)
        self.assertEqual(green.words(surface), "Normal: green down")

    def test_every_edit_is_read_by_its_kind(self) -> None:
        read = TypeAdapter(edits.Edit).validate_python(
            {"kind": "set_size", "map": "normal", "size": {"width": 64, "height": 32}}
        )
        self.assertIsInstance(read, edits.SetSize)


class Register(unittest.TestCase):
    def test_each_step_is_known_by_the_kind_of_its_parameters(self) -> None:
        for name, step in STEPS.items():
            self.assertEqual(step.params.model_fields["kind"].default, name)
            if not (step.reads or step.blobs):
                self.assertTrue(step.summary(step.params()))

    def test_each_parameter_has_words_for_the_screen(self) -> None:
        for step in STEPS.values():
            for name, field in step.params.model_fields.items():
                if name != "kind":
                    self.assertTrue(field.title and field.description, (step.name, name))
