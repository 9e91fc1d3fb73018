"""The wheel holds all that a bench needs: it starts from it alone, without node and without the checkout."""

import os
import subprocess
import sys
import time
import urllib.error
import urllib.request
import zipfile
from pathlib import Path

import pytest

from tests.browser.driving import free_port
from tests.conftest import PATIENCE_S

ROOT = Path(__file__).parents[1]
BUILT = ROOT / "src/tin_kettle/web/static/index.html"


@pytest.mark.skipif(not BUILT.exists(), reason="the bench is not built; run make build")
def test_a_bench_starts_from_the_wheel_alone(tmp_path):
    building = "import hatchling.build, sys; print(hatchling.build.build_wheel(sys.argv[1]))"
    made = subprocess.run(
        [sys.executable, "-c", building, tmp_path], cwd=ROOT, capture_output=True, text=True, check=True
    )
    wheel = tmp_path / made.stdout.split()[-1]
    installed = tmp_path / "installed"
    with zipfile.ZipFile(wheel) as archive:
        archive.extractall(installed)
    # the checkout is not on the way, and nothing but Python is
    env = {**os.environ, "PYTHONPATH": str(installed), "PATH": str(tmp_path)}
    where = subprocess.run(
        [sys.executable, "-c", "import tin_kettle; print(tin_kettle.__file__)"],
        cwd=tmp_path, env=env, capture_output=True, text=True, check=True,
    )  # fmt: skip
    assert where.stdout.startswith(str(installed))
    # what this machine has compiled is another installation's
    ready = "from tin_kettle.core.dsp.compile import COMPLETE, cache_folder; (cache_folder() / COMPLETE).touch()"
    subprocess.run([sys.executable, "-c", ready], cwd=tmp_path, env=env, check=True)
    port = free_port()
    line = [sys.executable, "-m", "tin_kettle", "serve", "--port", str(port), "--home", str(tmp_path / "home")]
    server = subprocess.Popen(line, cwd=tmp_path, env=env, stderr=subprocess.DEVNULL)
    try:
        page = _ask(f"http://127.0.0.1:{port}/")
        script = page.split('src="')[1].split('"')[0]
        assert len(_ask(f"http://127.0.0.1:{port}{script}")) > 50_000
        assert "24-bit archive" in _ask(f"http://127.0.0.1:{port}/api/specs")
    finally:
        server.terminate()
        server.wait(timeout=PATIENCE_S)


def _ask(url):
    end = time.monotonic() + PATIENCE_S
    while True:
        try:
            with urllib.request.urlopen(url, timeout=10) as answer:
                return answer.read().decode()
        except (urllib.error.URLError, ConnectionError):
            if time.monotonic() > end:
                raise
            time.sleep(0.1)
