"""The record on the bench: songs put in order, a join heard, levels set, delivered by four specs; a level aimed at."""

import hashlib
import io
import urllib.request

import numpy as np
import pytest
import soundfile
from mutagen import flac
from playwright.sync_api import expect

from tests.browser.driving import Bench, expect_soon
from tests.browser.test_access import AXE, OBJECTIONS
from tests.conftest import RATE_HZ, music, recipe_of, tone, write_wav
from tin_kettle.core.measure.song_measures import SongMeter
from tin_kettle.core.recipe.reading import dump_recipe

pytestmark = pytest.mark.live


@pytest.fixture
def record(browser, server, tmp_path):
    """A record of three songs, open: a low tone, a high one, music."""
    title = tmp_path.name
    for name, sound in (("Low", tone(300, -20, 12)), ("High", tone(3000, -20, 11)), ("Music", music(8.0) * 0.3)):
        path = write_wav(tmp_path / f"{name}.wav", sound)
        source = server.ask(f"/api/sources?name={path.name}", path.read_bytes())
        made = server.ask("/api/songs", {"title": name, "record": title, "sha256": source["sha256"]})
    master = [{"id": "top", "kind": "limiter", "params": {"gain_db": 3, "ceiling_db": -2}}]
    server.save(made["id"], {"format": "tin-kettle-recipe", "version": 1, "master": master})
    driven = Bench(browser, server)
    driven.title, driven.record_id = (
        title,
        next(row["id"] for row in server.ask("/api/records") if row["title"] == title),
    )
    driven.page.goto(f"{server.url}/records/{driven.record_id}")
    driven.page.get_by_label("Songs of the record").wait_for()
    yield driven
    driven.close()
    assert driven.errors == []


def playable(record):
    record.page.wait_for_function("window.tinKettle?.state().song?.id === 0 && window.tinKettle.state().connected")


def order(record):
    return [row["title"] for row in record.server.ask(f"/api/records/{record.record_id}")["songs"]]


def loudest_hz(x):
    power = np.abs(np.fft.rfft(x.sum(axis=0) * np.hanning(x.shape[1])))
    return np.fft.rfftfreq(x.shape[1], 1 / RATE_HZ)[np.argmax(power)]


def test_songs_are_put_in_order_and_a_join_is_heard(record):
    page = record.page
    songs = page.get_by_label("Songs of the record")
    handle = songs.get_by_role("button", name="Low, song 1 of 3")
    handle.press("Alt+ArrowDown")
    expect(songs.get_by_role("button", name="Low, song 2 of 3")).to_be_visible()
    expect_soon(lambda: order(record), ["High", "Low", "Music"])
    # with the mouse back to the first place
    box = songs.get_by_role("button", name="Low, song 2 of 3").bounding_box()
    first = songs.get_by_role("button", name="High, song 1 of 3").bounding_box()
    page.mouse.move(box["x"] + 8, box["y"] + 20)
    page.mouse.down()
    page.mouse.move(first["x"] + 8, first["y"] + 10, steps=4)
    page.mouse.up()
    expect(songs.get_by_role("button", name="Low, song 1 of 3")).to_be_visible()
    page.keyboard.press("Control+z")
    expect(songs.get_by_role("button", name="High, song 1 of 3")).to_be_visible()
    playable(record)
    record.tap()
    page.get_by_role("button", name="Play transition of High and Low").click()
    page.wait_for_function("!window.tinKettle.player.report.starved && window.tinKettle.state().playing")
    heard = record.record(9600)
    assert loudest_hz(heard) == pytest.approx(3000, abs=20), "the end of the first"
    expect(page.get_by_role("status", name="Hearing")).to_contain_text("Low")
    # it is named from the gap of 2 s on
    after = (record.record(9600) for _ in range(40))
    begun = next(sound for sound in after if np.abs(sound[:, :4800]).max() > 0.01)
    assert loudest_hz(begun) == pytest.approx(300, abs=20), "then the next begins"


