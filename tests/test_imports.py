"""No module imports, at any depth, what imports it; not for types either."""

import ast
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

SRC = Path(__file__).parents[1] / "src"
MODULES = {
    str(path.relative_to(SRC).with_suffix("")).replace("/", ".").removesuffix(".__init__"): path
    for path in (SRC / "tin_kettle").rglob("*.py")
}


def imported(module):
    """Modules of the project that one imports; inside functions too, but for what only one command loads."""
    found = set()
    for node in ast.walk(ast.parse(MODULES[module].read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            found |= {name.name for name in node.names}
        elif isinstance(node, ast.ImportFrom):
            whole = [f"{node.module}.{name.name}" for name in node.names]
            found |= {name if name in MODULES else node.module for name in whole}
    return found & set(MODULES) - {module, "tin_kettle"}


def test_imports_go_in_no_circle():
    try:
        TopologicalSorter({module: imported(module) for module in MODULES}).prepare()
    except CycleError as circle:
        raise AssertionError(" imports ".join(reversed(circle.args[1]))) from None
