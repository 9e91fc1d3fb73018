"""``deliver``: every song by every spec, as it is asked for, checked from the file, the same on any day."""

import hashlib
import json
import struct
from pathlib import Path

import numpy as np
import pytest
import soundfile

import tin_kettle.core.deliver
from tests.cli.running import run
from tests.conftest import RATE_HZ, music, noise, tone, write_wav
from tin_kettle.core.deliver.broadcast import bext_chunk
from tin_kettle.core.deliver.check import container_of
from tin_kettle.core.deliver.convert import band_limit
from tin_kettle.core.deliver.cue import cue_sheet
from tin_kettle.core.deliver.delivery import deliver, file_names
from tin_kettle.core.deliver.spec import parse_spec
from tin_kettle.core.errors import RecordError, SpecError
from tin_kettle.core.measure.song_measures import SongMeter
from tin_kettle.core.record.document import Record, load_record, parse_record

SHIPPED = Path(tin_kettle.core.deliver.__file__).parent / "shipped"
SPEC = {"format": "tin-kettle-spec", "version": 1}
ARCHIVE = {**SPEC, "name": "Archive", "container": "bwf", "bits": 24}
DISC = {
    **SPEC,
    "name": "Disc",
    "container": "wav",
    "rate_hz": 44100,
    "bits": 16,
    "dither": "tpdf",
    "ceiling_dbtp": -1.0,
}
PREVIEW = {**SPEC, "name": "Preview", "container": "mp3", "kbit_s": 192, "naming": "{artist} - {title}"}
MASTER = [{"id": "top", "kind": "limiter", "params": {"gain_db": 6, "ceiling_db": -2}}]
RECORD = {
    "format": "tin-kettle-record",
    "version": 1,
    "title": "Slack Water",
    "artist": "Ferry Ticket Ensemble",
    "upc": "036000291452",
    "songs": [
        {"title": "Low Bridge", "source": "a.wav", "recipe": "r.kettle.json"},
        {"title": "Last Crossing", "source": "b.wav", "gain_db": -3.0, "gap_s": 1.5, "isrc": "ZZABC2600001"},
    ],
}


def measure(samples, rate_hz):
    meter = SongMeter(rate_hz)
    meter.feed(np.ascontiguousarray(samples))
    return meter.finish()


@pytest.fixture
def folder(tmp_path):
    write_wav(tmp_path / "a.wav", 0.4 * music(3.0), RATE_HZ)
    write_wav(tmp_path / "b.wav", tone(440, -10, 3), RATE_HZ)
    files = {"r.kettle": {"format": "tin-kettle-recipe", "version": 1, "master": MASTER}, "record": RECORD}
    files |= {"archive": ARCHIVE, "disc": DISC, "preview": PREVIEW}
    for name, document in files.items():
        (tmp_path / f"{name}.json").write_text(json.dumps(document))
    return tmp_path


def test_a_record_is_delivered_checked_and_hashed(folder):
    specs = [f"--spec={name}.json" for name in ("archive", "disc", "preview")]
    done = run("deliver", "record.json", *specs, "--out", "out", "--json", cwd=folder)
    told = json.loads(done.stdout)
    assert done.returncode == 0 and told["passed"], told
    assert [one["file"] for one in told["files"]] == [
        "Archive/01 Low Bridge.wav",
        "Archive/02 Last Crossing.wav",
        "Disc/01 Low Bridge.wav",
        "Disc/02 Last Crossing.wav",
        "Preview/Ferry Ticket Ensemble - Low Bridge.mp3",
        "Preview/Ferry Ticket Ensemble - Last Crossing.mp3",
    ]
    for one in told["files"]:
        path = folder / "out" / one["file"]
        assert hashlib.sha256(path.read_bytes()).hexdigest() == one["sha256"]
        assert f"{one['sha256']}  {path.name}\n" in (path.parent / "hashes.sha256").read_text()
    assert container_of(folder / "out/Archive/01 Low Bridge.wav") == "bwf"
    assert soundfile.info(folder / "out/Disc/01 Low Bridge.wav").samplerate == 44100
    plain, _ = soundfile.read(folder / "b.wav", always_2d=True)
    lowered, _ = soundfile.read(folder / "out/Archive/02 Last Crossing.wav", always_2d=True)
    assert np.max(np.abs(lowered - plain * 10 ** (-3 / 20))) < 2**-22, "at its level in the record, dithered to 24 bits"
    assert (folder / "out/Disc/Slack Water.cue").exists()
    assert not list((folder / "out").rglob("*.part"))


