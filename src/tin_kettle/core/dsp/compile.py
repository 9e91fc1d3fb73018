"""How kernels are compiled: one eager signature each, cached on disk, without the interpreter lock.

The fast-math options are named one by one: contraction and the sign of zero are free, NaN and infinity keep
their meaning.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar, cast

import numba
from llvmlite import ir
from numba.core import types
from numba.extending import intrinsic

Function = TypeVar("Function", bound=Callable[..., Any])
FAST = {"contract", "nsz"}


def kernel(signature: str) -> Callable[[Function], Function]:
    """Compile a kernel for one numba signature, such as ``void(float64[:, ::1])``."""

    def decorate(function: Function) -> Function:
        compiled = numba.njit(signature, cache=True, nogil=True, fastmath=FAST, error_model="numpy", boundscheck=False)
        return cast(Function, compiled(function))

    return decorate


def inline(function: Function) -> Function:
    """Compile a helper that is folded into the kernels of the same file."""
    return cast(Function, numba.njit(inline="always", fastmath=FAST, error_model="numpy")(function))


def _bitcast(result: Any, argument: Any, target: ir.Type) -> Any:
    def generate(_context: Any, builder: Any, _signature: Any, args: Any) -> Any:
        return builder.bitcast(args[0], target)

    return result(argument), generate


@intrinsic
def _float_bits(_typing: Any, value: Any) -> Any:
    """The 64 bits of a float as an integer."""
    return _bitcast(types.int64, types.float64, ir.IntType(64)) if value == types.float64 else None


@intrinsic
def _bits_float(_typing: Any, value: Any) -> Any:
    """The float that has the given 64 bits."""
    return _bitcast(types.float64, types.int64, ir.DoubleType()) if value == types.int64 else None


# inside a kernel the compiler fills in the first argument
float_bits = cast(Callable[[float], int], _float_bits)
bits_float = cast(Callable[[int], float], _bits_float)
