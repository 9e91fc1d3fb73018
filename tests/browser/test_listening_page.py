"""The listening page as a client has it: opened from disk, without a network, by mouse and keys."""

import json

import pytest
from playwright.sync_api import expect

from tests.browser.driving import expect_soon
from tests.browser.test_access import AXE
from tests.conftest import noise, tone, write_wav
from tin_kettle.core.deliver.listening_page.build import make_page
from tin_kettle.core.deliver.listening_page.document import load_page

pytestmark = pytest.mark.live
VIOLATIONS = """
async () => (await axe.run(document)).violations.map(({ id, nodes }) =>
  `${id}: ${nodes.map(({ html }) => html.slice(0, 120)).join(" | ")}`)
"""
LOUD = {"format": "tin-kettle-recipe", "version": 1, "master": [{"id": "t", "kind": "trim", "params": {"gain_db": 6}}]}


@pytest.fixture
def opened(browser, tmp_path):
    """Opens a page of two songs; whatever asks the network or fails in a script fails the test."""
    pages, faults = [], []

    def open_page(size=(1280, 800), **more):
        write_wav(tmp_path / "low.wav", tone(1000, -20, 20.0))
        write_wav(tmp_path / "next.wav", noise(-30, 4.0))
        (tmp_path / "loud.json").write_text(json.dumps(LOUD))
        takes = [
            {"name": "Received", "file": "low.wav"},
            {"name": "Master 2", "file": "low.wav", "recipe": "loud.json"},
        ]
        songs = [
            {"title": "Low Bridge", "sections": [{"name": "Verse", "at_s": 8.0}], "takes": takes},
            {"title": "Last Crossing", "takes": [{"name": "Master", "file": "next.wav"}]},
        ]
        about = {"format": "tin-kettle-page", "version": 1, "title": "Slack Water", "songs": songs, **more}
        (tmp_path / "page.json").write_text(json.dumps(about))
        made = make_page(load_page(tmp_path / "page.json"), tmp_path, tmp_path / "page.html")
        page = browser.new_page(viewport={"width": size[0], "height": size[1]}, accept_downloads=True)
        page.context.set_offline(True)
        page.on("pageerror", lambda error: faults.append(str(error)))
        page.on(
            "request",
            lambda request: faults.append(request.url) if not request.url.startswith(("file:", "blob:")) else None,
        )
        page.goto((tmp_path / "page.html").as_uri())
        pages.append(page)
        return page, made

    yield open_page
    for page in pages:
        page.close()
    assert faults == []


def state(page, name):
    return page.evaluate(f"window.listeningPage.state().{name}")


def wait_until(page, condition):
    """Asks from outside: the page forbids what a wait inside of it would be made of."""
    expect_soon(lambda: page.evaluate(condition), True)


def send_back(page, tmp_path):
    with page.expect_download() as waiting:
        page.get_by_role("button", name="Send back").click()
    assert waiting.value.suggested_filename == "Slack Water.comments.json"
    waiting.value.save_as(tmp_path / "comments.json")
    return json.loads((tmp_path / "comments.json").read_text())


def test_takes_play_in_time_and_equally_loud_and_are_switched_by_keys(opened):
    page, _ = opened()
    page.get_by_role("button", name="Play").click()
    wait_until(page, "window.listeningPage.state().position > 0.5 && window.listeningPage.state().gains.length === 2")
    first, second = (page.get_by_role("button", name=name, exact=True) for name in ("Received", "Master 2"))
    expect(first).to_have_attribute("aria-pressed", "true")
    before = state(page, "position")
    page.keyboard.press("2")
    expect(second).to_have_attribute("aria-pressed", "true")
    wait_until(
        page,
        "() => { const [first, second] = window.listeningPage.state().gains;"
        " return Math.abs(second - 0.501) < 0.005 && first < 1e-6; }",
    )
    assert state(page, "position") - before < 5, "it goes on where it was"
    page.get_by_role("button", name="Hear their own level").click()
    wait_until(page, "Math.abs(window.listeningPage.state().gains[1] - 1) < 1e-6")
    page.get_by_label("Position in the song").focus()
    page.keyboard.press("Space")
    expect(page.get_by_role("button", name="Play")).to_be_visible()
    at = state(page, "position")
    page.keyboard.press("ArrowRight")
    assert state(page, "position") == pytest.approx(at + 5, abs=0.1)