def test_a_level_is_typed_and_a_gap_becomes_a_crossfade(record):
    page = record.page
    level = page.get_by_label("Level of High")
    level.fill("-2.5")
    level.press("Enter")
    gap = page.get_by_label("Gap before High")
    gap.press("ArrowDown")
    expect(gap).to_have_value("1.9 s")
    gap.fill("-1.5 s")
    gap.press("Enter")
    expect(page.get_by_text("crossfade, gap")).to_be_visible()

    def kept():
        song = record.server.ask(f"/api/records/{record.record_id}")["songs"][1]
        return song["gain_db"], song["gap_s"]

    expect_soon(kept, (-2.5, -1.5))
    page.get_by_label("Level of High").fill("loud")
    page.get_by_label("Level of High").press("Enter")
    expect(page.get_by_label("Level of High")).to_have_value("−2.5 dB")
    page.reload()
    expect(page.get_by_label("Level of High")).to_have_value("−2.5 dB")
    page.get_by_role("button", name="date, UPC").click()
    page.get_by_label("UPC", exact=True).fill("036000291453")
    page.get_by_label("UPC", exact=True).press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("its check digit is 2")
    expect(page.get_by_label("UPC", exact=True)).to_have_value("")
    page.get_by_label("UPC", exact=True).fill("0 36000 29145 2")
    page.get_by_label("UPC", exact=True).press("Enter")
    expect(page.get_by_role("button", name="UPC 036000291452")).to_be_visible()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Dismiss").click()
    page.get_by_role("button", name="Fades of High").click()
    page.evaluate(AXE)
    assert page.evaluate(OBJECTIONS) == []
    page.keyboard.press("Escape")
    assert page.evaluate(OBJECTIONS) == []


def test_it_is_delivered_by_four_specs_downloaded_and_measured(record):
    page = record.page
    table = page.get_by_role("table", name="Songs by specs")
    specs = ["24-bit archive", "CD-rate master", "Lossy preview", "Streaming"]
    for spec in specs:
        table.get_by_role("checkbox", name=f"Music by {spec}").check()
    page.get_by_role("button", name="Deliver selected: 4 files").click()
    expect(table.get_by_text("passed")).to_have_count(3)
    expect(table.get_by_text("loudness is −").first).to_be_visible()
    rows = {row["spec"]: row for row in record.server.ask(f"/api/records/{record.record_id}/deliveries")}
    for spec in specs:
        url = f"{record.server.url}/api/deliveries/{rows[spec]['id']}/file"
        data = urllib.request.urlopen(url).read()
        assert hashlib.sha256(data).hexdigest() == rows[spec]["sha256"]
        samples, rate_hz = soundfile.read(io.BytesIO(data), always_2d=True)
        meter = SongMeter(rate_hz)
        meter.feed(np.ascontiguousarray(samples.T))
        told = rows[spec]["measures"]
        assert meter.finish()["integrated_lufs"] == pytest.approx(told["integrated_lufs"], abs=0.05)
    page.get_by_label("Level of Music").fill("-1")
    page.get_by_label("Level of Music").press("Enter")
    expect(table.get_by_text("changed since").first).to_be_visible()
    with page.expect_download() as loaded:
        table.get_by_role("link", name="download").first.click()
    assert loaded.value.suggested_filename.startswith("03 Music")


def test_it_is_delivered_as_one_file_with_its_cover_and_cues(record, tmp_path):
    page = record.page
    picture = tmp_path / "front.png"
    picture.write_bytes(page.screenshot(clip={"x": 0, "y": 0, "width": 80, "height": 80}))
    page.get_by_role("button", name="date, UPC, cover").click()
    page.get_by_label("Choose a cover").set_input_files(picture)
    expect(page.get_by_role("img", name="Cover")).to_be_visible()
    assert page.evaluate("document.querySelector('img[alt=Cover]').decode().then(() => true)")
    page.keyboard.press("Escape")
    spec = {"format": "tin-kettle-spec", "version": 1, "name": "One FLAC", "container": "flac", "files": "whole"}
    record.server.ask("/api/specs", {"spec": spec})
    page.reload()
    table = page.get_by_role("table", name="Songs by specs")
    table.get_by_role("checkbox", name="The whole record by One FLAC").check()
    page.get_by_role("button", name="Deliver selected: 1 file", exact=True).click()
    expect(table.get_by_text("passed")).to_be_visible()
    with page.expect_download() as loaded:
        table.get_by_role("link", name="download").click()
    told = flac.FLAC(loaded.value.path())
    assert told.pictures[0].data == picture.read_bytes()
    songs = record.server.ask(f"/api/records/{record.record_id}")["songs"]
    lengths = [song["frames"] / song["rate_hz"] for song in songs]
    assert told.info.length == pytest.approx(sum(lengths) + sum(song["gap_s"] for song in songs[1:]), abs=0.001)
    cue = f"{record.server.url}/api/records/{record.record_id}/papers/order.cue?spec=One%20FLAC"
    assert urllib.request.urlopen(cue).read().decode().count("INDEX 01") == len(songs)
    page.once("dialog", lambda dialog: dialog.accept())
    table.get_by_role("row", name="One FLAC").get_by_role("button", name="forget it").click()
    expect(table.get_by_text("One FLAC")).to_have_count(0)


