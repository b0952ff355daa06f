"""What holds for each path: the record of its part and zones, or the job's, with the extruder that lays it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Generic, Self, TypeVar

import numpy as np
from numpy.typing import NDArray

from even_step.core.toolpath.toolpath import Toolpath

R = TypeVar("R")


@dataclass(frozen=True)
class Records(Generic[R]):
    """Records of one kind: ``of_part`` has their numbers by placed part, the job's own last, by zones, by extruder."""

    records: tuple[R, ...]
    of_part: tuple[tuple[tuple[int, ...], ...], ...]

    @classmethod
    def of(cls, job: Sequence[R], parts: Sequence[Sequence[Sequence[R]]]) -> Self:
        """Number the records of placed parts, by zones, and of the job, one for each extruder; equal ones alike."""
        blocks = (*parts, (job,))
        records = tuple(dict.fromkeys(record for block in blocks for row in block for record in row))
        number = {record: i for i, record in enumerate(records)}
        return cls(records, tuple(tuple(tuple(number[one] for one in row) for row in block) for block in blocks))

    def of_each(self) -> list[R]:
        """Return the record of each placed part, where neither extruders nor zones make a difference."""
        return [self.records[rows[0][0]] for rows in self.of_part[:-1]]

    def of_zones(self) -> list[list[R]]:
        """Return the records of each placed part by zones, where extruders make no difference."""
        return [[self.records[row[0]] for row in rows] for rows in self.of_part[:-1]]

    def of_paths(self, toolpath: Toolpath) -> NDArray[np.int64]:
        """Return the number of each path's record, (P,); what is no part's has the job's."""
        if len(self.records) == 1:
            return np.broadcast_to(np.zeros(1, np.int64), toolpath.part.shape)
        most = max(len(rows) for rows in self.of_part)
        table = np.array([[*rows, *(rows[:1] * (most - len(rows)))] for rows in self.of_part], np.int64)
        # The last row stands for part −1.
        return np.asarray(table[toolpath.part, toolpath.record, toolpath.extruder])

    def each(self, name: str, of_path: NDArray[np.int64]) -> NDArray[np.float64]:
        """Return one field for each path, (P,)."""
        values = np.array([getattr(record, name) for record in self.records], np.float64)
        return np.broadcast_to(values, of_path.shape) if len(values) == 1 else values[of_path]
