"""The catalogue's index in memory, so that a search follows each letter that is typed.

All names lie in one text; a word is looked for in it as a whole, and each hit's row is told from
where it lies. The index is made anew when the catalogue's revision has moved.
"""

from __future__ import annotations

import re
import threading
from collections import OrderedDict
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Engine

from stonestack.core.files.codecs.sniff import READABLE
from stonestack.core.runtime.memory import MEMORY

_KEPT = 4
_CELL = 60
"""About the bytes of one value of one row, mostly a short text."""
_COLUMNS = (
    "id, haystack, kind, role, use, alpha, place, width, height, levels, format, size, thing,"
    " relation, name, path"
)

Rows = NDArray[np.int64]


@dataclass
class Index:
    """One game's catalogue, column by column.

    Parameters
    ----------
    revision : int
        The catalogue's revision that it was made from.
    ids : ndarray, int64
    text : bytes
        All haystacks in UTF-8, each ended by a zero byte.
    ends : ndarray, int64
        Where each row's text ends.
    columns : dict
        Other columns, as arrays of objects or numbers. ``lone`` says of a row that neither it nor
        anything that belongs to it is a picture.
    """

    revision: int
    ids: Rows
    text: bytes
    ends: Rows
    columns: dict[str, NDArray[Any]]
    _orders: dict[str, Rows] = field(default_factory=dict)

    @property
    def size(self) -> int:
        """About how many bytes it takes."""
        return len(self.text) + _CELL * len(self.ids) * (len(self.columns) + len(self._orders))

    def having(self, word: str) -> NDArray[np.bool_]:
        """Return which rows hold a word."""
        mask = np.zeros(len(self.ids), bool)
        places = [m.start() for m in re.finditer(re.escape(word.encode()), self.text)]
        mask[np.searchsorted(self.ends, places, side="right")] = True
        return mask

    def equal(self, column: str, value: str) -> NDArray[np.bool_]:
        """Return which rows have a value in a column."""
        return np.asarray(self.columns[column] == value, dtype=bool)

    def below(self, place: str) -> NDArray[np.bool_]:
        """Return which rows lie in a place or below it."""
        places, codes = np.unique(self.columns["place"].astype(str), return_inverse=True)
        fit = np.array([p == place or p.startswith(f"{place}/") for p in places])
        return np.asarray(fit[codes.reshape(-1)], dtype=bool)

    def order(self, keys: tuple[str, ...]) -> Rows:
        """Return all rows sorted by columns; kept, since lists are sorted again and again."""
        name = ",".join(keys)
        if name not in self._orders:
            columns = [self.columns[k] for k in reversed(keys)]
            codes = [np.unique(c, return_inverse=True)[1].reshape(-1) for c in columns]
            self._orders[name] = np.lexsort(codes).astype(np.int64)
        return self._orders[name]


class Indexes:
    """The indexes of the games that were searched last."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._lock = threading.Lock()
        self._held: OrderedDict[str, Index] = OrderedDict()

    def of(self, game_id: str) -> Index:
        """Return a game's index, made anew where its catalogue has changed."""
        with self._lock, self._engine.connect() as connection:
            now = connection.exec_driver_sql(
                "SELECT revision FROM game WHERE id = ?", (game_id,)
            ).scalar()
            held = self._held.get(game_id)
            if held is None or held.revision != now:
                held = _made(
                    int(now or 0),
                    connection.exec_driver_sql(
                        f"SELECT {_COLUMNS} FROM entry WHERE game_id = ?", (game_id,)
                    ).all(),
                )
                self._held[game_id] = held
            self._held.move_to_end(game_id)
            while len(self._held) > _KEPT:
                self._held.popitem(last=False)
            MEMORY.hold("indexes", sum(index.size for index in self._held.values()))
            return held


def _made(revision: int, rows: Any) -> Index:
    texts = [row[1].encode() + b"\0" for row in rows]
    names = [name.strip() for name in _COLUMNS.split(",")]
    columns: dict[str, NDArray[Any]] = {}
    for place, name in enumerate(names):
        if name not in ("id", "haystack"):
            values = [row[place] for row in rows]
            whole = bool(values) and isinstance(values[0], int)
            columns[name] = np.array(values, np.int64) if whole else np.array(values, object)
    # Also where nothing is catalogued yet: a search may come while a folder is first read.
    columns["area"] = columns["width"] * columns["height"]
    columns["longest"] = np.maximum(columns["width"], columns["height"])
    # What is called a picture but cannot be read is one too: it is to be seen with what is wrong.
    picture = (columns["width"] > 0) | np.array([k in READABLE for k in columns["kind"]], bool)
    pictured = set(columns["thing"][picture])
    columns["lone"] = ~picture & np.array([t not in pictured for t in columns["thing"]], bool)
    columns["beside"] = np.array([relation != "map" for relation in columns["relation"]], bool)
    return Index(
        revision=revision,
        ids=np.array([row[0] for row in rows], np.int64),
        text=b"".join(texts),
        ends=np.cumsum([len(t) for t in texts], dtype=np.int64),
        columns=columns,
    )
