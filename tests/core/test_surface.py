import unittest

from pydantic import TypeAdapter, ValidationError

from stonestack.core import edits
from stonestack.core.blocks import BlockFormat
from stonestack.core.derive.normal import NormalFromHeight
from stonestack.core.errors import BadRequest
from stonestack.core.frame import Corner, Frame
from stonestack.core.graph import Node, ordered
from stonestack.core.normals import Green
from stonestack.core.roles import Role
from stonestack.core.sizing import Size
from stonestack.core.steps import STEPS
from stonestack.core.steps.levels import Levels
from stonestack.core.surface import (
    MapOrigin,
    SourceOrigin,
    Stage,
    Surface,
    new_surface,
)
from stonestack.core.tile.boundary import MakeTile
from stonestack.core.wiring import Wiring

ORIGIN = SourceOrigin(sha256="ab" * 32, name="a.png", width=1437, height=1011)


def begun() -> Surface:
    return edits.SetOrigin(role=Role.COLOUR, origin=ORIGIN).apply(new_surface("Floor", "floor"))


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


class Plans(unittest.TestCase):
    def test_nothing_is_planned_before_there_is_a_source(self) -> None:
        wiring = Wiring(new_surface("Floor", "floor"))
        self.assertIsNone(wiring.at(Role.NORMAL, Stage.COMPRESS))

    def test_a_step_of_colour_changes_all_that_depends_on_it_and_no_source(self) -> None:
        before = begun()
        after = edits.AddStep(role=Role.COLOUR, step=Levels(black=0.1)).apply(before)
        for place, key in keys(after).items():
            changed = key != keys(before)[place]
            own = [(Role.COLOUR, stage) for stage in (Stage.RAW, Stage.SOURCE)]
            self.assertEqual(changed, place not in own, place)

    def test_a_step_of_the_normal_map_changes_only_the_normal_map(self) -> None:
        before = begun()
        step = NormalFromHeight(relief=7)
        after = edits.SetStep(role=Role.NORMAL, place=0, step=step).apply(before)
        changed = {place for place, key in keys(after).items() if key != keys(before)[place]}
        later = {Stage.STEPS, Stage.SIZE, Stage.COMPRESS}
        self.assertEqual(changed, {(Role.NORMAL, stage) for stage in later})

    def test_a_step_that_is_off_counts_for_nothing(self) -> None:
        surface = edits.AddStep(role=Role.COLOUR, step=Levels(enabled=False)).apply(begun())
        self.assertEqual(keys(surface), keys(begun()))

    def test_names_do_not_enter_the_key(self) -> None:
        named = edits.SetOutput(role=Role.COLOUR, file_name="other_c").apply(begun())
        self.assertEqual(keys(named), keys(begun()))


class FollowingTheColour(unittest.TestCase):
    """Maps with files of their own are cut as the colour is."""

    OWN = SourceOrigin(sha256="cd" * 32, name="n.png", width=1437, height=1011)

    def setUp(self) -> None:
        self.surface = edits.SetOrigin(role=Role.NORMAL, origin=self.OWN).apply(begun())

    def test_a_step_that_moves_the_colour_s_texels_moves_theirs(self) -> None:
        step = MakeTile(most=0.3)
        after = edits.SetStep(role=Role.COLOUR, place=1, step=step).apply(self.surface)
        place = (Role.NORMAL, Stage.STEPS)
        self.assertNotEqual(keys(after)[place], keys(self.surface)[place])

    def test_a_step_that_only_tones_the_colour_leaves_them(self) -> None:
        last = edits.AddStep(role=Role.COLOUR, step=Levels(black=0.1)).apply(self.surface)
        place = (Role.NORMAL, Stage.STEPS)
        self.assertEqual(keys(last)[place], keys(self.surface)[place])

    def test_the_colour_s_frame_is_theirs(self) -> None:
        frame = Frame(top_left=Corner(x=0.1, y=0))
        after = edits.SetFrame(role=Role.COLOUR, frame=frame).apply(self.surface)
        place = (Role.NORMAL, Stage.SOURCE)
        self.assertNotEqual(keys(after)[place], keys(self.surface)[place])
        self.assertEqual(
            keys(after)[Role.NORMAL, Stage.RAW], keys(self.surface)[Role.NORMAL, Stage.RAW]
        )

    def test_both_are_laid_by_one_solution(self) -> None:
        solved = []
        for role in (Role.COLOUR, Role.NORMAL):
            found = nodes(self.surface, role, Stage.STEPS)
            solved.append([n.key for n in found if n.op == "geometry:make_tile"])
        self.assertEqual(solved[0], solved[1])
        self.assertEqual(len(solved[0]), 1)

    def test_a_passing_look_is_laid_by_the_result_s_solution(self) -> None:
        found = set()
        for longest in (None, 512):
            for node in nodes(self.surface, Role.COLOUR, Stage.STEPS, longest):
                if node.op == "geometry:make_tile":
                    found.add(node.key)
        self.assertEqual(len(found), 1)

    def test_it_can_be_let_go(self) -> None:
        own = self.surface.map(Role.NORMAL)
        free = self.surface.with_map(own.model_copy(update={"follows": False}))
        self.assertEqual({n.op for n in nodes(free, Role.NORMAL, Stage.STEPS)}, {"decode"})


