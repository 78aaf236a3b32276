"""Programs and workers of tests, forked from one process that has loaded everything.

To load the product and its compiled code takes three to six seconds of a core; there are some
fifty processes in a run.
"""

from __future__ import annotations

import os
import sys
import threading
from collections.abc import Callable
from multiprocessing import forkserver
from multiprocessing.connection import Connection
from multiprocessing.context import BaseContext
from pathlib import Path
from typing import Any

from stonestack.core.runtime.parallel import process_context


def context() -> BaseContext:
    """Return how processes of tests begin."""
    return process_context("tests.preloaded")


def load_ahead() -> None:
    """Begin to load what processes are forked from; the surroundings are those of now."""
    if context().get_start_method() == "forkserver":
        forkserver.ensure_running()


class Forked:
    """A process that runs a program's ``main`` with words of its own.

    Parameters
    ----------
    main : callable
        Takes its words from the command line; what it returns is how it ends.
    *words : object
        The words.
    given : dict, optional
        Variables of its surroundings, beside those that are set here. Modules are loaded before
        they are set: what is read as a module is loaded does not see them.
    """

    def __init__(
        self, main: Callable[[], Any], *words: object, given: dict[str, str] | None = None
    ) -> None:
        there: Any = context()
        heard, says = there.Pipe(duplex=False)
        environment = {**os.environ, **(given or {})}
        self._process = there.Process(
            target=_run, args=(main, [*map(str, words)], environment, says)
        )
        self._process.start()
        says.close()
        self.said = os.fdopen(os.dup(heard.fileno()), encoding="utf-8")
        heard.close()

    def end(self, patience: float) -> tuple[int, str]:
        """Wait so many seconds for its end; return how it was, 0 for well, and what it said."""
        late = threading.Timer(patience, self._process.kill)
        late.start()
        with self.said:
            said = self.said.read()
        self._process.join()
        late.cancel()
        code: int = self._process.exitcode
        self._process.close()
        return code, said

    def stop(self) -> None:
        """Make it end, if it has not."""
        if self.said.closed:
            return
        self._process.terminate()
        self._process.join(10)
        self._process.close()
        self.said.close()


class Program(Forked):
    """One that serves pages, as if a user had started it; ended with :meth:`stop`.

    Parameters
    ----------
    main : callable
    *words : object
    data : Path, optional
        The data folder.
    """

    def __init__(self, main: Callable[[], Any], *words: object, data: Path | None = None) -> None:
        super().__init__(main, *words, given={"STONE_STACK_DATA": str(data)} if data else {})
        for line in self.said:
            if "http://" in line:
                self.address = line[line.index("http://") :].strip()
                return
        self.stop()
        raise RuntimeError(f"{words} did not start")


def _run(
    main: Callable[[], Any], words: list[str], given: dict[str, str], says: Connection
) -> None:
    os.dup2(says.fileno(), 1)
    says.close()
    os.environ.clear()
    os.environ.update(given)
    sys.argv = [main.__module__, *words]
    sys.exit(main())
