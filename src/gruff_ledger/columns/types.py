"""What columns, masks and indices are."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

Mask = npt.NDArray[np.bool_]
Indices = npt.NDArray[np.int64]
Column = Any  # pa.ChunkedArray of pa.string(); pyarrow ships no types
