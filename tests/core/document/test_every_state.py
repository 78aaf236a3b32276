"""Every edit of a surface, tried on every state that a map can be in."""

import itertools
import unittest
from collections.abc import Iterator
from functools import cache
from typing import Any, NamedTuple, get_args

from pydantic import ValidationError

from stonestack.core.document import (
    Frozen,
    GamePlace,
    MapOrigin,
    Mask,
    Output,
    OwnLevel,
    Returned,
    SourceOrigin,
    Stage,
    Step,
    Surface,
    edits,
    new_surface,
    rebuilt,
    way_of,
)
from stonestack.core.document.recipe import Recipe
from stonestack.core.graph.wiring import Wiring
from stonestack.core.kinds.node import Node, ordered
from stonestack.core.kinds.references import SourceRef
from stonestack.core.picture.image import Space
from stonestack.core.raw.frame import frame_of
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.steps.levels import Levels
from stonestack.core.steps.masks.rectangle import Rectangle
from stonestack.core.tables.matters import Matter
from stonestack.core.tables.roles import Role
from stonestack.core.tables.sizing import Size
from stonestack.core.tile.patches import Spot

OWN = SourceOrigin(sha256="0a" * 32, name="own.png", width=512, height=512)
NEW = SourceOrigin(sha256="0b" * 32, name="new.png", width=300, height=300)
FRAME = frame_of(((0, 0), (0.5, 0), (0.5, 1), (0, 1)))
PAINT, SENT, LEVEL, KEPT = ("1a" * 32, "1b" * 32, "1c" * 32, "1d" * 32)
AGAIN = "3a" * 32
OF_THE_FORMER = {PAINT, SENT, LEVEL, KEPT, OWN.sha256}
"""What belongs to the picture that a map has had."""

IT = Role.SPECULAR
MASK = Mask(id="part", title="Part", shape=Rectangle(x=0, y=0, width=0.5, height=0.5), on="source")

ORIGINS = {
    "none": None,
    "file": OWN,
    "tile": rebuilt(OWN, wraps=True),
    "framed": rebuilt(OWN, frame=FRAME),
    "derived": MapOrigin(map="colour"),
}


def _returned(stage: Stage, sha256: str) -> Returned:
    return Returned(stage=stage, sha256=sha256, sent=SENT, name="paint.png")


def states() -> Iterator[tuple[str, Surface]]:
    """Yield a surface for each state of its specular map."""
    frozen = (None, Space.LINEAR)
    painted = (None, Stage.RAW, Stage.STEPS, Stage.SIZE)
    plain = new_surface("Wall", "wall")
    framed = rebuilt(OWN, sha256="0c" * 32, frame=FRAME)
    plain = edits.SetOrigin(map="colour", origin=framed).apply(plain)
    plain = edits.AddMask(mask=MASK).apply(plain)
    for origin, kept, stage, moves, finish in itertools.product(
        ORIGINS, frozen, painted, (False, True), (False, True)
    ):
        m = plain.map(IT)
        step = Step(id="mine", params=Levels(black=0.1), mask=MASK.id, finish=finish)
        derived = tuple(s for s in m.steps if origin == "derived")
        own = OwnLevel(level=1, picture=SourceRef(sha256=LEVEL, name="far.png"))
        changed = rebuilt(
            m,
            origin=ORIGINS[origin],
            steps=(*derived, step),
            frozen=None if kept is None else Frozen(sha256=KEPT, of="x", space=kept),
            returned=() if stage is None else (_returned(stage, PAINT),),
            levels=(own,) if stage else (),
            moves_with="colour" if moves else None,
        )
        words = f"{origin}, frozen {kept}, paint {stage}, moves {moves}, finish {finish}"
        yield words, plain.with_map(changed)


