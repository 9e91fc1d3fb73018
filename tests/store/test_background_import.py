"""What is made beside the server is told while it is made, and not after its maker is gone."""

import subprocess
import sys

from tests.conftest import PATIENCE_S
from tin_kettle.demo.library import fill_beside
from tin_kettle.store.background_import import coming, telling
from tin_kettle.web.app import create_app

MAKER = """
import sys, time
from pathlib import Path
from tin_kettle.store.background_import import telling
from tin_kettle.store.database import Library
with telling(Library(Path(sys.argv[1]))) as tell:
    tell("Slack Water is being made")
    print("told", flush=True)
    time.sleep(60)
"""


def test_it_is_told_while_it_is_made(library):
    client = create_app(library).test_client()
    assert client.get("/api/songs/coming").get_json() == {"coming": None}
    with telling(library) as tell:
        assert coming(library) is None, "nothing was said yet"
        tell("Slack Water is being made, song 2 of 4")
        tell("Low Bridge is being made")
        assert coming(library) == "Low Bridge is being made"
        assert client.get("/api/songs/coming").get_json() == {"coming": "Low Bridge is being made"}
    assert coming(library) is None


def test_a_maker_that_is_killed_tells_nothing_any_more(library):
    with subprocess.Popen([sys.executable, "-c", MAKER, str(library.home)], stdout=subprocess.PIPE, text=True) as maker:
        assert maker.stdout.readline() == "told\n"
        assert coming(library) == "Slack Water is being made"
        maker.kill()
        maker.wait()
    assert coming(library) is None


def test_what_fills_the_demo_ends_with_whoever_started_it(library):
    filling = fill_beside(library)
    while coming(library) is None:
        assert filling.poll() is None
    filling.stdin.close()
    assert filling.wait(timeout=PATIENCE_S) == 1
    assert coming(library) is None
