"""The attacks of ``make attack``, for a little while each; how long something may take is asked there alone."""

import pytest

from tests.attack import connections, documents, drags, files, kills, messages, playing, routes

PATIENCE_S = 20.0


def test_spoiled_recipes(tmp_path):
    assert documents.attack(tmp_path, 600).harm == ()


def test_spoiled_sound_files(tmp_path):
    assert files.attack(tmp_path, 180).harm == ()


def test_hostile_messages():
    assert messages.attack(600).harm == ()


def test_wrong_types_and_ids(tmp_path):
    assert routes.attack(tmp_path, 1200).harm == ()


def test_killed_servers(tmp_path):
    assert kills.servers(tmp_path, 2).harm == ()


def test_killed_workers(tmp_path):
    assert kills.workers(tmp_path, 1).harm == ()


def test_killed_answering_processes(tmp_path):
    assert kills.answering(tmp_path, 1).harm == ()


@pytest.mark.live
def test_connections(tmp_path):
    assert [row for row in connections.attack(tmp_path, 1.5, patience_s=PATIENCE_S) if row.harm] == []


@pytest.mark.live
def test_killed_browsers(tmp_path):
    assert drags.browsers(tmp_path, 1, most_ms=None, drag_s=(4.0, 4.0)).harm == ()


@pytest.mark.live
def test_long_play(tmp_path):
    assert playing.edits(tmp_path, 8.0, patience_s=PATIENCE_S).harm == ()