PLACE = GamePlace(game="g", path="a.dds", file="a.dds", sha256="0b" * 32, width=256, height=256)
STEP = Step(params=Levels(black=0.2))
EXAMPLES: tuple[Any, ...] = (
    edits.SetOrigin(map=IT, origin=NEW),
    edits.SetOrigin(map=IT, origin=MapOrigin(map="colour")),
    edits.SetOrigin(map=IT, origin=None),
    edits.SetSource(map=IT, origin=rebuilt(OWN, wraps=True)),
    edits.AddStep(map=IT, step=STEP),
    edits.SetStep(map=IT, step=Step(id="mine", params=Levels(black=0.3))),
    edits.TakeWay(map=IT, step=Step(id="mine", params=Levels(black=0.3))),
    edits.RemoveStep(map=IT, step="mine"),
    edits.MoveStep(map=IT, step="mine"),
    edits.SetSize(map=IT, size=Size(width=64, height=64)),
    edits.SetOutput(map=IT, target="saltglass", output=Output(delivered=True)),
    edits.SetLevel(map=IT, level=2, picture=SourceRef(sha256="2a" * 32, name="far.png")),
    edits.SetFrame(map=IT, frame=FRAME),
    edits.SetMovesWith(map=IT, moves_with="colour"),
    edits.SetMovesWith(map=IT, moves_with=None),
    edits.SetColours(map=IT, colours=True),
    edits.RepairSpots(map=IT, spots=(Spot(x=0.5, y=0.5, radius=0.02),)),
    edits.TakeFromGame(role=IT, origin=NEW, place=PLACE, size=Size(width=256, height=256)),
    edits.ReturnFile(map=IT, returned=_returned(Stage.RAW, AGAIN)),
    edits.ReturnFile(map=IT, returned=_returned(Stage.STEPS, AGAIN)),
    edits.ReturnFile(map=IT, returned=_returned(Stage.SIZE, AGAIN)),
    edits.DropReturned(map=IT, stage=Stage.STEPS, sent=SENT),
    edits.AddMap(role=Role.ALPHA),
    edits.RemoveMap(map=IT),
    edits.Freeze(map=IT, frozen=Frozen(sha256="2b" * 32, of="y", space=Space.DATA)),
    edits.KeepWhole(on=True),
    edits.Thaw(map=IT),
    edits.AddMask(mask=rebuilt(MASK, id="other", title="Other")),
    edits.AddLimited(map=IT, step=STEP, mask=rebuilt(MASK, id="other", title="Other")),
    edits.SetMask(mask=rebuilt(MASK, inverted=True)),
    edits.RemoveMask(mask=MASK.id),
    edits.MapOfMask(mask=MASK.id, role=IT),
    edits.PutRecipe(map=IT, recipe=Recipe(title="R", role=IT, steps=(STEP,))),
    edits.Rename(title="Other"),
    edits.SetMatter(matter=Matter.WOOD),
)


def nodes(surface: Surface, stage: Stage) -> list[Node]:
    """Return all that a stage of the specular map is made of."""
    wiring = Wiring(surface)
    key = wiring.at(IT, stage)
    return [] if key is None else ordered(key, wiring.graph.__getitem__)


def blobs(surface: Surface) -> set[str]:
    return {blob for node in nodes(surface, Stage.COMPRESS) for blob in node.blobs}


def tried(change: Any, surface: Surface) -> Surface | None:
    """Return the surface after an edit; None where it was refused in words."""
    try:
        return change.apply(surface)
    except (BadRequest, ValidationError) as error:
        assert len(str(error)) > 10
        return None


class Tried(NamedTuple):
    """An edit that was not refused."""

    words: str
    change: Any
    before: Surface
    after: Surface


@cache
def all_tried() -> tuple[Tried, ...]:
    """Return every edit on every state, as far as they were not refused."""
    return tuple(
        Tried(f"{change.kind} on {words}", change, before, after)
        for words, before in states()
        for change in EXAMPLES
        if (after := tried(change, before)) is not None
    )


