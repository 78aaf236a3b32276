"""The structure of the project in figures: ``python -m tests.structure``.

Files a folder, how deep imports go, long functions, many parameters and many props.
"""

from __future__ import annotations

import ast
import re
from collections import Counter
from collections.abc import Iterator
from graphlib import TopologicalSorter
from pathlib import Path

import grimp

ROOT = Path(__file__).resolve().parent.parent
LONG, MANY, FULL = 60, 7, 15
"""Lines of a function, parameters or props, and modules of a folder that are much."""


def imports() -> dict[str, set[str]]:
    """Return which modules of the project each one imports as it is loaded.

    What a function imports when it is called is left out, and what only types need.
    """
    graph = grimp.build_graph("stonestack", exclude_type_checking_imports=True)
    known: dict[str, set[str]] = {module: set() for module in graph.modules}
    for module in graph.modules:
        for other in graph.find_modules_directly_imported_by(module):
            details = graph.get_import_details(importer=module, imported=other)
            if any(_at_top(module, int(one["line_number"])) for one in details):
                known[module].add(other)
    return known


def _at_top(module: str, line: int) -> bool:
    """Tell whether a line of a module is not indented."""
    path = ROOT / (module.replace(".", "/") + ".py")
    path = path if path.is_file() else path.with_suffix("") / "__init__.py"
    return not path.read_text(encoding="utf-8").splitlines()[line - 1].startswith((" ", "\t"))


def deepest() -> list[str]:
    """Return the longest chain of imports, from what imports to what is imported.

    Raises
    ------
    graphlib.CycleError
        If modules import each other.
    """
    known = imports()
    behind: dict[str, list[str]] = {}
    for module in TopologicalSorter(known).static_order():
        below = max((behind[other] for other in known[module]), key=len, default=[])
        behind[module] = [module, *below]
    return max(behind.values(), key=len)


def folders() -> Counter[str]:
    """Return how many modules lie in each folder of the product."""
    return Counter(
        path.parent.relative_to(ROOT).as_posix()
        for path in (ROOT / "stonestack").rglob("*.py")
        if path.name != "__init__.py"
    )


def functions() -> Iterator[tuple[str, int, int]]:
    """Yield the functions of the product: where, lines, and parameters."""
    for path in (ROOT / "stonestack").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
                given = len(node.args.args) + len(node.args.kwonlyargs)
                lines = (node.end_lineno or node.lineno) - node.lineno + 1
                yield f"{path.relative_to(ROOT).as_posix()}:{node.name}", lines, given


def props() -> Iterator[tuple[str, int]]:
    """Yield the components of the pages that take props by an interface, and how many."""
    for path in (ROOT / "frontend" / "src").rglob("*.tsx"):
        for name, body in re.findall(
            r"interface (\w*Props)\b[^{]*\{(.*?)\n\}", path.read_text(encoding="utf-8"), re.DOTALL
        ):
            yield f"{path.name}:{name}", len(re.findall(r"^ {2}\w+\??:", body, re.M))


def main() -> None:
    """Print the figures."""
    chain, held = deepest(), folders()
    made = [one for one in functions() if "/kernels" not in one[0]]
    full = [f"{name} {count}" for name, count in held.most_common() if count > FULL]
    wide = sorted((one for one in props() if one[1] > MANY), key=lambda one: -one[1])
    print(f"Folders with more than {FULL} modules: {len(full)} ({', '.join(full)})")
    print(f"Imports, longest chain: {len(chain)}")
    print("  " + " > ".join(name.removeprefix("stonestack.") for name in chain))
    print(
        f"Functions over {LONG} lines: {sum(lines > LONG for _, lines, _ in made)} of {len(made)}"
    )
    print(f"Functions with more than {MANY} parameters: {sum(n > MANY for *_, n in made)}")
    named = ", ".join(f"{name} {count}" for name, count in wide[:6])
    print(f"Components with more than {MANY} props: {len(wide)} ({named})")


if __name__ == "__main__":
    main()
