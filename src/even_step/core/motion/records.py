"""What holds for each path: the job's record of settings, or that of the part it belongs to."""

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
    """Records of one kind: the first is the job's, ``of_part`` has the number of each placed part's."""

    records: tuple[R, ...]
    of_part: tuple[int, ...]

    @classmethod
    def of(cls, job: R, parts: Sequence[R]) -> Self:
        """Number the records of the job and of its placed parts, equal ones alike."""
        records = tuple(dict.fromkeys((job, *parts)))
        return cls(records, tuple(records.index(part) for part in parts))

    def of_each(self) -> list[R]:
        """Return the record of each placed part."""
        return [self.records[number] for number in self.of_part]

    def of_paths(self, toolpath: Toolpath) -> NDArray[np.int64]:
        """Return the number of each path's record, (P,); what is no part's has the job's."""
        # The last stands for part −1.
        return np.array((*self.of_part, 0), np.int64)[toolpath.part]

    def each(self, name: str, of_path: NDArray[np.int64]) -> NDArray[np.float64]:
        """Return one field for each path, (P,)."""
        return np.array([getattr(record, name) for record in self.records], np.float64)[of_path]
