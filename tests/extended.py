"""Tries out what was added to a copy of the project: ``python -m tests.extended WHAT``.

Run inside that copy by :mod:`tests.test_extending`; each function fails where a person who has
added something by the guide would not find it.
"""

from __future__ import annotations

import json
import struct
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np

from stonestack.core.document.deliveries import Delivery
from stonestack.core.files import codecs
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.graph import ops
from stonestack.core.kinds.node import Graph
from stonestack.core.picture.image import Picture, Space
from stonestack.services.delivery import building, deliveries
from stonestack.services.documents import projects
from stonestack.services.game import cataloguing, finding, games
from stonestack.services.jobs import silent
from stonestack.services.safe import planning, putting
from stonestack.services.workspace import Workspace
from stonestack.store.place import DataFolder
from stonestack.web.app import create_app
from tests.sizes import times
from tests.support import noise, raw_picture


class Bench:
    """The application as the page sees it, with one surface that has a colour."""

    def __init__(self, ws: Workspace, target: str) -> None:
        self.ws = ws
        app = create_app(ws)
        self.client = app.test_client()
        self.client.get(f"/?key={app.extensions['guard'].secret}")
        page = self.client.get("/").get_data(as_text=True)
        self.headers = {
            "X-Stone-Token": page.split('name="stone-token" content="')[1].split('"')[0]
        }
        self.project = projects.create(ws, "Trial", None, target).id
        self.surface = self.post(
            f"/api/projects/{self.project}/surfaces", {"title": "Wall", "name": "wall"}
        )
        from stonestack.services.game import sources

        source = sources.bring(ws, self.project, "wall.png", raw_picture(120, 90))
        origin = source.origin.model_dump(mode="json")
        self.edit({"kind": "set_origin", "map": "colour", "origin": origin})

    def post(self, path: str, body: dict[str, Any]) -> dict[str, Any]:
        answer = self.client.post(path, json=body, headers=self.headers)
        assert answer.status_code == 200, answer.get_data(as_text=True)
        whole: dict[str, Any] = answer.get_json()
        return whole

    def edit(self, edit: dict[str, Any]) -> None:
        path = f"/api/surfaces/{self.surface['id']}/edits"
        self.surface = self.post(path, {"base": self.surface["revision"], "edit": edit})

    def get(self, path: str) -> Any:
        answer = self.client.get(path)
        assert answer.status_code == 200, answer.get_data(as_text=True)
        return answer

    def knowledge(self) -> dict[str, Any]:
        whole: dict[str, Any] = self.client.get("/api/knowledge").get_json()
        return whole

    def pixels(self, key: str) -> np.ndarray:
        return self.ws.renderer.picture(key).pixels


@contextmanager
def bench(target: str = "saltglass") -> Iterator[Bench]:
    with tempfile.TemporaryDirectory() as folder:
        ws = Workspace(DataFolder(Path(folder) / "data"))
        try:
            yield Bench(ws, target)
        finally:
            ws.close()


def step() -> None:
    with bench() as b:
        [info] = [s for s in b.knowledge()["steps"] if s["name"] == "posterise"]
        assert info["parameters"]["properties"]["tones"]["title"] == "Tones"
        before = b.pixels(b.surface["keys"]["colour"]["steps"])
        params = {"kind": "posterise", "tones": 2}
        b.edit({"kind": "add_step", "map": "colour", "step": {"params": params}})
        after = b.pixels(b.surface["keys"]["colour"]["steps"])
        assert len(np.unique(before)) > 99
        assert set(np.unique(after)) <= {0.0, 1.0}, np.unique(after)


def derivation() -> None:
    with bench() as b:
        b.edit({"kind": "add_map", "role": "gloss"})
        [gloss] = [m for m in b.surface["document"]["maps"] if m["role"] == "gloss"]
        [height] = [m for m in b.surface["document"]["maps"] if m["role"] == "height"]
        origin = {"kind": "map", "map": height["id"]}
        b.edit({"kind": "set_origin", "map": gloss["id"], "origin": origin})
        [gloss] = [m for m in b.surface["document"]["maps"] if m["role"] == "gloss"]
        assert gloss["steps"][0]["params"]["kind"] == "gloss_from_height", gloss["steps"]
        keys = b.surface["keys"]
        one, other = (b.pixels(keys[m["id"]]["steps"]) for m in (height, gloss))
        np.testing.assert_allclose(other, one * np.float32(0.4), atol=1e-6)


def step_that_reads_another_map() -> None:
    with bench() as b:
        assert any(s["name"] == "lighter" for s in b.knowledge()["steps"])
        specular, height = (b.surface["keys"][m]["steps"] for m in ("specular", "height"))
        one, other = b.pixels(specular), b.pixels(height)
        params = {"kind": "lighter", "map": {"map": "height"}}
        b.edit({"kind": "add_step", "map": "specular", "step": {"params": params}})
        lighter = b.pixels(b.surface["keys"]["specular"]["steps"])
        np.testing.assert_allclose(lighter, np.maximum(one, other), atol=1e-6)


def mask() -> None:
    with bench() as b:
        names = [m["name"] for m in b.knowledge()["masks"]]
        assert "waves" in names and names[0] == "rectangle", names
        shape = {"kind": "waves", "count": 3}
        b.edit({"kind": "add_mask", "mask": {"id": "m1", "title": "Waves", "shape": shape}})
        drawn = b.pixels(b.surface["masks"]["m1"])
        edge = np.abs(drawn[:, 0] - drawn[:, -1]).max()
        assert drawn.min() < 0.05
        assert drawn.max() > 0.95
        assert edge <= np.abs(np.diff(drawn[..., 0], axis=1)).max() + 1e-6


