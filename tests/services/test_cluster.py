"""The demo, built on the pool and on two worker processes of a cluster: the same bytes."""

import shutil
import unittest
from pathlib import Path

from stonestack.core.document import rebuilt
from stonestack.core.runtime.errors import BadRequest
from stonestack.services.delivery import building, deliveries
from stonestack.services.documents import projects
from stonestack.services.jobs import silent
from stonestack.services.making.cluster import Cluster
from stonestack.services.workspace import Workspace
from stonestack.store.place import DataFolder
from tests import drawn
from tests.sizes import swept, times
from tests.support import WorkspaceCase


def contents(root: Path) -> dict[str, bytes]:
    return {p.relative_to(root).as_posix(): p.read_bytes() for p in root.rglob("*") if p.is_file()}


class TwoWorkers(unittest.TestCase):
    needs_demo = True

    @swept
    def test_a_cluster_makes_the_same_bytes_as_the_pool(self) -> None:
        from distributed import Client, LocalCluster

        folder = drawn.copied()
        self.addCleanup(shutil.rmtree, folder)
        ws = Workspace(DataFolder(folder / drawn.DATA))
        self.addCleanup(ws.close)
        project = projects.listed(ws)[0]
        delivery = deliveries.listed(ws, project.id)[0]
        few = delivery.document.surfaces[: times(99, 3)]
        document = rebuilt(delivery.document, surfaces=few)
        delivery = deliveries.change(ws, delivery.id, delivery.revision, document)
        own = building.build(ws, delivery.id, silent())
        with (
            LocalCluster(
                n_workers=2, threads_per_worker=1, dashboard_address=None, memory_limit=0
            ) as cluster,
            Client(cluster) as client,
        ):
            maker = Cluster(client, ws.files.read)
            far = building.build(ws, delivery.id, silent(), maker)
        one = contents(building.build_folder(ws, own.id))
        other = contents(building.build_folder(ws, far.id))
        self.assertGreater(len(one), times(12, 6))
        self.assertEqual(one.keys(), other.keys())
        for path in one:
            if path != "delivery.json":
                self.assertEqual(one[path], other[path], path)
        files = [building.record_of(ws, build.id).manifest.files for build in (own, far)]
        self.assertEqual(files[0], files[1])


class NoCluster(WorkspaceCase):
    def test_an_address_where_nobody_answers_is_said_in_words(self) -> None:
        with self.assertRaises(BadRequest) as caught:
            Cluster.at("tcp://127.0.0.1:9", self.ws.files.read)
        self.assertEqual(caught.exception.code, "no-cluster")


if __name__ == "__main__":
    unittest.main()