def test_what_does_not_pass_says_why_and_stops_nothing(folder):
    asked = {**DISC, "loudness": {"integrated_lufs": -40.0}}
    (folder / "disc.json").write_text(json.dumps(asked))
    (folder / "record.json").write_text(
        json.dumps({**RECORD, "songs": [{"title": "Gone", "source": "gone.wav"}, RECORD["songs"][1]]})
    )
    done = run("deliver", "record.json", "--spec=disc.json", "--out", "out", cwd=folder)
    assert done.returncode == 1
    lines = done.stdout.splitlines()
    assert len(lines) == 2
    assert lines[0].startswith("Disc, Gone: ") and "gone.wav" in lines[0]
    assert lines[1].startswith("Disc, Last Crossing: integrated_lufs is -13") and "-40.0 is asked for" in lines[1]
    assert (folder / "out/Disc/02 Last Crossing.wav").exists()


def test_the_same_delivery_is_the_same_files_and_says_its_loudness(folder):
    record, spec = load_record(folder / "record.json"), parse_spec(ARCHIVE)
    one, two = (deliver(record, folder, [spec], folder / name) for name in ("one", "two"))
    assert [found.sha256 for found in one] == [found.sha256 for found in two]
    data = (folder / "one/Archive/01 Low Bridge.wav").read_bytes()
    assert struct.unpack("<I", data[4:8])[0] == len(data) - 8
    at = data.index(b"bext")
    assert struct.unpack("<I", data[at + 4 : at + 8])[0] == 602 == len(data) - at - 8
    body = data[at + 8 :]
    assert body[:256].rstrip(b"\0") == b"Ferry Ticket Ensemble - Low Bridge"
    assert struct.unpack("<H", body[346:348])[0] == 2
    samples, rate_hz = soundfile.read(folder / "one/Archive/01 Low Bridge.wav", always_2d=True)
    measured = measure(samples.T, rate_hz)
    value, _, peak = struct.unpack("<3h", body[412:418])
    assert value == pytest.approx(100 * measured["integrated_lufs"], abs=1)
    assert peak == pytest.approx(100 * measured["true_peak_dbtp"], abs=1)


def test_an_unknown_loudness_has_the_standards_word_for_it():
    silent = measure(np.zeros((2, RATE_HZ)), RATE_HZ)
    assert struct.unpack("<h", bext_chunk("", "", "", silent)[8 + 412 : 8 + 414])[0] == 0x7FFF


@pytest.mark.parametrize(
    ("container", "rate_hz", "kbit_s"), [("ogg", 44100, 160), ("opus", 48000, 96), ("mp3", 44100, 320)]
)
def test_lossy_files_have_the_rate_that_is_asked_for(folder, container, rate_hz, kbit_s):
    spec = parse_spec({**SPEC, "name": "Lossy", "container": container, "rate_hz": rate_hz, "kbit_s": kbit_s})
    record = parse_record({**RECORD, "songs": RECORD["songs"][:1]})
    (found,) = deliver(record, folder, [spec], folder / "out")
    assert found.passed, found.reasons
    info = soundfile.info(found.file)
    coded = 8 * found.file.stat().st_size / info.duration / 1000
    # a variable rate goes with the music
    assert coded == pytest.approx(kbit_s, rel=0.03 if container == "mp3" else 0.45)
    decoded, _ = soundfile.read(found.file, always_2d=True)
    assert measure(decoded.T, rate_hz)["integrated_lufs"] > -30


def test_fades_and_gains_keep_the_ceiling(folder):
    songs = [{**RECORD["songs"][0], "gain_db": 6.0, "fade_in_s": 0.5, "fade_out_s": 1.0}]
    (found,) = deliver(parse_record({**RECORD, "songs": songs}), folder, [parse_spec(ARCHIVE)], folder / "out")
    x, _ = soundfile.read(found.file, always_2d=True)
    assert np.abs(x[:10]).max() < 1e-3 and np.abs(x[-10:]).max() < 1e-3
    assert measure(x.T, RATE_HZ)["true_peak_dbtp"] <= -2 + 0.05
    louder, plain = (
        20 * np.log10(np.abs(y).mean()) for y in (x[RATE_HZ : 2 * RATE_HZ], soundfile.read(folder / "a.wav")[0])
    )
    assert louder > plain + 6


