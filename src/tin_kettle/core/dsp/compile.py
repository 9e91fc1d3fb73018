"""How kernels are compiled: one eager signature each, cached on disk, without the interpreter lock.

The compiler itself takes seconds to load, so that nothing of it is touched before a kernel is first called: a refused
command answers at once, and a server listens while :func:`compile_all` loads them behind it. What no cache holds yet is
compiled before it listens: that takes a minute, for most of which the compiler holds the interpreter.

The fast-math options are named one by one: contraction and the sign of zero are free, NaN and infinity keep
their meaning.
"""

from __future__ import annotations

import functools
import hashlib
import importlib
import pkgutil
import shutil
import threading
import time
from collections.abc import Callable
from importlib.metadata import version
from pathlib import Path
from types import FunctionType
from typing import Any, TypeVar, cast

from platformdirs import user_cache_dir

Function = TypeVar("Function", bound=Callable[..., Any])
FAST = {"contract", "nsz"}
YIELD_S = 0.002
COMPLETE = "complete"

_lock = threading.RLock()
_kernels: list[Callable[[], None]] = []
_made: dict[Callable[..., Any], Any] = {}


def kernel(signature: str) -> Callable[[Function], Function]:
    """A kernel for one signature, such as ``void(float64[:, ::1])``; compiled or loaded when first called."""

    def decorate(function: Function) -> Function:
        compiled: list[Callable[..., Any]] = []

        def prepare() -> None:
            with _lock:
                if not compiled:
                    compiled.append(_compile(function, signature))

        @functools.wraps(function)
        def call(*arguments: Any) -> Any:
            if not compiled:
                prepare()
            return compiled[0](*arguments)

        _kernels.append(prepare)
        return cast(Function, call)

    return decorate


def inline(function: Function) -> Function:
    """A helper that is folded into the kernels that call it."""
    function.inlined = True  # type: ignore[attr-defined]
    return function


@inline
def float_bits(x: float) -> int:
    """The 64 bits of a float as an integer."""
    raise NotImplementedError("only inside a kernel")


@inline
def bits_float(bits: int) -> float:
    """The float that has the given 64 bits."""
    raise NotImplementedError("only inside a kernel")


def compile_all() -> None:
    """Compile every kernel of the core, or load it from the cache."""
    package = importlib.import_module("tin_kettle.core")
    for module in pkgutil.walk_packages(package.__path__, "tin_kettle.core."):
        if not module.name.endswith(".schema"):
            importlib.import_module(module.name)
    _sweep()
    for prepare in _kernels:
        prepare()
        # whoever waits for a kernel of its own goes first
        time.sleep(YIELD_S)
    (cache_folder() / COMPLETE).touch()


def is_compiled() -> bool:
    """Whether the cache holds every kernel."""
    return (cache_folder() / COMPLETE).exists()


@functools.cache
def cache_folder() -> Path:
    """Where compiled kernels are kept: one folder for each state of the core's sources and each compiler.

    The compiler looks at the file of a kernel alone; a helper of another file that is folded into it would go stale.
    """
    core = Path(__file__).parent.parent
    digest = hashlib.sha256(version("numba").encode())
    for source in sorted(core.rglob("*.py")):
        digest.update(source.relative_to(core).as_posix().encode() + source.read_bytes())
    name = f"kernels-{digest.hexdigest()[:16]}"
    beside = Path(__file__).parent / "__pycache__" / name
    try:
        beside.mkdir(parents=True, exist_ok=True)
    except OSError:
        return Path(user_cache_dir("tin-kettle")) / name
    return beside


def _sweep() -> None:
    """Forget what was compiled of sources that are no more."""
    for folder in cache_folder().parent.glob("kernels-*"):
        if folder != cache_folder():
            shutil.rmtree(folder, ignore_errors=True)


def _compile(function: Callable[..., Any], signature: str) -> Callable[..., Any]:
    import numba  # noqa: PLC0415  loads for a second

    numba.config.CACHE_DIR = str(cache_folder())  # type: ignore[attr-defined]
    _fold_in(function.__globals__)
    options: dict[str, Any] = {
        "cache": True,
        "nogil": True,
        "fastmath": FAST,
        "error_model": "numpy",
        "boundscheck": False,
    }
    return cast(Callable[..., Any], numba.njit(signature, **options)(function))


def _fold_in(names: dict[str, Any]) -> None:
    """Put what the compiler understands in the place of the inlined helpers that a module's kernels call."""
    for name, found in list(names.items()):
        if isinstance(found, FunctionType) and getattr(found, "inlined", False):
            names[name] = _folded(found)


def _folded(helper: Callable[..., Any]) -> Any:
    import numba  # noqa: PLC0415

    if helper in (float_bits, bits_float):
        return _bitcast(to_float=helper is bits_float)
    if helper not in _made:
        _made[helper] = numba.njit(inline="always", fastmath=FAST, error_model="numpy")(helper)
        _fold_in(helper.__globals__)
    return _made[helper]


def _bitcast(to_float: bool) -> Any:
    from llvmlite import ir  # noqa: PLC0415
    from numba.core import types  # noqa: PLC0415
    from numba.extending import intrinsic  # noqa: PLC0415

    result, argument = (types.float64, types.int64) if to_float else (types.int64, types.float64)
    target = ir.DoubleType() if to_float else ir.IntType(64)

    def generate(_context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        return builder.bitcast(arguments[0], target)

    def typed(_typing: Any, value: Any) -> Any:
        return (result(argument), generate) if value == argument else None

    return intrinsic(typed)
