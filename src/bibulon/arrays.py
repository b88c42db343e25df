"""Types of arrays, by what they hold; shapes stand in the docstrings of those who use them."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Integers = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]