def test_the_cue_sheet_counts_in_frames():
    record = parse_record(RECORD)
    sheet = cue_sheet(record, [(song.title, song) for song in record.songs], ["01.wav", "02.wav"]).splitlines()
    assert sheet[:3] == ['TITLE "Slack Water"', 'PERFORMER "Ferry Ticket Ensemble"', "CATALOG 0036000291452"]
    assert "  TRACK 02 AUDIO" in sheet
    assert "    ISRC ZZABC2600001" in sheet
    assert "    PREGAP 00:01:38" in sheet, "1.5 s are 112.5 of 75 frames a second"
    assert sheet.count("    INDEX 01 00:00:00") == 2


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"upc": "036000291453"}, "check digit is 2"),
        ({"songs": []}, r"\$.songs: has 0 entries"),
        ({"songs": [{"title": "A"}]}, "give source"),
        ({"songs": [{"title": "A", "source": "a.wav", "isrc": "zz"}]}, "isrc"),
        ({"label": "x"}, "'label' is not known"),
    ],
)
def test_a_wrong_record_is_refused_with_its_place(change, words):
    with pytest.raises(RecordError, match=words):
        parse_record({**RECORD, **change})


def test_names_that_would_meet_are_refused(folder):
    record, spec = load_record(folder / "record.json"), parse_spec({**ARCHIVE, "naming": "{record}"})
    with pytest.raises(SpecError, match="calls two songs 'Slack Water"):
        deliver(record, folder, [spec], folder / "out")
    with pytest.raises(SpecError, match="two specs have one name"):
        deliver(record, folder, [parse_spec(ARCHIVE)] * 2, folder / "out")


@pytest.mark.parametrize("naming", ["{label}", "{title:>1500000000}", "{title!r}", "{title.__class__}", "{", "{{}}"])
def test_a_name_is_made_of_four_names_and_nothing_else(naming):
    with pytest.raises(SpecError, match=r"\$: naming .* cannot be filled in; allowed: \{number\}, \{number:02\}"):
        parse_spec({**ARCHIVE, "naming": naming})


@pytest.mark.parametrize(
    ("titles", "twin"),
    [
        (("Interlude", "Interlude"), "Interlude"),
        (("A/B", "A:B"), "A B"),
        (("low bridge", "Low Bridge"), "Low Bridge"),
        (("Caf\u00e9", "Cafe\u0301"), "Cafe\u0301"),
        (("x" * 300 + "1", "x" * 300 + "2"), "x"),
        (("", "untitled"), "untitled"),
    ],
)
def test_titles_that_one_disk_takes_for_one_are_found_before_anything_is_printed(titles, twin):
    spec = parse_spec({**ARCHIVE, "naming": "{title}"})
    record = parse_record(RECORD)
    songs = [(title, record.songs[0]) for title in titles]
    with pytest.raises(SpecError, match=f"calls two songs '{twin}"):
        file_names(record, songs, [spec])
    numbered = parse_spec({**ARCHIVE, "naming": "{number:02} {title}, {artist}"})
    (names,) = file_names(record, songs, [numbered])
    assert names[0].startswith("01 ") and len(set(names)) == 2
    with pytest.raises(SpecError, match="two specs have one name"):
        file_names(record, songs[:1], [numbered, numbered.model_copy(update={"name": numbered.name.upper()})])


def test_the_shipped_schema_is_the_codes():
    shipped = json.loads(Path("docs/record.schema.json").read_text(encoding="utf-8"))
    assert shipped == Record.model_json_schema()


def test_the_specs_that_are_shipped_are_specs():
    assert [parse_spec(json.loads(path.read_text())).name for path in sorted(SHIPPED.iterdir())] == [
        "24-bit archive",
        "CD-rate master",
        "Lossy preview",
        "Streaming",
        "Whole record",
    ]


