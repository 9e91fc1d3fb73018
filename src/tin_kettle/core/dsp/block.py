"""Sound as it goes from one processor to the next."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Block = NDArray[np.float64]
"""Samples, (2, frames), C-contiguous."""