def operation() -> None:
    graph = Graph()
    pictures = [Picture(noise(8, 8, seed=n), Space.LINEAR) for n in (1, 2)]
    texts = [ops.put(graph, "text", {"text": str(n)}) for n in range(2)]
    node = ops.node("average", inputs=texts)
    got = ops.run(node, pictures, lambda _: b"")
    assert isinstance(got, Picture)
    np.testing.assert_allclose(got.pixels, (pictures[0].pixels + pictures[1].pixels) / 2)


def role() -> None:
    with bench() as b:
        assert b.knowledge()["roles"]["wetness"]["title"] == "Wetness"
        b.edit({"kind": "add_map", "role": "wetness"})
        [added] = [m for m in b.surface["document"]["maps"] if m["role"] == "wetness"]
        assert b.surface["outputs"][added["id"]]["name"] == "wall_wet"


def block_format() -> None:
    with tempfile.TemporaryDirectory() as folder:
        picture, texture, back = (Path(folder) / n for n in ("a.png", "a.dds", "b.png"))
        picture.write_bytes(raw_picture(64, 64))
        command = [sys.executable, "-m", "stonestack.cli.main"]
        convert = ["convert", picture, texture, "--role", "height", "--format", "mono"]
        subprocess.run([*command, *map(str, convert)], check=True)
        header = texture.read_bytes()
        assert header[128 - 44 : 128 - 40] in (b"DX10", b"MONO"), header[80:96]
        said = subprocess.check_output([*command, "inspect", str(texture)], text=True)
        assert "mono" in said, said
        subprocess.run([*command, "convert", str(texture), str(back)], check=True)
    with bench() as b:
        output = {"format": "mono"}
        b.edit({"kind": "set_output", "map": "height", "target": "saltglass", "output": output})
        key = b.surface["keys"]["height"]["compress"]
        shown = codecs.ktx2.read(b.get(f"/api/renders/{key}/texture.ktx2").data)
        assert shown.format is BlockFormat.R8, shown.format
        assert set(np.unique(shown.texels())) <= {0, 255}


def check() -> None:
    with bench() as b:
        output = {"name": "a_very_long_name_for_a_wall"}
        b.edit({"kind": "set_output", "map": "colour", "target": "saltglass", "output": output})
        findings = b.surface["outputs"]["colour"]["findings"]
        assert any("cut off" in f["words"] for f in findings), findings


def check_of_a_map() -> None:
    with bench() as b:
        params = {"kind": "levels", "black": 0.1}
        for _ in range(2):
            b.edit({"kind": "add_step", "map": "colour", "step": {"params": params}})
        said = b.get(f"/api/surfaces/{b.surface['id']}/checks").get_json()
        assert any(f["code"] == "lengthy" for f in said["findings"]), said


def stacked(entries: list[tuple[str, bytes]]) -> bytes:
    whole = b"STACKED1" + struct.pack("<I", len(entries))
    for name, data in entries:
        whole += struct.pack("<HI", len(name), len(data)) + name.encode() + data
    return whole


def container() -> None:
    from tests.games import colour_dds

    with tempfile.TemporaryDirectory() as folder:
        game = Path(folder) / "game"
        game.mkdir()
        first, second = colour_dds(1), colour_dds(2)
        held = stacked([("a/one.dds", first), ("two.dds", second)])
        (game / "pack.bin").write_bytes(held)
        ws = Workspace(DataFolder(Path(folder) / "data"))
        game_id = games.register(ws, game).id
        cataloguing.catalogue(ws, game_id, silent())
        entries = {e.path: e for e in finding.everything(ws, game_id)}
        assert "pack.bin/two.dds" in entries, list(entries)
        wanted = [planning.from_file(entries["pack.bin/two.dds"].id, first)]
        putting.put(ws, game_id, wanted, None, silent())
        now = (game / "pack.bin").read_bytes()
        assert now.startswith(stacked([("a/one.dds", first)])[12:40], 12)
        assert now != held
        ws.close()


def target() -> None:
    with bench("lanternworks") as b:
        assert "lanternworks" in [t["name"] for t in b.knowledge()["targets"]]
        document = Delivery(title="D", name="d", target="lanternworks", surfaces=(b.surface["id"],))
        delivery = deliveries.create(b.ws, b.project, document)
        built = building.build(b.ws, delivery.id, silent())
        paths = [f.path for f in building.record_of(b.ws, built.id).manifest.files]
        assert paths == ["art/wall_c.dds", "art/wall_n.dds"], paths


def view() -> None:
    """Look for the view in the bar; in a sweep check and build the pages, and look there too."""
    assert "/widths" in Path("frontend/src/app/Shell.tsx").read_text(encoding="utf-8")
    if not times(1, 0):
        return
    subprocess.run(["npm", "run", "--silent", "typecheck"], cwd="frontend", check=True)
    subprocess.run(["npm", "run", "--silent", "build"], cwd="frontend", check=True)
    scripts = Path("stonestack/web/static/assets").glob("*.js")
    assert any("/p/:project/widths" in script.read_text() for script in scripts)


if __name__ == "__main__":
    for word in sys.argv[1:]:
        globals()[word]()
        print(json.dumps({"found": word}))