@pytest.mark.parametrize("container", ["flac", "aiff", "ogg", "opus", "mp3"])
def test_files_say_what_they_are_and_another_library_reads_it(folder, container):
    lossy = {"kbit_s": 96, "rate_hz": 48000} if container in ("ogg", "opus", "mp3") else {"bits": 16}
    spec = parse_spec({**SPEC, "name": "Told", "container": container, **lossy})
    (folder / "front.png").write_bytes(b"\x89PNG\r\n\x1a\n" + bytes(64))
    record = parse_record({**RECORD, "date": "2026-11-26", "cover": "front.png"})
    first, second = deliver(record, folder, [spec], folder / "out")
    assert first.passed, first.reasons
    data = second.file.read_bytes()
    for told in (b"Last Crossing", b"Ferry Ticket Ensemble", b"Slack Water", b"ZZABC2600001", b"036000291452"):
        assert told in data, told
    if container != "aiff":  # whose ID3 chunk the sound library does not read
        with soundfile.SoundFile(second.file) as file:
            told = (file.title, file.artist, file.album, file.date, file.tracknumber)
        assert told[:4] == ("Last Crossing", "Ferry Ticket Ensemble", "Slack Water", "2026-11-26")
        assert told[4].split("/")[0] == "2"
    again, _ = deliver(record, folder, [spec], folder / "again")
    assert again.sha256 == first.sha256


def test_a_spec_may_want_no_tags_and_a_cover_has_to_be_a_picture(folder):
    spec = parse_spec({**SPEC, "name": "Bare", "container": "flac", "bits": 16, "tags": False})
    (found, _) = deliver(parse_record(RECORD), folder, [spec], folder / "out")
    assert b"Low Bridge" not in found.file.read_bytes()
    (folder / "front.txt").write_text("no picture")
    for cover, says in (("front.txt", "neither PNG nor JPEG"), ("gone.png", "cannot be read")):
        with pytest.raises(RecordError, match=says):
            deliver(parse_record({**RECORD, "cover": cover}), folder, [spec], folder / "out")


def test_trims_and_fades_are_of_what_is_delivered(folder):
    write_wav(folder / "b.wav", np.full((2, 3 * RATE_HZ), 0.5), RATE_HZ)
    song = {"title": "B", "source": "b.wav", "start_s": 0.5, "end_s": 2.5, "fade_in_s": 0.5, "fade_shape": "line"}
    spec = parse_spec({**SPEC, "name": "Cut", "container": "wav", "bits": "32f"})
    (found,) = deliver(parse_record({**RECORD, "songs": [song]}), folder, [spec], folder / "out")
    y, _ = soundfile.read(found.file, always_2d=True)
    assert len(y) == 2 * RATE_HZ
    np.testing.assert_allclose(y[:, 0], 0.5 * np.minimum(np.arange(2 * RATE_HZ) / (0.5 * RATE_HZ), 1.0), atol=1e-6)


def test_the_whole_record_is_one_file_with_a_cue_sheet_into_it(folder):
    spec = parse_spec({**SPEC, "name": "Disc image", "container": "wav", "bits": "32f", "files": "whole"})
    songs = [
        {"title": "Low", "source": "b.wav"},
        {"title": "High", "source": "b.wav", "gap_s": 1.5, "gain_db": -6.0206, "isrc": "ZZABC2600001"},
        {"title": "Crossed", "source": "b.wav", "gap_s": -1.0},
    ]
    (found,) = deliver(parse_record({**RECORD, "songs": songs}), folder, [spec], folder / "out")
    assert found.passed, found.reasons
    one, _ = soundfile.read(folder / "b.wav", always_2d=True)
    y, _ = soundfile.read(found.file, always_2d=True)
    starts = [0, round(4.5 * RATE_HZ), round(6.5 * RATE_HZ)]
    wanted = np.zeros((starts[2] + len(one), 2))
    for start, gain in zip(starts, (1.0, 0.5, 1.0), strict=True):
        wanted[start : start + len(one)] += gain * one
    np.testing.assert_allclose(y, wanted, atol=1e-5)
    sheet = (found.file.parent / "Slack Water.cue").read_text().splitlines()
    assert sheet.count('FILE "01 Slack Water.wav" WAVE') == 1
    assert [line.strip() for line in sheet if "INDEX" in line] == [
        "INDEX 01 00:00:00",
        "INDEX 00 00:03:00",
        "INDEX 01 00:04:38",
        "INDEX 01 00:06:38",
    ]