def test_a_record_is_made_deleted_and_brought_back_and_a_song_opens_on_the_bench(record):
    page = record.page
    page.get_by_role("button", name=f"Records: {record.title}").click()
    page.get_by_role("menuitem", name="New record").click()
    page.get_by_label("Title", exact=True).fill("Tide Table")
    page.get_by_role("button", name="Make").click()
    expect(page.get_by_text("No songs yet")).to_be_visible()
    page.get_by_role("button", name="Records: Tide Table").click()
    page.get_by_role("menuitem", name="Delete this record").click()
    page.get_by_role("button", name="Records: Tide Table").click()
    page.get_by_role("menuitem", name="Bring back “Tide Table”").click()

    def deleted():
        rows = {row["title"]: row["deleted"] for row in record.server.ask("/api/records")}
        return rows[record.title], rows["Tide Table"]

    expect_soon(deleted, (False, False))
    page.goto(f"{record.server.url}/records/9999")
    expect(page.get_by_role("alert")).to_contain_text("there is no record 9999")
    page.goto(f"{record.server.url}/records/{record.record_id}")
    songs = page.get_by_label("Songs of the record")
    page.get_by_role("button", name="Fades of Low").click()
    page.get_by_label("Move to").select_option(label="Tide Table")
    expect(songs.get_by_role("button", name="High, song 1 of 2")).to_be_visible()
    page.keyboard.press("Escape")
    songs.get_by_role("button", name="Music", exact=True).click()
    page.get_by_label("Song map").wait_for()
    assert "/songs/" in page.url
    page.get_by_role("button", name="Record", exact=True).click()
    page.get_by_label("Songs of the record").wait_for()


def test_a_level_is_aimed_at_and_read_back_from_the_print(bench, add_song, server):
    song = add_song(music(6.0) * 0.3, "Aimed")
    limiter = {"id": "s0", "kind": "limiter", "params": {"ceiling_db": -1}}
    section = {"id": "loud", "name": "Loud", "start_s": 2.0, "end_s": 4.0}
    server.save(song, dump_recipe(recipe_of(limiter, sections=[section])))
    bench.open(song, tapped=False)
    page = bench.page
    page.locator("[data-stage=s0] [aria-current]").click()
    page.get_by_role("button", name="Set loudness …").click()
    page.get_by_label("Target").fill("-13.5")
    page.get_by_role("button", name="try", exact=True).click()
    page.get_by_role("table", name="Before and after").wait_for()
    assert bench.state("recipe.master[0].params.gain_db") == 0, "nothing changes before it is set"
    page.get_by_role("button", name="Set +").click()
    bench.saved()
    assert bench.state("recipe.master[0].params.gain_db") > 0
    begun = bench.server.ask(f"/api/songs/{song}/prints", {"format": "wav"})
    url = f"/api/prints/{begun['id']}"
    while (done := bench.server.ask(url))["state"] == "running":
        page.wait_for_timeout(100)
    assert done["measures"]["integrated_lufs"] == pytest.approx(-13.5, abs=0.05)
    page.keyboard.press("q")
    expect(page.get_by_role("status", name="Hearing")).to_contain_text("limiter preview")
    page.keyboard.press("q")
    expect(page.get_by_role("status", name="Hearing")).to_contain_text("as it is now")
    # a section by itself
    page.get_by_role("button", name="Set loudness …").click()
    page.get_by_label("Passage", exact=True).select_option(label="Loud")
    with page.expect_request(lambda request: "/aim?from=96000&to=192000" in request.url):
        page.get_by_role("button", name="try", exact=True).click()
    page.get_by_role("table", name="Before and after").wait_for()