def test_a_drag_loops_and_a_click_goes_there(opened):
    page, _ = opened()
    box = page.get_by_label("Position in the song").bounding_box()
    page.mouse.move(box["x"] + 0.25 * box["width"], box["y"] + 60)
    page.mouse.down()
    page.mouse.move(box["x"] + 0.5 * box["width"], box["y"] + 60, steps=4)
    page.mouse.up()
    assert state(page, "loop") == pytest.approx([5.0, 10.0], abs=0.1)
    page.get_by_role("button", name="End the loop").click()
    page.mouse.click(box["x"] + 0.75 * box["width"], box["y"] + 60)
    assert state(page, "loop") is None and state(page, "position") == pytest.approx(15.0, abs=0.1)


def test_comments_choices_and_approvals_are_kept_and_sent_back(opened, tmp_path):
    page, made = opened()
    assert send_back(page, tmp_path)["songs"][0] == {
        "title": "Low Bridge",
        "choice": None,
        "approved": False,
        "comments": [],
    }
    page.get_by_label("Position in the song").focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("c")
    page.get_by_label("Your name").fill("Ann")
    page.get_by_label("Comment at").fill('Bass <b>long</b> "here"')
    page.get_by_label("Comment at").press("Enter")
    expect(page.get_by_text('Bass <b>long</b> "here"')).to_be_visible()
    page.get_by_role("button", name="Master 2", exact=True).click()
    page.get_by_role("button", name="Comment", exact=True).click()
    expect(page.get_by_label("Your name")).to_have_count(0)
    page.get_by_label("Comment at").fill("Better")
    page.get_by_label("about the whole song").check()
    page.get_by_role("button", name="Save").click()
    page.get_by_role("button", name="Approve this song").click()
    page.reload()
    expect(page.get_by_text("Better")).to_be_visible()
    sent = send_back(page, tmp_path)
    assert (sent["format"], sent["version"], sent["page"], sent["by"]) == ("tin-kettle-comments", 1, made.id, "Ann")
    song, other = sent["songs"]
    assert (song["title"], song["choice"], song["approved"]) == ("Low Bridge", "Master 2", True)
    first, second = song["comments"]
    assert first["at_s"] == pytest.approx(5.0, abs=0.1) and first["until_s"] is None
    assert (first["take"], first["text"]) == ("Received", 'Bass <b>long</b> "here"')
    assert second["at_s"] is None and second["take"] == "Master 2" and second["made"].endswith("Z")
    assert other["comments"] == [] and not other["approved"]


def test_blind_hides_the_names_until_one_is_chosen(opened, tmp_path):
    page, _ = opened(blind=True)
    takes = page.locator("button.take")
    expect(takes).to_have_count(2)
    assert [takes.nth(i).inner_text().split("\n")[0] for i in range(2)] == ["A", "B"]
    takes.nth(1).click()
    page.get_by_role("button", name="Choose B").click()
    chosen = send_back(page, tmp_path)["songs"][0]["choice"]
    assert chosen in ("Received", "Master 2")
    expect(page.get_by_role("button", name=f"{chosen} is chosen")).to_be_visible()


@pytest.mark.parametrize("size", [(390, 844), (1280, 800)])
@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_nothing_of_it_is_nameless_pale_or_out_of_reach(opened, size, scheme):
    page, _ = opened(size)
    page.emulate_media(color_scheme=scheme)
    page.get_by_role("button", name="Comment", exact=True).click()
    page.evaluate(AXE)
    assert page.evaluate(VIOLATIONS) == []
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
