"""Building blocks: filters, detectors, interpolation, delay lines. Kernels are numba functions over arrays.

Every kernel takes C-contiguous float64 arrays, keeps its state in arrays that the caller owns,
and gives the same samples whatever the block size.
"""