def test_gapless_songs_play_in_a_row_as_the_record_does(folder):
    songs = [
        {"title": "Low", "source": "b.wav", "gap_s": 5.0, "fade_in_s": 0.2},
        {"title": "High", "source": "a.wav", "recipe": "r.kettle.json", "gap_s": 1.5, "gain_db": -6.0},
        {"title": "Crossed", "source": "b.wav", "gap_s": -1.0, "isrc": "ZZABC2600001"},
    ]
    about = {**SPEC, "container": "wav", "bits": "32f"}
    specs = [parse_spec({**about, "name": files, "files": files}) for files in ("whole", "gapless")]
    whole, *apart = deliver(parse_record({**RECORD, "songs": songs}), folder, specs, folder / "out")
    assert all(found.passed for found in (whole, *apart)), [found.reasons for found in apart]
    y, _ = soundfile.read(whole.file, always_2d=True)
    in_a_row = [soundfile.read(found.file, always_2d=True)[0] for found in apart]
    assert [len(part) for part in in_a_row] == [round(s * RATE_HZ) for s in (4.5, 2.0, 3.0)]
    np.testing.assert_array_equal(np.concatenate(in_a_row), y)
    sheet = (apart[0].file.parent / "Slack Water.cue").read_text()
    assert "PREGAP" not in sheet and sheet.count("FILE") == 3 and "ISRC ZZABC2600001" in sheet
    assert not [path for path in (folder / "out").rglob("*") if path.suffix == ".part"]


def test_a_band_limit_is_not_heard_at_the_joins_of_gapless_songs(folder):
    """A tone that goes on from song to song: filtered once more at the cut, it would ring there."""
    x = tone(3000, -6, 4.0)
    for name, part in (("one.wav", x[:, : 2 * RATE_HZ]), ("two.wav", x[:, 2 * RATE_HZ :])):
        write_wav(folder / name, part, RATE_HZ, "FLOAT")
    songs = [{"title": name, "source": f"{name}.wav", "gap_s": 0.0} for name in ("one", "two")]
    spec = {**SPEC, "name": "G", "container": "wav", "bits": "32f", "files": "gapless", "band_limit": True}
    made = deliver(parse_record({**RECORD, "songs": songs}), folder, [parse_spec(spec)], folder / "out")
    y = np.concatenate([soundfile.read(found.file, always_2d=True)[0].T for found in made], axis=1)
    plain = np.concatenate([joined_alone(part) for part in (x[:, : 2 * RATE_HZ], x[:, 2 * RATE_HZ :])], axis=1)
    np.testing.assert_allclose(y, plain, atol=1e-6)


def joined_alone(part):
    return np.concatenate(list(band_limit(iter([part]), RATE_HZ)), axis=1)