class Documents(unittest.TestCase):
    def test_a_document_comes_back_from_json(self) -> None:
        surface = begun()
        self.assertEqual(Surface.model_validate_json(surface.model_dump_json()), surface)

    def test_a_map_cannot_come_from_itself_by_any_way(self) -> None:
        loop = edits.SetOrigin(role=Role.HEIGHT, origin=MapOrigin(role=Role.NORMAL))
        with self.assertRaises(ValidationError):
            loop.apply(begun())

    def test_sizes_are_powers_of_two(self) -> None:
        for side in (0, 3, 1000, 8192):
            with self.assertRaises(ValidationError):
                Size(width=side, height=64)

    def test_a_format_that_cannot_carry_the_role_is_refused(self) -> None:
        with self.assertRaises(ValidationError):
            edits.SetFormat(role=Role.NORMAL, format=BlockFormat.BC4).apply(begun())

    def test_a_step_for_another_role_is_refused(self) -> None:
        with self.assertRaises(ValidationError):
            edits.AddStep(role=Role.COLOUR, step=NormalFromHeight()).apply(begun())

    def test_names_that_leave_their_folder_are_refused(self) -> None:
        for name in ("../up", "a/b", "A", "", "con", "x" * 80, "a.b"):
            with self.assertRaises((BadRequest, ValidationError)):
                edits.SetOutput(role=Role.COLOUR, file_name=name).apply(begun())

    def test_unknown_fields_are_refused(self) -> None:
        with self.assertRaises(ValidationError):
            Surface.model_validate({**begun().model_dump(), "extra": 1})


class Edits(unittest.TestCase):
    def test_the_first_colour_settles_size_and_alpha(self) -> None:
        origin = ORIGIN.model_copy(update={"alpha": True})
        surface = edits.SetOrigin(role=Role.COLOUR, origin=origin).apply(new_surface("L", "l"))
        self.assertEqual(surface.map(Role.COLOUR).format, BlockFormat.BC3)
        self.assertTrue(surface.map(Role.ALPHA).delivered)
        self.assertEqual(surface.map(Role.NORMAL).size, Size(width=1024, height=1024))
        self.assertFalse(begun().map(Role.ALPHA).delivered)

    def test_a_file_of_its_own_takes_the_derivation_away(self) -> None:
        surface = edits.SetOrigin(role=Role.NORMAL, origin=ORIGIN).apply(begun())
        self.assertEqual(surface.map(Role.NORMAL).steps, ())

    def test_steps_move_and_go(self) -> None:
        surface = begun()
        first, second = surface.map(Role.COLOUR).steps
        moved = edits.MoveStep(role=Role.COLOUR, place=0, to=1).apply(surface)
        self.assertEqual(moved.map(Role.COLOUR).steps, (second, first))
        gone = edits.RemoveStep(role=Role.COLOUR, place=0).apply(surface)
        self.assertEqual(gone.map(Role.COLOUR).steps, (second,))
        with self.assertRaises(BadRequest):
            edits.RemoveStep(role=Role.COLOUR, place=9).apply(surface)

    def test_words_say_what_changed(self) -> None:
        surface = begun()
        step = NormalFromHeight(relief=2.5)
        change = edits.SetStep(role=Role.NORMAL, place=0, step=step)
        self.assertEqual(change.words(surface), "Normal: Normal from height, Relief 2.5")
        green = edits.SetFormat(role=Role.NORMAL, format=BlockFormat.BC5, green=Green.DOWN)
        self.assertEqual(green.words(surface), "Normal: green down")

    def test_every_edit_is_read_by_its_kind(self) -> None:
        read = TypeAdapter(edits.Edit).validate_python(
            {"kind": "set_size", "role": "normal", "size": {"width": 64, "height": 32}}
        )
        self.assertIsInstance(read, edits.SetSize)


class Register(unittest.TestCase):
    def test_each_step_is_known_by_the_kind_of_its_parameters(self) -> None:
        for name, step in STEPS.items():
            params = step.params()
            self.assertEqual(params.kind, name)  # type: ignore[attr-defined]
            self.assertTrue(step.summary(params))

    def test_each_parameter_has_words_for_the_screen(self) -> None:
        for step in STEPS.values():
            for name, field in step.params.model_fields.items():
                if name not in ("kind", "enabled"):
                    self.assertTrue(field.title and field.description, (step.name, name))
