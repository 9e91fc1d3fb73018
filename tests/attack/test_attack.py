"""The attacks of ``make attack``, for a little while each."""

from tests.attack import connections, documents, files, kills, messages, routes


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


def test_connections(tmp_path):
    assert [row for row in connections.attack(tmp_path, 1.5, patience_s=2.0) if row.harm] == []
