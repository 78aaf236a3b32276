"""Carry out a graph on Dask's distributed scheduler: the same nodes, on other machines.

An optional extra (``pip install stone-stack[cluster]``). A node travels with nothing but itself:
the results of its inputs come by key, the files that it reads by content hash.
"""

from __future__ import annotations

import pickle
from collections.abc import Callable, Iterator, Sequence
from typing import Any

from stonestack.core.graph import ops
from stonestack.core.graph.ops import File, Result
from stonestack.core.kinds.node import Graph, Key, Node, closure
from stonestack.core.runtime.errors import BadRequest


def carried_out(node: Node, inputs: Sequence[bytes], blobs: Sequence[bytes]) -> bytes:
    """Carry out one node on a worker; the blobs are those that it names, in order.

    Results travel in one piece and are unpacked here, where arrays lie as they do at home. Left to
    the scheduler, one may begin at any byte; it is then computed by other instructions, whose last
    bit can be another.
    """
    by_hash = dict(zip(node.blobs, blobs, strict=True))
    unpacked: list[Result] = [pickle.loads(data) for data in inputs]
    return pickle.dumps(ops.run(node, unpacked, by_hash.__getitem__), pickle.HIGHEST_PROTOCOL)


class Cluster:
    """Makes files on a cluster.

    Parameters
    ----------
    client : distributed.Client
    read_blob : callable
        Returns the bytes of a kept file by its hash.
    """

    def __init__(self, client: Any, read_blob: Callable[[str], bytes]) -> None:
        self._client = client
        self._read_blob = read_blob

    @classmethod
    def at(cls, address: str, read_blob: Callable[[str], bytes]) -> Cluster:
        """Connect to a scheduler.

        Raises
        ------
        BadRequest
            If the extra is not installed, or nobody answers.
        """
        try:
            from distributed import Client
        except ImportError as error:
            raise BadRequest(
                "no-cluster-extra",
                "Building on a cluster needs Dask, which is not installed.",
                "Install it with: pip install stone-stack[cluster]",
            ) from error
        try:
            client: Any = Client
            return cls(client(address, timeout=10), read_blob)
        except (OSError, TimeoutError) as error:
            raise BadRequest(
                "no-cluster",
                f"No scheduler answers at {address}.",
                "Start it, or check the address.",
            ) from error

    def files(self, graph: Graph, keys: Sequence[Key]) -> Iterator[bytes]:
        """Yield the bytes of files that leave, in order."""
        nodes = closure(graph, keys)
        hashes = {digest for node in nodes.values() for digest in node.blobs}
        blobs = {
            digest: self._client.scatter(self._read_blob(digest), hash=True) for digest in hashes
        }
        made: dict[Key, Any] = {}
        for key, node in nodes.items():
            made[key] = self._client.submit(
                carried_out,
                node,
                [made[k] for k in node.inputs],
                [blobs[digest] for digest in node.blobs],
                key=key,
                pure=True,
            )
        for key in keys:
            result: Result = pickle.loads(made[key].result())
            if not isinstance(result, File):
                raise BadRequest("not-a-file", "This is no file yet.", "Build the delivery again.")
            yield result.data