class EveryEditOnEveryState(unittest.TestCase):
    def of(self, *kinds: str) -> list[Tried]:
        found = [one for one in all_tried() if not kinds or one.change.kind in kinds]
        self.assertGreater(len(found), 20)
        return found

    def test_there_is_an_example_of_every_edit(self) -> None:
        union, *_ = get_args(edits.Edit)
        wanted = {model.model_fields["kind"].default for model in get_args(union)}
        self.assertEqual({change.kind for change in EXAMPLES}, wanted)

    def test_each_is_refused_in_words_or_gives_a_surface_that_can_be_made_and_stored(self) -> None:
        for words, change, before, after in self.of():
            self.assertTrue(change.words(before), words)
            self.assertEqual(Surface.model_validate_json(after.model_dump_json()), after, words)
            if after.find(IT) is not None:
                nodes(after, Stage.COMPRESS)

    def test_another_picture_brings_nothing_of_the_former(self) -> None:
        for words, change, _, after in self.of("set_origin", "take_from_game", "map_of_mask"):
            self.assertFalse(blobs(after) & OF_THE_FORMER, words)
            self.assertIsNone(after.map(IT).frozen, words)
            if getattr(change, "origin", None) is NEW:
                self.assertIn(NEW.sha256, blobs(after), words)

    def test_the_same_file_again_keeps_what_was_painted_on_it(self) -> None:
        for words, surface in states():
            m = surface.map(IT)
            if isinstance(m.origin, SourceOrigin):
                again = edits.SetOrigin(map=IT, origin=m.origin).apply(surface).map(IT)
                self.assertEqual((again.returned, again.levels), (m.returned, m.levels), words)

    def test_what_came_back_is_seen_but_where_a_frozen_result_stands_before_it(self) -> None:
        for words, change, _, after in self.of("return_file"):
            m = after.map(IT)
            # A mask on the source is drawn on it, whatever stands for the result.
            if (m.origin is not None or m.frozen is not None) and not m.after_size:
                behind = m.frozen is not None and change.returned.stage is Stage.RAW
                self.assertEqual(AGAIN in blobs(after), not behind, words)

    def test_a_file_is_read_as_its_way_says(self) -> None:
        for words, _, _, after in self.of():
            m = after.find(IT)
            if m is None or not (m.frozen or isinstance(m.origin, SourceOrigin)):
                continue
            way, file = way_of(after, m), m.frozen or m.origin
            assert isinstance(file, Frozen | SourceOrigin)
            for node in nodes(after, Stage.SIZE):
                if node.op == "decode" and node.blobs == (file.sha256,):
                    self.assertEqual(node.values["space"], way.space, words)
                    wraps = m.frozen.wraps if m.frozen else way.wraps
                    self.assertEqual(node.values["wraps"], wraps, words)
            self.assertFalse(way.wraps and not way.frame.plain, words)

    def test_a_mask_on_the_source_goes_the_way_of_the_texels_at_its_finish_too(self) -> None:
        seen = 0
        for words, surface in states():
            m = surface.map(IT)
            if m.steps[-1].finish and m.origin is not None:
                plain = rebuilt(m, frozen=None)
                early = rebuilt(plain, steps=tuple(rebuilt(s, finish=False) for s in m.steps))
                late, before = (_moves(surface.with_map(each)) for each in (plain, early))
                self.assertEqual(late, before | {"size"}, words)
                seen += 1
        self.assertGreater(seen, 20)


def _moves(surface: Surface) -> set[str]:
    """Return the names of what the mask of the last step goes through once it is drawn."""
    wiring = Wiring(surface)
    key = wiring.at(IT, Stage.FINISH)
    assert key is not None
    mixing = [n for n in ordered(key, wiring.graph.__getitem__) if n.op in ("mix", "over")][-1]
    names, node = set(), wiring.graph[mixing.inputs[2]]
    while not node.op.startswith("mask:"):
        names.add(node.op)
        node = wiring.graph[node.inputs[0]]
    return names


if __name__ == "__main__":
    unittest.main()
