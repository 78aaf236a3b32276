"""The one register of operations, and how one node of a graph is carried out."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from pydantic import BaseModel

from stonestack.core.graph.ops import (
    checking,
    facts,
    files,
    losing,
    pictures,
    returns,
    stages,
    ways,
)
from stonestack.core.graph.ops.operation import (
    KINDS,
    File,
    Kind,
    Nothing,
    Operation,
    Result,
    Solved,
)
from stonestack.core.kinds.node import Graph, Key, Node, canonical
from stonestack.core.runtime.errors import BadRequest, NotFound

__all__ = [
    "KINDS",
    "OPERATIONS",
    "File",
    "Kind",
    "Nothing",
    "Operation",
    "Result",
    "Solved",
    "node",
    "put",
    "run",
    "words",
]

OPERATIONS: dict[str, Operation] = {
    operation.name: operation
    for room in (pictures, stages, files, returns, facts, losing, ways, checking)
    for operation in room.OPERATIONS
}


def node(
    op: str,
    params: BaseModel | Mapping[str, Any] | None = None,
    inputs: Sequence[Key] = (),
    blobs: Sequence[str] = (),
) -> Node:
    """Return a node of an operation, at the version that its code has now.

    Parameters
    ----------
    params : BaseModel or mapping, optional
        The operation's own model, or values that are checked against it.

    Raises
    ------
    KeyError
        If there is no such operation.
    TypeError
        If the parameters are of another operation, or inputs or files do not fit.
    """
    operation = OPERATIONS[op]
    if not isinstance(params, operation.params):
        if isinstance(params, BaseModel):
            raise TypeError(f"{op} takes {operation.params.__name__}, not {type(params).__name__}")
        params = operation.params.model_validate(params or {})
    if not operation.fits(len(inputs), len(blobs)):
        raise TypeError(f"{op} does not take {len(inputs)} inputs and {len(blobs)} files")
    values = params.model_dump(mode="json")
    return Node(op, operation.version, canonical(values), tuple(inputs), tuple(blobs))


def put(
    graph: Graph,
    op: str,
    params: BaseModel | Mapping[str, Any] | None = None,
    inputs: Sequence[Key] = (),
    blobs: Sequence[str] = (),
) -> Key:
    """Put a node of an operation into a graph, and return its key."""
    return graph.add(node(op, params, inputs, blobs))


def run(one: Node, inputs: Sequence[Result], read_blob: Callable[[str], bytes]) -> Result:
    """Carry out a node: a pure function of its inputs' results and the files that it reads.

    Parameters
    ----------
    one : Node
    inputs : sequence of Result
        Results of ``one.inputs``, in order.
    read_blob : callable
        Returns the bytes of a kept file by its hash.

    Raises
    ------
    NotFound
        If the node is of an operation that is no more, or of another version of its code.
    BadRequest
        If an input is of another kind than the operation takes, or the work itself objects.
    """
    operation = OPERATIONS.get(one.op)
    if operation is None or operation.version != one.version:
        raise NotFound(
            "other-version", "This was made by another version of the program.", "Reload the page."
        )
    for place, given in enumerate(inputs):
        wanted = operation.kind_at(place)
        if not isinstance(given, KINDS[wanted]):
            raise BadRequest(
                f"not-a-{wanted}",
                f"{operation.words} needs a {wanted} here.",
                "Choose another stage, or take the step out.",
            )
    params = operation.params.model_validate(one.values)
    return operation.run(params, inputs, [read_blob(digest) for digest in one.blobs])


def words(one: Node) -> str:
    """Say what is being done while a node runs."""
    return OPERATIONS[one.op].words if one.op in OPERATIONS else "Working"