def test_what_rings_on_is_heard_over_the_gap_and_moves_no_song(folder):
    room = {"kind": "room", "id": "r", "mix": 0.5, "params": {"decay_s": 2.0}}
    (folder / "room.json").write_text(json.dumps({"format": "tin-kettle-recipe", "version": 1, "master": [room]}))
    songs = [
        {"title": "Low", "source": "a.wav", "recipe": "room.json", "gap_s": 0.0},
        {"title": "High", "source": "b.wav", "gap_s": 1.0},
        {"title": "Faded", "source": "a.wav", "recipe": "room.json", "fade_out_s": 0.1},
    ]
    about = {**SPEC, "container": "wav", "bits": "32f"}
    specs = [
        parse_spec({**about, "name": f"{files} {tail}", "files": files, "tail": tail})
        for files, tail in (
            ("songs", "auto"),
            ("songs", 0.5),
            ("gapless", "none"),
            ("gapless", "auto"),
            ("whole", "auto"),
        )
    ]
    made = deliver(parse_record({**RECORD, "songs": songs}), folder, specs, folder / "out")
    assert all(found.passed for found in made)
    seconds = [soundfile.info(found.file).duration for found in made]
    plain = soundfile.info(folder / "a.wav").duration
    assert seconds[0] > plain + 2.0 and seconds[1] > soundfile.info(folder / "b.wav").duration - 0.01
    assert seconds[2] == pytest.approx(plain), "what is faded out has no tail"
    assert seconds[3] == pytest.approx(plain + 0.5)
    dry, wet, whole = made[6:9], made[9:12], made[12]
    lengths = [[soundfile.info(found.file).frames for found in row] for row in (dry, wet)]
    assert lengths[0] == lengths[1], "no song begins later"
    (quiet, _), (rings, _) = (soundfile.read(row[0].file, always_2d=True) for row in (dry, wet))
    gap = slice(round(plain * RATE_HZ) + 100, round(plain * RATE_HZ) + RATE_HZ // 2)
    assert not quiet[gap].any() and np.abs(rings[gap]).max() > 1e-3
    in_a_row = np.concatenate([soundfile.read(found.file, always_2d=True)[0] for found in wet])
    np.testing.assert_array_equal(in_a_row, soundfile.read(whole.file, always_2d=True)[0])


def test_names_that_no_disk_takes_and_breaks_in_lines(folder):
    title = "潮" * 100
    songs = [{"title": title, "source": "a.wav"}, {"title": "two\nlines \u2028 three", "source": "b.wav"}]
    spec = parse_spec({**SPEC, "name": "S", "container": "wav", "bits": 24})
    made = deliver(parse_record({**RECORD, "songs": songs}), folder, [spec], folder / "out")
    assert [found.problem for found in made] == [None, None]
    assert made[0].file.name.startswith("01 潮潮") and len(made[0].file.name.encode()) < 200
    sheet = next(made[0].file.parent.glob("*.cue")).read_text()
    assert 'TITLE "two lines three"' in sheet
    assert all(
        line.split()[0] in ("TITLE", "PERFORMER", "CATALOG", "FILE", "TRACK", "INDEX", "PREGAP", "ISRC")
        for line in sheet.splitlines()
    )


def test_an_end_behind_the_song_is_its_own_and_a_start_there_is_refused(folder):
    songs = [{"title": "A", "source": "a.wav", "end_s": 500.0}, {"title": "B", "source": "b.wav", "start_s": 500.0}]
    for files in ("songs", "gapless"):
        spec = parse_spec({**SPEC, "name": files, "container": "wav", "bits": 24, "files": files})
        made = deliver(parse_record({**RECORD, "songs": songs}), folder, [spec], folder / "out")
        assert "nothing is left of a song" in (made[1].problem or "")
        if files == "songs":
            assert soundfile.info(made[0].file).duration == soundfile.info(folder / "a.wav").duration


def test_songs_of_different_rates_are_joined_at_the_rate_of_the_spec_under_their_ceilings(folder):
    write_wav(folder / "b.wav", noise(-12, 2.0, rate_hz=44100), 44100)
    songs = [
        {"title": "Low", "source": "a.wav", "recipe": "r.kettle.json", "gap_s": 0.0},
        {"title": "High", "source": "b.wav", "recipe": "r.kettle.json", "gap_s": 0.0},
    ]
    about = {**SPEC, "container": "wav", "bits": 24, "files": "whole"}
    specs = [
        parse_spec({**about, "name": "At their own"}),
        parse_spec({**about, "name": "At one", "rate_hz": 44100, "ceiling_dbtp": -2.0}),
    ]
    refused, made = deliver(parse_record({**RECORD, "songs": songs}), folder, specs, folder / "out")
    assert refused.problem and "a spec that has" in refused.problem
    assert made.passed, made.reasons
    assert soundfile.info(made.file).frames == 5 * 44100


def test_a_spec_may_want_nothing_left_near_the_upper_end(folder):
    t = np.arange(3 * RATE_HZ) / RATE_HZ
    high = 0.3 * np.sin(2 * np.pi * 22500 * t)
    write_wav(folder / "b.wav", np.stack([high, high]) + tone(1000, -20, 3), RATE_HZ)
    record = parse_record({**RECORD, "songs": RECORD["songs"][1:]})
    left = []
    for limited in (False, True):
        spec = {**SPEC, "name": f"Limit {limited}", "container": "wav", "bits": "32f", "band_limit": limited}
        (found,) = deliver(record, folder, [parse_spec(spec)], folder / "out")
        power = np.abs(np.fft.rfft(soundfile.read(found.file)[0][:, 0])) ** 2
        left.append(power[np.fft.rfftfreq(3 * RATE_HZ, 1 / RATE_HZ) > 21900].sum())
    # where the tone is cut off at both ends, a little of everything is left
    assert left[1] < 1e-6 * left[0]
